package org.unimeros.storage.format.csv;

import de.siegmar.fastcsv.writer.CsvWriter;
import de.siegmar.fastcsv.writer.LineDelimiter;
import de.siegmar.fastcsv.writer.QuoteStrategy;
import java.io.IOException;
import java.io.OutputStreamWriter;
import java.io.UncheckedIOException;
import java.nio.charset.CharacterCodingException;
import java.nio.charset.CodingErrorAction;
import java.util.Set;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.error.BadData;
import org.unimeros.storage.format.AsText;
import org.unimeros.storage.format.CountingOutput;
import org.unimeros.storage.format.FileWriter;
import org.unimeros.storage.format.FormatOptions;
import org.unimeros.storage.format.Io;
import org.unimeros.storage.format.Notation;
import org.unimeros.storage.store.StorePath;

/**
 * Writes a header and a record per row. Null is an empty field, or the text that stands for it; a text that reads like null is a field in quotes.
 */
final class CsvFileWriter implements FileWriter {

    private final StorePath path;
    private final Schema schema;
    private final FormatOptions options;
    private final Notation notation;
    /** Those of which texts are translated. */
    private final boolean[] isOwn;

    private final Set<String> nullTexts;
    /** What is written for null. */
    private final String nullText;

    private final AsText texts;
    private final CountingOutput bytes;
    private final CsvWriter out;
    private final TextColumn[] columns;
    private final String[] fields;
    private int row;
    private boolean closed;

    CsvFileWriter(StorePath path, Schema schema, FormatOptions options) {
        this.path = path;
        this.schema = schema;
        this.options = options;
        this.notation = options.notation();
        this.nullTexts = Set.copyOf(options.nullTexts());
        this.nullText = options.nullTexts().stream().findFirst().orElse("");
        this.texts = new AsText(schema);
        this.columns = new TextColumn[schema.size()];
        this.isOwn = new boolean[schema.size()];
        for (int c = 0; c < isOwn.length; c++) {
            isOwn[c] = notation.isOwn(schema.field(c).type());
        }
        this.fields = new String[schema.size()];
        try {
            this.bytes = Io.create(path);
            OutputStreamWriter text = new OutputStreamWriter(
                    bytes,
                    options.encoding()
                            .newEncoder()
                            .onMalformedInput(CodingErrorAction.REPORT)
                            .onUnmappableCharacter(CodingErrorAction.REPORT));
            this.out = CsvWriter.builder()
                    .fieldSeparator(options.delimiter())
                    .quoteCharacter(options.quote())
                    .commentCharacter(options.comment().orElse('#'))
                    .lineDelimiter(LineDelimiter.LF)
                    .quoteStrategy(new Quotes())
                    .build(text);
        } catch (IOException e) {
            throw Io.failure("write", path, e);
        }
        if (options.header()) {
            record(schema.names().toArray(String[]::new));
        }
    }

    /** Quotes what would be read as null; what else needs quotes gets them anyway. */
    private final class Quotes implements QuoteStrategy {
        @Override
        public boolean quoteEmpty(int line, int field) {
            return true;
        }

        @Override
        public boolean quoteValue(int line, int field, String value) {
            return !nullTexts.isEmpty()
                    && columns[field] != null
                    && !columns[field].isNull(row)
                    && nullTexts.contains(value);
        }
    }

    private void record(String... values) {
        if (!options.hasQuotes()) {
            for (int c = 0; c < values.length; c++) {
                requirePlain(c, values[c]);
            }
        }
        try {
            out.writeRecord(values);
        } catch (UncheckedIOException e) {
            throw e.getCause() instanceof CharacterCodingException c
                    ? notInEncoding(c)
                    : Io.failure("write", path, e.getCause());
        }
    }

    private BadData notInEncoding(CharacterCodingException e) {
        return new BadData(
                "a text has a character that " + options.encoding().name()
                        + " does not have, so that it cannot be written to " + path
                        + "; choose another encoding, such as utf-8",
                e);
    }

    private void requirePlain(int column, String value) {
        boolean isNull = columns[column] != null && columns[column].isNull(row);
        boolean isPlain = isNull
                || value != null
                        && !value.isEmpty()
                        && !nullTexts.contains(value)
                        && value.indexOf(options.delimiter()) < 0
                        && value.indexOf('\n') < 0
                        && value.indexOf('\r') < 0
                        && !(column == 0 && value.charAt(0) == options.comment().orElse('\0'));
        if (!isPlain) {
            throw new BadData(
                    "column " + schema.field(column).name() + " has the value '" + value
                            + "', which cannot be written without quotes; leave the option quote as it is, or choose another delimiter");
        }
    }

    @Override
    public void write(Batch batch) {
        for (int c = 0; c < columns.length; c++) {
            TextColumn plain = texts.column(batch, c);
            columns[c] = isOwn[c]
                    ? notation.written(plain, batch.rowCount(), schema.field(c).type())
                    : plain;
        }
        for (row = 0; row < batch.rowCount(); row++) {
            for (int c = 0; c < columns.length; c++) {
                boolean isNull = columns[c].isNull(row);
                fields[c] = !isNull ? columns[c].text(row) : nullText.isEmpty() ? null : nullText;
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
        return bytes.count();
    }

    @Override
    public void close() {
        if (closed) {
            return;
        }
        closed = true;
        try {
            out.close();
        } catch (CharacterCodingException e) {
            throw notInEncoding(e);
        } catch (IOException e) {
            throw Io.failure("write", path, e);
        }
    }
}
