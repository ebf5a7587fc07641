package org.unimeros.storage.format.csv;

import static java.nio.charset.StandardCharsets.UTF_8;

import de.siegmar.fastcsv.writer.CsvWriter;
import de.siegmar.fastcsv.writer.LineDelimiter;
import de.siegmar.fastcsv.writer.QuoteStrategies;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.storage.format.AsText;
import org.unimeros.storage.format.FileWriter;
import org.unimeros.storage.format.FormatOptions;
import org.unimeros.storage.format.Io;

/** Writes a header and a record per row; null is an empty field, empty text is a field of two quotes. */
final class CsvFileWriter implements FileWriter {

    private final Path path;
    private final AsText texts;
    private final CsvWriter out;
    private final TextColumn[] columns;
    private final String[] fields;
    private boolean closed;

    CsvFileWriter(Path path, Schema schema, FormatOptions options) {
        this.path = path;
        this.texts = new AsText(schema);
        this.columns = new TextColumn[schema.size()];
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
        for (int c = 0; c < columns.length; c++) {
            columns[c] = texts.column(batch, c);
        }
        for (int row = 0; row < batch.rowCount(); row++) {
            for (int c = 0; c < columns.length; c++) {
                fields[c] = columns[c].isNull(row) ? null : columns[c].text(row);
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
