package org.unimeros.storage.commit;

import com.fasterxml.jackson.core.JsonFactory;
import com.fasterxml.jackson.core.JsonGenerator;
import com.fasterxml.jackson.core.JsonParser;
import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.core.JsonToken;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.channels.FileChannel;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.StandardOpenOption;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import org.unimeros.engine.error.BadData;
import org.unimeros.storage.format.Io;

/**
 * A change of a dataset.
 *
 * @param run whose staging folder holds the new files
 * @param added paths, relative to the staging folder and to the dataset, of files to be moved in
 * @param removed paths, relative to the dataset, of files to be removed
 */
record Publication(String run, List<String> added, List<String> removed) {

    private static final JsonFactory JSON = new JsonFactory();

    Publication {
        added = List.copyOf(added);
        removed = List.copyOf(removed);
    }

    /**
     * Writes the record under another name, forces it to disk, and renames it. Only one process does so at a time, and the
     * other name is always the same, so that what a process that died has left of it is overwritten by the next.
     */
    void write(Path path) throws IOException {
        ByteArrayOutputStream bytes = new ByteArrayOutputStream();
        try (JsonGenerator out = JSON.createGenerator(bytes)) {
            out.writeStartObject();
            out.writeNumberField("version", 1);
            out.writeStringField("run", run);
            writeList(out, "added", added);
            writeList(out, "removed", removed);
            out.writeEndObject();
        }
        Path written = path.resolveSibling(path.getFileName() + ".new");
        try (FileChannel channel = FileChannel.open(
                written, StandardOpenOption.CREATE, StandardOpenOption.WRITE, StandardOpenOption.TRUNCATE_EXISTING)) {
            channel.write(ByteBuffer.wrap(bytes.toByteArray()));
            channel.force(true);
        }
        Files.move(written, path, StandardCopyOption.ATOMIC_MOVE);
    }

    private static void writeList(JsonGenerator out, String name, List<String> values) throws IOException {
        out.writeArrayFieldStart(name);
        for (String value : values) {
            out.writeString(value);
        }
        out.writeEndArray();
    }

    /** The publication that is under way, if there is one. */
    static Optional<Publication> read(Path path) {
        if (!Files.exists(path)) {
            return Optional.empty();
        }
        try (JsonParser in = JSON.createParser(Files.readAllBytes(path))) {
            String run = null;
            List<String> added = new ArrayList<>();
            List<String> removed = new ArrayList<>();
            in.nextToken();
            for (String field = in.nextFieldName(); field != null; field = in.nextFieldName()) {
                in.nextToken();
                switch (field) {
                    case "run" -> run = in.getText();
                    case "added" -> readList(in, added);
                    case "removed" -> readList(in, removed);
                    default -> in.skipChildren();
                }
            }
            return Optional.of(new Publication(run, added, removed));
        } catch (NoSuchFileException e) {
            return Optional.empty();
        } catch (JsonProcessingException e) {
            throw new BadData(
                    "the record of a publication in " + path + " is broken: " + e.getOriginalMessage()
                            + "; look at the dataset, then delete the record",
                    e);
        } catch (IOException e) {
            throw Io.failure("read", path, e);
        }
    }

    private static void readList(JsonParser in, List<String> into) throws IOException {
        while (in.nextToken() != JsonToken.END_ARRAY) {
            into.add(in.getText());
        }
    }
}
