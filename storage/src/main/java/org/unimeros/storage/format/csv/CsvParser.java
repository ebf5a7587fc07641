package org.unimeros.storage.format.csv;

import static java.nio.charset.StandardCharsets.UTF_8;

import de.siegmar.fastcsv.reader.AbstractBaseCsvCallbackHandler;
import de.siegmar.fastcsv.reader.CloseableIterator;
import de.siegmar.fastcsv.reader.CommentStrategy;
import de.siegmar.fastcsv.reader.CsvParseException;
import de.siegmar.fastcsv.reader.CsvReader;
import de.siegmar.fastcsv.reader.FieldMismatchStrategy;
import de.siegmar.fastcsv.reader.RecordType;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.charset.CharacterCodingException;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import org.unimeros.engine.data.Utf8;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.error.UnimerosException;
import org.unimeros.storage.format.FormatOptions;
import org.unimeros.storage.format.Io;
import org.unimeros.storage.format.LineReader;
import org.unimeros.storage.format.Piece;
import org.unimeros.storage.format.TextRecords;

/** Finds records and their fields in whole lines of a file. */
final class CsvParser implements AutoCloseable {

    /** The bytes of a batch are held until it is made, so records that are very long make smaller ones. */
    private static final int MOST_BYTES = 1 << 22;

    private final Piece lines;
    private final FormatOptions options;
    private final int columns;
    private final CsvBytes bytes;
    private final Handler handler;
    private final CsvReader<Boolean> reader;
    private final CloseableIterator<Boolean> parsed;
    /** How many lines of the file begin before the range; -1 as long as nobody has asked. */
    private long linesBefore = -1;

    /** @param columns how many there are; where there is one, an empty line is a record; 0 where that is not known */
    CsvParser(Piece lines, FormatOptions options, int columns) {
        this.lines = lines;
        this.options = options;
        this.columns = columns;
        try {
            this.bytes = new CsvBytes(lines, options.delimiter(), options.quote());
            this.handler = new Handler();
            this.reader = CsvReader.builder()
                    .fieldSeparator(options.delimiter())
                    .quoteCharacter(options.quote())
                    .commentCharacter(options.comment().orElse('#'))
                    .commentStrategy(options.comment().isPresent() ? CommentStrategy.SKIP : CommentStrategy.NONE)
                    .skipEmptyLines(false)
                    .extraFieldStrategy(FieldMismatchStrategy.IGNORE)
                    .missingFieldStrategy(FieldMismatchStrategy.IGNORE)
                    .build(handler, bytes);
            this.parsed = reader.iterator();
        } catch (IOException e) {
            throw unreadable(e);
        }
    }

    /** The fields of the next record; none at the end. */
    List<String> record() {
        List<String> found = new ArrayList<>();
        handler.texts = found;
        handler.isCareful = true;
        parse();
        handler.texts = null;
        return found;
    }

    /** Notes where fields are, for as many of the next records as make a batch; false at the end. */
    boolean parse(TextRecords records) {
        bytes.forget(Math.max(0, handler.end));
        handler.end = 0;
        handler.records = records;
        return parse();
    }

    /** Where the fields stand that were noted last. */
    byte[] bytes() {
        return bytes.bytes();
    }

    /** The line of the file that is a line of this range. */
    long line(long lineInRange) {
        linesBefore = linesBefore < 0 ? LineReader.linesBefore(lines) : linesBefore;
        return linesBefore + lineInRange;
    }

    private boolean parse() {
        try {
            boolean more = parsed.hasNext();
            if (more) {
                parsed.next();
            }
            return more;
        } catch (CsvParseException e) {
            if (e.getCause() instanceof BadData bad) {
                throw bad;
            }
            String place = lines.file() + " near line " + line(handler.line);
            throw new BadData(place + ": " + e.getMessage() + "; mend the file, or set its delimiter", e);
        } catch (UncheckedIOException e) {
            throw unreadable(e.getCause());
        }
    }

    private UnimerosException unreadable(IOException e) {
        return e instanceof CharacterCodingException
                ? new BadData(lines.file() + " is not UTF-8 text; say its encoding, for example windows-1252", e)
                : Io.failure("read", lines.file().path(), e);
    }

