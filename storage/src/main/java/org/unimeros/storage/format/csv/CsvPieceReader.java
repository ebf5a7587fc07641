package org.unimeros.storage.format.csv;

import static java.nio.charset.StandardCharsets.UTF_8;

import de.siegmar.fastcsv.reader.AbstractBaseCsvCallbackHandler;
import de.siegmar.fastcsv.reader.CloseableIterator;
import de.siegmar.fastcsv.reader.CsvParseException;
import de.siegmar.fastcsv.reader.CsvReader;
import de.siegmar.fastcsv.reader.FieldMismatchStrategy;
import de.siegmar.fastcsv.reader.RecordType;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.util.Arrays;
import java.util.List;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.FieldParser;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.source.BatchReader;
import org.unimeros.engine.source.ReadContext;
import org.unimeros.storage.format.ColumnSpec;
import org.unimeros.storage.format.FormatOptions;
import org.unimeros.storage.format.Io;
import org.unimeros.storage.format.LineReader;
import org.unimeros.storage.format.Piece;

/**
 * Reads the records of a piece. A file that is cut into pieces must not have line breaks inside quotes: the piece in
 * which such a record begins finds the break and fails, so that no record is ever read in halves.
 */
final class CsvPieceReader implements BatchReader {

    private static final int SHOWN = 60;

    /**
     * Where the values of a field go.
     *
     * @param hasEmptyValue whether nothing in quotes is a value
     */
    private record Target(String name, DataType type, FieldParser.Form form, boolean hasEmptyValue, ColumnBuilder to) {
        static Target of(ColumnSpec column, ColumnBuilder to) {
            DataType type = column.type();
            boolean hasEmptyValue = type == DataType.TEXT || type == DataType.BYTES;
            return new Target(column.name(), type, FieldParser.Form.of(type), hasEmptyValue, to);
        }
    }

    private final Piece piece;
    private final Piece range;
    private final List<ColumnSpec> columns;
    private final FormatOptions options;
    private final ReadContext context;
    private final BatchBuilder rows;
    /** By field; null where no column is read from it. */
    private final Target[] targets;

    private final int[] absent;
    private final CsvReader<Boolean> reader;
    private final CloseableIterator<Boolean> records;
    private boolean skipping;
    private long handlerLine = 1;

    CsvPieceReader(Piece piece, List<ColumnSpec> columns, FormatOptions options, ReadContext context) {
        this.piece = piece;
        this.range = CsvRange.lines(piece);
        this.columns = columns;
        this.options = options;
        this.context = context;
        this.rows = new BatchBuilder(columns.stream().map(ColumnSpec::type).toList());
        List<String> header = CsvFormat.header(piece.file(), options);
        this.targets = new Target[header.size()];
        this.absent = match(header);
        try {
            long length = piece.file().isGzip() ? Long.MAX_VALUE : range.bytes();
            this.reader = CsvReader.builder()
                    .fieldSeparator(options.delimiter())
                    .skipEmptyLines(true)
                    .extraFieldStrategy(FieldMismatchStrategy.IGNORE)
                    .missingFieldStrategy(FieldMismatchStrategy.IGNORE)
                    .build(new Handler(), CsvRange.reader(piece.file(), range.start(), length));
        } catch (IOException e) {
            throw CsvRange.unreadable(piece.file(), e);
        }
        this.records = reader.iterator();
        if (options.header() && range.start() == 0) {
            skipHeader();
        }
    }

    /** Finds the field of each column by name; returns the columns that this file lacks. */
    private int[] match(List<String> header) {
        int[] missing = new int[columns.size()];
        int n = 0;
        for (int c = 0; c < columns.size(); c++) {
            int field = find(header, columns.get(c).path());
            if (field >= 0) {
                targets[field] = Target.of(columns.get(c), rows.column(c));
            } else {
                missing[n++] = c;
                context.warn("column " + columns.get(c).name() + " is absent in some files and null there, first in "
                        + piece.file());
            }
        }
        return Arrays.copyOf(missing, n);
    }

    private static int find(List<String> header, String name) {
        int exact = header.indexOf(name);
        for (int i = 0; exact < 0 && i < header.size(); i++) {
            if (header.get(i).strip().equalsIgnoreCase(name)) {
                return i;
            }
        }
        return exact;
    }

    private void skipHeader() {
        skipping = true;
        advance();
        skipping = false;
    }

