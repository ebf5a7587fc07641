package org.unimeros.storage.commit;

import com.fasterxml.jackson.core.JsonFactory;
import com.fasterxml.jackson.core.JsonGenerator;
import com.fasterxml.jackson.core.JsonParseException;
import com.fasterxml.jackson.core.JsonParser;
import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.core.JsonToken;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.stream.Stream;
import org.unimeros.engine.error.BadData;
import org.unimeros.storage.format.Io;
import org.unimeros.storage.store.Store;
import org.unimeros.storage.store.StorePath;

/**
 * A change of a dataset.
 *
 * @param run whose staging folder holds the new files
 * @param added paths, relative to the staging folder and to the dataset, of files to be moved in
 * @param removed paths, relative to the dataset, of files to be removed
 */
record Publication(String run, List<String> added, List<String> removed) {

    private static final JsonFactory JSON = new JsonFactory();
    private static final String RUN = "[A-Za-z0-9][A-Za-z0-9._-]{0,199}";

    Publication {
        added = List.copyOf(added);
        removed = List.copyOf(removed);
    }

    /** The folders of the new files, relative to the dataset. */
    List<String> folders() {
        return added.stream().map(Publication::folder).distinct().sorted().toList();
    }

    /** The folder of a path; empty for the dataset itself. */
    static String folder(String path) {
        int slash = path.lastIndexOf('/');
        return slash < 0 ? "" : path.substring(0, slash);
    }

    /** The text of the record. */
    byte[] text() throws IOException {
        ByteArrayOutputStream bytes = new ByteArrayOutputStream();
        try (JsonGenerator out = JSON.createGenerator(bytes)) {
            out.writeStartObject();
            out.writeNumberField("version", 1);
            out.writeStringField("run", run);
            writeList(out, "added", added);
            writeList(out, "removed", removed);
            out.writeEndObject();
        }
        return bytes.toByteArray();
    }

    private static void writeList(JsonGenerator out, String name, List<String> values) throws IOException {
        out.writeArrayFieldStart(name);
        for (String value : values) {
            out.writeString(value);
        }
        out.writeEndArray();
    }

    /** The publication that is under way, if there is one. */
    static Optional<Publication> read(StorePath path) {
        try {
            Optional<Store.Content> text = path.read();
            return text.isEmpty()
                    ? Optional.empty()
                    : Optional.of(of(path, text.get().bytes()));
        } catch (JsonProcessingException e) {
            throw broken(path, e.getOriginalMessage(), e);
        } catch (IOException e) {
            throw Io.failure("read", path, e);
        }
    }

    private static Publication of(StorePath path, byte[] text) throws IOException {
        try (JsonParser in = JSON.createParser(text)) {
            String run = null;
            List<String> added = new ArrayList<>();
            List<String> removed = new ArrayList<>();
            if (in.nextToken() != JsonToken.START_OBJECT) {
                throw broken(path, "it is no JSON object", null);
            }
            for (String field = in.nextFieldName(); field != null; field = in.nextFieldName()) {
                in.nextToken();
                switch (field) {
                    case "run" -> run = in.currentToken() == JsonToken.VALUE_STRING ? in.getText() : null;
                    case "added" -> readList(in, added);
                    case "removed" -> readList(in, removed);
                    default -> in.skipChildren();
                }
            }
            requireInside(path, run, added, removed);
            return new Publication(run, added, removed);
        }
    }

    private static BadData broken(StorePath path, String why, Exception cause) {
        return new BadData(
                "the record of a publication in " + path + " is broken: " + why
                        + "; look at the dataset, then delete the record",
                cause);
    }

    private static void readList(JsonParser in, List<String> into) throws IOException {
        if (in.currentToken() != JsonToken.START_ARRAY) {
            throw new JsonParseException(in, in.currentName() + " is no list");
        }
        while (in.nextToken() != JsonToken.END_ARRAY) {
            if (in.currentToken() != JsonToken.VALUE_STRING) {
                throw new JsonParseException(in, "a list has something else than texts");
            }
            into.add(in.getText());
        }
    }

    /** A record is carried out by whoever comes next, so that nothing in it may reach beyond the dataset. */
    private static void requireInside(StorePath path, String run, List<String> added, List<String> removed) {
        if (run == null || !run.matches(RUN)) {
            throw broken(path, "it names no run", null);
        }
        Stream.concat(added.stream(), removed.stream())
                .filter(name -> !isInside(name))
                .findFirst()
                .ifPresent(name -> {
                    throw broken(path, "'" + name + "' is no file of the dataset", null);
                });
    }

    private static boolean isInside(String name) {
        if (name.indexOf('\0') >= 0 || name.startsWith("/") || name.indexOf('\\') >= 0) {
            return false;
        }
        for (String step : name.split("/", -1)) {
            if (step.isEmpty() || step.equals(".") || step.equals("..") || step.equals(DatasetPaths.OWN)) {
                return false;
            }
        }
        return true;
    }
}
