package org.unimeros.storage.format.json;

import com.fasterxml.jackson.core.JsonParser;
import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.core.JsonToken;
import java.io.IOException;
import java.util.regex.Pattern;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.JsonText;
import org.unimeros.engine.data.Parse;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.source.BadRecord;
import org.unimeros.engine.source.BatchReader;
import org.unimeros.engine.source.ReadContext;
import org.unimeros.storage.format.LineReader;

/** Reads the wanted fields of each line into columns; a field that is absent is null, of a repeated one the first counts. */
final class JsonLinesReader implements BatchReader {

    private static final int SHOWN = 60;
    private static final byte[] NOT_KEPT = {};
    /** What the library says of where something began that has no end, as if the line were all there is. */
    private static final Pattern START_MARKER = Pattern.compile(" \\(start marker at \\[Source: [^]]*]\\)");

    /** A value that does not fit its column. */
    @SuppressWarnings("serial")
    private static final class Misfit extends RuntimeException {
        Misfit(String message) {
            super(message, null, false, false);
        }
    }

    private final LineReader lines;
    private final JsonRecords records;
    private final ReadContext context;
    private boolean atEnd;
    /** Goes on from line to line as long as nothing is wrong, since it takes long to make one; null where the next line needs another. */
    private JsonParser parser;
    /** Where in the buffer it began, and how often that had been filled. */
    private int parserStart;

    private int fills;

    JsonLinesReader(LineReader lines, JsonRecords records, ReadContext context) {
        this.lines = lines;
        this.records = records;
        this.context = context;
    }

    @Override
    public Batch next() {
        Batch batch = null;
        while (!atEnd && (batch == null || batch.rowCount() == 0)) {
            batch = parsed();
        }
        return batch == null || batch.rowCount() == 0 ? null : batch;
    }

    private Batch parsed() {
        try {
            while (!atEnd && !records.isFull()) {
                atEnd = !lines.next();
                if (!atEnd && !isBlank()) {
                    readLine();
                }
            }
        } catch (BadData e) {
            // What is wrong further up in a file is told first.
            records.build(this::tell);
            throw e;
        }
        return records.build(this::tell);
    }

    private void tell(String problem, long line, byte[] raw) {
        String advice = "; mend the line, or leave such records out: set bad-records to skip";
        context.badRecord(new BadRecord(lines.file(), lines.lineInFile(line), problem, raw), advice);
    }

    private boolean isBlank() {
        byte[] buffer = lines.buffer();
        int end = lines.lineStart() + lines.lineLength();
        for (int i = lines.lineStart(); i < end; i++) {
            // A file of zeros, as a crash can leave, is no file of empty lines.
            if (buffer[i] != ' ' && buffer[i] != '\t' && buffer[i] != '\r') {
                return false;
            }
        }
        return true;
    }

    private void readLine() {
        try {
            if (!isReadOn()) {
                records.drop();
                readAlone();
            }
        } catch (IOException e) {
            throw new IllegalStateException("reading from memory failed", e);
        }
    }

    /** Reads the line by the parser of the lines before it; false where that cannot be done, for whatever reason. */
    private boolean isReadOn() throws IOException {
        boolean isWhole = false;
        try {
            if (parser == null || fills != lines.fills()) {
                startParser();
            }
            if (parser.nextToken() == JsonToken.START_OBJECT) {
                record(parser);
                isWhole = isAtLineEnd();
            }
        } catch (JsonProcessingException | Misfit e) {
            // Reading the line alone tells what is wrong with it.
            isWhole = false;
        }
        if (isWhole) {
            endRecord();
        } else {
            closeParser();
        }
        return isWhole;
    }

    private void startParser() throws IOException {
        closeParser();
        parserStart = lines.lineStart();
        fills = lines.fills();
        parser = JsonLinesFormat.JSON.createParser(lines.buffer(), parserStart, lines.filled() - parserStart);
    }

    private void closeParser() throws IOException {
        if (parser != null) {
            parser.close();
            parser = null;
        }
    }

    /** Whether the parser is in the line still, with nothing but blanks before its end. */
    private boolean isAtLineEnd() {
        long at = parserStart + parser.currentLocation().getByteOffset();
        int end = lines.lineStart() + lines.lineLength();
        byte[] buffer = lines.buffer();
        while (at < end && (buffer[(int) at] == ' ' || buffer[(int) at] == '\t' || buffer[(int) at] == '\r')) {
            at++;
        }
        return at == end;
    }

    private void readAlone() throws IOException {
        try (JsonParser alone =
                JsonLinesFormat.JSON.createParser(lines.buffer(), lines.lineStart(), lines.lineLength())) {
            if (alone.nextToken() != JsonToken.START_OBJECT) {
                throw new Misfit("expected a JSON object, but the line starts with " + alone.getText());
            }
            record(alone);
            if (alone.nextToken() != null) {
                throw new Misfit("expected one JSON object per line, but found " + alone.getText() + " behind it");
            }
            endRecord();
        } catch (JsonProcessingException e) {
            String what = START_MARKER.matcher(e.getOriginalMessage()).replaceFirst("");
            String place = e.getLocation() == null
                    ? ""
                    : " at column " + e.getLocation().getColumnNr();
            refuse("broken JSON" + place + ": " + what);
        } catch (Misfit e) {
            refuse(e.getMessage());
        }
    }

    private void record(JsonParser from) throws IOException {
        records.open();
        object(from, records.root());
    }

    private void endRecord() {
        records.end(lines.lineNumber(), raw());
    }

    private void refuse(String problem) {
        records.drop();
        records.refuse(problem, lines.lineNumber(), raw());
    }

