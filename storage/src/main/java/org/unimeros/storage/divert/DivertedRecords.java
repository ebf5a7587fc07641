package org.unimeros.storage.divert;

import com.fasterxml.jackson.core.JsonFactory;
import com.fasterxml.jackson.core.JsonGenerator;
import com.fasterxml.jackson.core.util.MinimalPrettyPrinter;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.HexFormat;
import java.util.List;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.run.BadRecordKeeper;
import org.unimeros.engine.source.BadRecord;
import org.unimeros.storage.format.Utf8Check;

/**
 * Keeps records that could not be read in a file of their run, an object of JSON on each line: {@code file}, {@code line} (from 1 on; left out where it
 * is not known), {@code reason}, and {@code record} as it stands in the file, or its {@code bytes} as hexadecimal digits where it is not UTF-8. Used by
 * one thread.
 */
public final class DivertedRecords implements BadRecordKeeper {

    private static final JsonFactory JSON = new JsonFactory();

    private final Path file;
    private final Utf8Check utf8 = new Utf8Check();

    /** The file is made with the first record. */
    public DivertedRecords(Path file) {
        this.file = file;
    }

    @Override
    public void keep(List<BadRecord> records) {
        try {
            Files.createDirectories(file.toAbsolutePath().getParent());
            try (JsonGenerator out = JSON.createGenerator(
                    Files.newOutputStream(file, StandardOpenOption.CREATE, StandardOpenOption.APPEND))) {
                out.setPrettyPrinter(new MinimalPrettyPrinter("\n"));
                for (BadRecord record : records) {
                    write(record, out);
                }
                out.writeRaw('\n');
            }
        } catch (IOException e) {
            throw new ResourceFailure("cannot keep bad records in " + file + ": " + e.getMessage(), e);
        }
    }

    private void write(BadRecord record, JsonGenerator out) throws IOException {
        out.writeStartObject();
        out.writeStringField("file", record.file());
        if (record.line() > 0) {
            out.writeNumberField("line", record.line());
        }
        out.writeStringField("reason", record.reason());
        if (utf8.isValid(record.raw())) {
            out.writeStringField("record", new String(record.raw(), StandardCharsets.UTF_8));
        } else {
            out.writeStringField("bytes", HexFormat.of().formatHex(record.raw()));
        }
        out.writeEndObject();
    }

    @Override
    public String place() {
        return file.toString();
    }
}