    /**
     * Is told of fields as they are found, in characters that are bytes. There is no other handler: the compiler of the JVM would prepare the loop in
     * which they are found for each of them, which takes a quarter longer.
     */
    private final class Handler extends AbstractBaseCsvCallbackHandler<Boolean> {
        private final ByteArrayOutputStream raw = new ByteArrayOutputStream();
        private final byte[] delimiter = String.valueOf(options.delimiter()).getBytes(UTF_8);
        private final byte quote = (byte) options.quote();
        private final byte[][] nullTexts =
                options.nullTexts().stream().map(t -> t.getBytes(UTF_8)).toArray(byte[][]::new);
        private final int longestNull =
                Arrays.stream(nullTexts).mapToInt(t -> t.length).max().orElse(0);
        private TextRecords records;
        /** The fields of a record that is read by itself; else null. */
        private List<String> texts;

        /** Whether more is to be done than to note where fields stand. */
        private boolean isCareful = true;

        private long line = 1;
        /** Behind the last field. */
        private int end;

        @Override
        protected void handleBegin(long startingLineNumber) {
            line = startingLineNumber;
        }

        @Override
        protected void handleField(int index, char[] chars, int offset, int length, boolean quoted) {
            int start = bytes.place(offset);
            end = start + length;
            if (quoted || isCareful) {
                handleCarefully(index, chars, offset, length, quoted);
            } else if (length > longestNull) {
                records.note(start, end);
            } else {
                noteShort(start, false);
            }
        }

        private void handleCarefully(int index, char[] chars, int offset, int length, boolean quoted) {
            boolean isUnclosed = quoted && bytes.isUnclosed(offset);
            int start = bytes.take(chars, offset, length);
            end = bytes.takenEnd();
            refuseUnclosed(isUnclosed && lines.isWhole());
            if (texts != null) {
                texts.add(new String(bytes.bytes(), start, end - start, UTF_8));
                return;
            }
            if (quoted && !lines.isWhole()) {
                refuseLineBreak(start);
            }
            refuseUnclosed(isUnclosed);
            if (records.keepsRaw()) {
                keep(index, start, quoted);
            }
            noteShort(start, quoted);
        }

        private void noteShort(int start, boolean quoted) {
            if (!quoted && isNull(start)) {
                records.noteNull();
            } else if (start == end) {
                records.noteEmpty();
            } else {
                records.note(start, end);
            }
        }

        private boolean isNull(int start) {
            boolean isNull = start == end;
            for (int i = 0; !isNull && i < nullTexts.length; i++) {
                isNull = Arrays.equals(bytes.bytes(), start, end, nullTexts[i], 0, nullTexts[i].length);
            }
            return isNull;
        }

        private void refuseUnclosed(boolean isUnclosed) {
            if (isUnclosed) {
                throw new BadData(
                        lines.file() + ":" + line(line) + ": a quote is opened in this record and not closed before"
                                + " the end of the file, so that all that follows would be one field; close it, or double quotes"
                                + " that are meant as such");
            }
        }

        private void refuseLineBreak(int start) {
            if (Utf8.indexOf(bytes.bytes(), start, end, (byte) '\n') >= 0) {
                throw new BadData(lines.file() + ":" + line(line) + ": a line break inside quotes, in a file that"
                        + " is read in several pieces; raise split.target above the size of the file ("
                        + lines.file().bytes() + " bytes), or write the file without such breaks");
            }
        }

        private void keep(int index, int start, boolean quoted) {
            if (index > 0) {
                raw.writeBytes(delimiter);
            }
            if (!quoted) {
                raw.write(bytes.bytes(), start, end - start);
                return;
            }
            raw.write(quote);
            for (int i = start; i < end; i++) {
                byte b = bytes.bytes()[i];
                if (b == quote) {
                    raw.write(quote);
                }
                raw.write(b);
            }
            raw.write(quote);
        }

        /** Returns null, which has the parser go on, as long as there is room for records. */
        @Override
        protected Boolean buildRecord() {
            boolean isEmpty = getRecordType() == RecordType.EMPTY;
            if (getRecordType() == RecordType.COMMENT || isEmpty && (texts != null || columns != 1)) {
                return null;
            }
            if (texts != null) {
                return Boolean.TRUE;
            }
            if (isEmpty) {
                records.noteNull();
            }
            if (records.keepsRaw()) {
                records.keep(raw.toByteArray());
                raw.reset();
            }
            records.end(line);
            isCareful = records.keepsRaw() || bytes.areTaken();
            return records.isFull() || end > MOST_BYTES ? Boolean.TRUE : null;
        }
    }

    @Override
    public void close() {
        try {
            parsed.close();
            reader.close();
        } catch (IOException e) {
            throw Io.failure("close", lines.file().path(), e);
        }
    }
}