    private byte[] raw() {
        return records.keepsRaw() ? lines.copyLine() : NOT_KEPT;
    }

    private void object(JsonParser from, JsonRecords.Node node) throws IOException {
        int place = 0;
        for (String field = from.nextFieldName(); field != null; field = from.nextFieldName()) {
            JsonToken token = from.nextToken();
            JsonRecords.Node child = node.child(field, place++);
            if (child == null) {
                from.skipChildren();
            } else if (token == JsonToken.START_OBJECT && child.hasChildren()) {
                object(from, child);
            } else if (child.column() >= 0 && records.sees(child.column())) {
                column(from, token, child.column());
            } else {
                from.skipChildren();
            }
        }
    }

    private void column(JsonParser from, JsonToken token, int column) throws IOException {
        ColumnBuilder builder = records.builder(column);
        DataType type = records.column(column).type();
        if (builder != null) {
            value(from, column, type, builder);
        } else if (token == JsonToken.VALUE_NULL) {
            // Columns that are read from texts are null where they have none.
            return;
        } else if (type == DataType.TEXT && !token.isScalarValue()) {
            records.take(column, JsonText.copy(from), true);
        } else if (type == DataType.TEXT || isReadable(token, type)) {
            records.take(
                    column,
                    from.getTextCharacters(),
                    from.getTextOffset(),
                    from.getTextLength(),
                    token != JsonToken.VALUE_STRING);
        } else {
            throw misfit(from, type, column);
        }
    }

    private static boolean isReadable(JsonToken token, DataType type) {
        return token == JsonToken.VALUE_STRING || token.isNumeric() && type.isNumeric();
    }

    private void value(JsonParser parser, int column, DataType type, ColumnBuilder builder) throws IOException {
        JsonToken token = parser.currentToken();
        if (token == JsonToken.VALUE_NULL) {
            builder.appendNull();
            return;
        }
        boolean isWhole = token == JsonToken.VALUE_NUMBER_INT;
        if (type == DataType.TEXT) {
            text(parser, token, builder);
        } else if (type == DataType.LONG && isWhole) {
            builder.appendLong(whole(parser, type, column));
        } else if (type == DataType.INT && isWhole) {
            builder.appendInt(int32(parser, column));
        } else if (type == DataType.DOUBLE && token.isNumeric()) {
            builder.appendDouble(parser.getDoubleValue());
        } else if (type == DataType.BOOLEAN && token.isBoolean()) {
            builder.appendBoolean(parser.getBooleanValue());
        } else if (type instanceof DataType.ListOf list && token == JsonToken.START_ARRAY) {
            while (parser.nextToken() != JsonToken.END_ARRAY) {
                value(parser, column, list.element(), builder.elements());
            }
            builder.endList();
        } else if (type instanceof DataType.Struct struct && token == JsonToken.START_OBJECT) {
            struct(parser, column, struct, builder);
        } else {
            Values.append(builder, other(parser, column, type));
        }
    }

    private void struct(JsonParser parser, int column, DataType.Struct type, ColumnBuilder builder) throws IOException {
        boolean[] found = new boolean[type.parts().size()];
        for (String field = parser.nextFieldName(); field != null; field = parser.nextFieldName()) {
            parser.nextToken();
            int index = type.indexOf(field);
            if (index < 0 || found[index]) {
                parser.skipChildren();
            } else {
                found[index] = true;
                value(parser, column, type.parts().get(index).type(), builder.field(index));
            }
        }
        for (int i = 0; i < found.length; i++) {
            if (!found[i]) {
                builder.field(i).appendNull();
            }
        }
        builder.endStruct();
    }

    /** Values of the rarer kinds, and those written as text. */
    private Object other(JsonParser parser, int column, DataType type) throws IOException {
        JsonToken token = parser.currentToken();
        boolean nested = type instanceof DataType.ListOf || type instanceof DataType.Struct;
        Object value = isReadable(token, type) && !nested
                ? Parse.value(parser.getText(), type).orElse(null)
                : null;
        if (value == null) {
            throw misfit(parser, type, column);
        }
        return value;
    }

    private int int32(JsonParser parser, int column) throws IOException {
        long value = whole(parser, DataType.INT, column);
        if (value != (int) value) {
            throw misfit(parser, DataType.INT, column);
        }
        return (int) value;
    }

    private long whole(JsonParser parser, DataType type, int column) throws IOException {
        if (parser.getNumberType() == JsonParser.NumberType.BIG_INTEGER) {
            throw misfit(parser, type, column);
        }
        return parser.getLongValue();
    }

    /** Text as it stands; numbers as written; objects and lists as JSON. */
    private static void text(JsonParser parser, JsonToken token, ColumnBuilder builder) throws IOException {
        if (token.isScalarValue()) {
            builder.appendText(parser.getText());
            return;
        }
        builder.appendText(JsonText.copy(parser));
    }

    private Misfit misfit(JsonParser parser, DataType type, int column) throws IOException {
        String value = parser.currentToken().isScalarValue() ? parser.getText() : JsonText.copy(parser);
        String shown = value.length() > SHOWN ? value.substring(0, SHOWN) + "…" : value;
        DataType whole = records.column(column).type();
        String place = whole.equals(type) ? " is " + type : " is " + whole + " with " + type + " inside";
        return new Misfit("column " + records.column(column).name() + place + ", but the value is "
                + (parser.currentToken() == JsonToken.VALUE_STRING ? "'" + shown + "'" : shown));
    }

    @Override
    public void close() {
        // What the parser holds goes to the next one, and a file that cannot be closed is told of all the same.
        try (lines) {
            closeParser();
        } catch (IOException e) {
            throw new IllegalStateException("closing what is in memory failed", e);
        }
    }
}
