package org.unimeros.storage.format.json;

import com.fasterxml.jackson.core.JsonParser;
import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.core.JsonToken;
import java.io.IOException;
import java.util.Arrays;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.JsonText;
import org.unimeros.engine.data.Parse;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.source.BatchReader;
import org.unimeros.engine.source.ReadContext;
import org.unimeros.storage.format.LineReader;

/** Reads the wanted fields of each line into columns; a field that is absent is null, of a repeated one the first counts. */
final class JsonLinesReader implements BatchReader {

    private static final int SHOWN = 60;

    /** A value that does not fit its column. */
    @SuppressWarnings("serial")
    private static final class Misfit extends RuntimeException {
        Misfit(String message) {
            super(message, null, false, false);
        }
    }

    private final LineReader lines;
    private final JsonFields fields;
    private final ReadContext context;
    private final BatchBuilder rows;
    private final boolean[] seen;

    JsonLinesReader(LineReader lines, JsonFields fields, ReadContext context) {
        this.lines = lines;
        this.fields = fields;
        this.context = context;
        this.rows = fields.rows();
        this.seen = fields.seen();
    }

    @Override
    public Batch next() {
        while (rows.rowCount() < Batch.TARGET_ROWS && lines.next()) {
            if (!isBlank()) {
                readLine();
            }
        }
        return rows.rowCount() == 0 ? null : rows.build();
    }

    private boolean isBlank() {
        byte[] buffer = lines.buffer();
        int end = lines.lineStart() + lines.lineLength();
        for (int i = lines.lineStart(); i < end; i++) {
            if (buffer[i] > ' ' || buffer[i] < 0) {
                return false;
            }
        }
        return true;
    }

    private void readLine() {
        try (JsonParser parser =
                JsonLinesFormat.JSON.createParser(lines.buffer(), lines.lineStart(), lines.lineLength())) {
            if (parser.nextToken() != JsonToken.START_OBJECT) {
                throw new Misfit("expected a JSON object, but the line starts with " + parser.getText());
            }
            Arrays.fill(seen, false);
            object(parser, fields.root());
            if (parser.nextToken() != null) {
                throw new Misfit("expected one JSON object per line, but found " + parser.getText() + " behind it");
            }
            for (int c = 0; c < seen.length; c++) {
                if (!seen[c]) {
                    rows.column(c).appendNull();
                }
            }
            rows.endRow();
        } catch (JsonProcessingException e) {
            bad("broken JSON at column " + e.getLocation().getColumnNr() + ": " + e.getOriginalMessage());
        } catch (Misfit e) {
            bad(e.getMessage());
        } catch (IOException e) {
            throw new IllegalStateException("reading from memory failed", e);
        }
    }

    private void bad(String what) {
        rows.dropOpenRow();
        String advice = "; mend the line, or leave such records out with --on-bad-record skip";
        context.badRecord(new BadData(lines.place() + ": " + what + advice), lines.copyLine());
    }

    private void object(JsonParser parser, JsonFields.Node node) throws IOException {
        for (String field = parser.nextFieldName(); field != null; field = parser.nextFieldName()) {
            JsonToken token = parser.nextToken();
            JsonFields.Node child = node.children.get(field);
            if (child == null) {
                parser.skipChildren();
            } else if (token == JsonToken.START_OBJECT && !child.children.isEmpty()) {
                object(parser, child);
            } else if (child.column >= 0 && !seen[child.column]) {
                value(parser, child.column, fields.column(child.column).type(), rows.column(child.column));
                seen[child.column] = true;
            } else {
                parser.skipChildren();
            }
        }
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
        boolean readable = token == JsonToken.VALUE_STRING || token.isNumeric() && type.isNumeric();
        boolean nested = type instanceof DataType.ListOf || type instanceof DataType.Struct;
        Object value = readable && !nested ? Parse.value(parser.getText(), type).orElse(null) : null;
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
        DataType whole = fields.column(column).type();
        String place = whole.equals(type) ? " is " + type : " is " + whole + " with " + type + " inside";
        return new Misfit("column " + fields.column(column).name() + place + ", but the value is "
                + (parser.currentToken() == JsonToken.VALUE_STRING ? "'" + shown + "'" : shown));
    }

    @Override
    public void close() {
        lines.close();
    }
}