    @Override
    public Batch next() {
        while (rows.rowCount() < Batch.TARGET_ROWS && advance()) {
            // the handler has appended the record
        }
        return rows.rowCount() == 0 ? null : rows.build();
    }

    private boolean advance() {
        try {
            if (!records.hasNext()) {
                return false;
            }
            records.next();
            return true;
        } catch (CsvParseException e) {
            if (e.getCause() instanceof BadData bad) {
                throw bad;
            }
            throw new BadData(
                    piece.file() + " near line " + (line(handlerLine)) + ": " + e.getMessage()
                            + "; mend the file, or set its delimiter",
                    e);
        } catch (UncheckedIOException e) {
            throw CsvRange.unreadable(piece.file(), e.getCause());
        }
    }

    private long line(long lineInRange) {
        return LineReader.linesBefore(range) + lineInRange;
    }

    /** Appends fields as they are parsed; a record that does not fit is dropped as a whole. */
    private final class Handler extends AbstractBaseCsvCallbackHandler<Boolean> {
        private final FieldParser parser = new FieldParser();
        private final StringBuilder raw = new StringBuilder();
        private final boolean isCut = !piece.isWhole();
        private final boolean keepsRaw = context.keepsBadRecords();
        private final char[] nullText = options.nullText().toCharArray();
        private String problem;

        @Override
        protected void handleBegin(long startingLineNumber) {
            handlerLine = startingLineNumber;
            problem = null;
            raw.setLength(0);
        }

        @Override
        protected void handleField(int index, char[] chars, int offset, int length, boolean quoted) {
            if (skipping) {
                return;
            }
            if (quoted && isCut) {
                refuseLineBreak(chars, offset, length);
            }
            if (keepsRaw) {
                keep(index, chars, offset, length, quoted);
            }
            Target target = index < targets.length ? targets[index] : null;
            if (target != null && problem == null) {
                append(target, chars, offset, length, quoted);
            }
        }

        private void append(Target target, char[] chars, int offset, int length, boolean quoted) {
            boolean isNull = length == 0 && !(quoted && target.hasEmptyValue)
                    || !quoted && length == nullText.length && isNullText(chars, offset);
            if (isNull) {
                target.to.appendNull();
            } else if (!parser.append(chars, offset, length, target.form, target.type, target.to)) {
                String value = new String(chars, offset, Math.min(length, SHOWN)) + (length > SHOWN ? "…" : "");
                problem = "column " + target.name + " is " + target.type + ", but the value is '" + value + "'";
            }
        }

        private boolean isNullText(char[] chars, int offset) {
            return Arrays.equals(chars, offset, offset + nullText.length, nullText, 0, nullText.length);
        }

        private void refuseLineBreak(char[] chars, int offset, int length) {
            for (int i = offset; i < offset + length; i++) {
                if (chars[i] == '\n') {
                    throw new BadData(
                            piece.file() + ":" + line(handlerLine) + ": a line break inside quotes, in a file that"
                                    + " is read in several pieces; raise split.target above the size of the file ("
                                    + piece.file().bytes() + " bytes), or write the file without such breaks");
                }
            }
        }

        private void keep(int index, char[] chars, int offset, int length, boolean quoted) {
            if (index > 0) {
                raw.append(options.delimiter());
            }
            String field = new String(chars, offset, length);
            raw.append(quoted ? '"' + field.replace("\"", "\"\"") + '"' : field);
        }

        @Override
        protected Boolean buildRecord() {
            if (skipping || getRecordType() != RecordType.DATA) {
                return Boolean.TRUE;
            }
            int fields = getFieldCount();
            if (problem == null && fields != targets.length) {
                problem = "found " + fields + (fields == 1 ? " field" : " fields") + ", but the file has "
                        + targets.length + " columns";
            }
            if (problem != null) {
                rows.dropOpenRow();
                String advice = "; mend the record, declare the column's type, or use --on-bad-record skip";
                context.badRecord(
                        new BadData(piece.file() + ":" + line(getStartingLineNumber()) + ": " + problem + advice),
                        raw.toString().getBytes(UTF_8));
                return Boolean.FALSE;
            }
            for (int column : absent) {
                rows.column(column).appendNull();
            }
            rows.endRow();
            return Boolean.TRUE;
        }
    }

    @Override
    public void close() {
        try {
            records.close();
            reader.close();
        } catch (IOException e) {
            throw Io.failure("close", piece.file().path(), e);
        }
    }
}
