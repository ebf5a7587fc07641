package org.unimeros.storage.format.csv;

import static java.nio.charset.StandardCharsets.UTF_8;

import de.siegmar.fastcsv.writer.CsvWriter;
import de.siegmar.fastcsv.writer.LineDelimiter;
import de.siegmar.fastcsv.writer.QuoteStrategies;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Arrays;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.Values;
import org.unimeros.storage.format.FileWriter;
import org.unimeros.storage.format.FormatOptions;
import org.unimeros.storage.format.Io;

/** Writes a header and a record per row; null is an empty field, empty text is a field of two quotes. */
final class CsvFileWriter implements FileWriter {

    private final Path path;
    private final Schema schema;
    private final CsvWriter out;
    private final String[] fields;
    private boolean closed;

    CsvFileWriter(Path path, Schema schema, FormatOptions options) {
        this.path = path;
        this.schema = schema;
        this.fields = new String[schema.size()];
        try {
            this.out = CsvWriter.builder()
                    .fieldSeparator(options.delimiter())
                    .lineDelimiter(LineDelimiter.LF)
                    .quoteStrategy(QuoteStrategies.EMPTY)
                    .build(Files.newOutputStream(path), UTF_8);
        } catch (IOException e) {
            throw Io.failure("write", path, e);
        }
        if (options.header()) {
            record(schema.names().toArray(String[]::new));
        }
    }

    private void record(String... values) {
        try {
            out.writeRecord(values);
        } catch (UncheckedIOException e) {
            throw Io.failure("write", path, e.getCause());
        }
    }

    @Override
    public void write(Batch batch) {
        Arrays.fill(fields, null);
        for (int row = 0; row < batch.rowCount(); row++) {
            for (int c = 0; c < fields.length; c++) {
                fields[c] = Values.text(batch.column(c), row, schema.field(c).type());
            }
            record(fields);
        }
    }

    @Override
    public long bufferedBytes() {
        return 0;
    }

    @Override
    public void flush() {
        // nothing is held that would have to be written as a unit
    }

    @Override
    public long finish() {
        close();
        try {
            return Files.size(path);
        } catch (IOException e) {
            throw Io.failure("read", path, e);
        }
    }

    @Override
    public void close() {
        if (closed) {
            return;
        }
        closed = true;
        try {
            out.close();
        } catch (IOException e) {
            throw Io.failure("write", path, e);
        }
    }
}
