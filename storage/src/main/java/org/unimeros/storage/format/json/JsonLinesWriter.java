package org.unimeros.storage.format.json;

import com.fasterxml.jackson.core.JsonEncoding;
import com.fasterxml.jackson.core.JsonFactory;
import com.fasterxml.jackson.core.JsonFactoryBuilder;
import com.fasterxml.jackson.core.JsonGenerator;
import com.fasterxml.jackson.core.SerializableString;
import com.fasterxml.jackson.core.io.SerializedString;
import java.io.IOException;
import java.util.ArrayList;
import java.util.List;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BooleanColumn;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.JsonText;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.data.Values;
import org.unimeros.storage.format.AsText;
import org.unimeros.storage.format.CountingOutput;
import org.unimeros.storage.format.FileWriter;
import org.unimeros.storage.format.Io;
import org.unimeros.storage.store.StorePath;

/** Writes one object per row; dotted column names become nested objects, nulls are left out. */
final class JsonLinesWriter implements FileWriter {

    /** Ends a line between objects; the last one is ended when the file is finished. */
    private static final JsonFactory LINES =
            new JsonFactoryBuilder().rootValueSeparator("\n").build();

    /** A field of the objects that are written. */
    private sealed interface Part {
        SerializableString name();
    }

    /** One with the values of a column. */
    private record Leaf(SerializableString name, int column, Form form) implements Part {}

    /** One with an object of further fields. */
    private record Inner(SerializableString name, List<Part> parts) implements Part {
        Inner(String name) {
            this(new SerializedString(name), new ArrayList<>());
        }

        private Inner child(String field) {
            for (Part part : parts) {
                if (part instanceof Inner inner && inner.name().getValue().equals(field)) {
                    return inner;
                }
            }
            Inner child = new Inner(field);
            parts.add(child);
            return child;
        }

        /**
         * Adds a column as a field of its own, or of an object that the name up to a dot stands for unless that is a column itself.
         *
         * @param from where the part of the name begins that belongs here
         */
        void add(Schema schema, int column, int from) {
            String name = schema.field(column).name();
            int dot = name.indexOf('.', from);
            if (dot <= from || schema.names().contains(name.substring(0, dot))) {
                Form form = Form.of(schema.field(column).type());
                parts.add(new Leaf(new SerializedString(name.substring(from)), column, form));
            } else {
                child(name.substring(from, dot)).add(schema, column, dot + 1);
            }
        }
    }

    /** How the values of a column are written. */
    private enum Form {
        INT,
        LONG,
        BOOLEAN,
        /** As text in quotes. */
        TEXT,
        /** As text without quotes. */
        NUMBER,
        /** By the rules for single values. */
        OTHER;

        static Form of(DataType type) {
            return switch (type) {
                case DataType.Simple.INT -> INT;
                case DataType.Simple.LONG -> LONG;
                case DataType.Simple.BOOLEAN -> BOOLEAN;
                case DataType.Simple.TEXT, DataType.Simple.DATE, DataType.Simple.TIMESTAMP -> TEXT;
                case DataType.Decimal d -> NUMBER;
                default -> OTHER;
            };
        }
    }

    private final StorePath path;
    private final Schema schema;
    private final AsText texts;
    private final CountingOutput bytes;
    private final JsonGenerator out;
    private final Inner row = new Inner("");
    private boolean hasRows;

    JsonLinesWriter(StorePath path, Schema schema) {
        this.path = path;
        this.schema = schema;
        this.texts = new AsText(schema);
        for (int c = 0; c < schema.size(); c++) {
            row.add(schema, c, 0);
        }
        try {
            bytes = Io.create(path);
            out = LINES.createGenerator(bytes, JsonEncoding.UTF8);
        } catch (IOException e) {
            throw Io.failure("write", path, e);
        }
    }

    @Override
    public void write(Batch batch) {
        Column[] columns = new Column[batch.columnCount()];
        for (int c = 0; c < columns.length; c++) {
            Form form = Form.of(schema.field(c).type());
            boolean isText = form == Form.TEXT || form == Form.NUMBER;
            columns[c] = isText ? texts.column(batch, c) : batch.column(c);
        }
        try {
            for (int i = 0; i < batch.rowCount(); i++) {
                object(row, columns, i);
            }
            hasRows |= batch.rowCount() > 0;
        } catch (IOException e) {
            throw Io.failure("write", path, e);
        }
    }

    private void object(Inner node, Column[] columns, int row) throws IOException {
        out.writeStartObject();
        for (Part part : node.parts()) {
            switch (part) {
                case Inner inner -> {
                    out.writeFieldName(inner.name());
                    object(inner, columns, row);
                }
                case Leaf leaf -> {
                    Column column = columns[leaf.column()];
                    if (!column.isNull(row)) {
                        out.writeFieldName(leaf.name());
                        value(leaf, column, row);
                    }
                }
            }
        }
        out.writeEndObject();
    }

    private void value(Leaf leaf, Column column, int row) throws IOException {
        switch (leaf.form()) {
            case INT -> out.writeNumber(((IntColumn) column).values()[row]);
            case LONG -> out.writeNumber(((LongColumn) column).values()[row]);
            case BOOLEAN -> out.writeBoolean(((BooleanColumn) column).value(row));
            case TEXT -> {
                TextColumn text = (TextColumn) column;
                out.writeUTF8String(text.bytes(), text.start(row), text.end(row) - text.start(row));
            }
            case NUMBER -> out.writeNumber(((TextColumn) column).text(row));
            case OTHER ->
                JsonText.write(
                        Values.get(column, row, schema.field(leaf.column()).type()), out);
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
        try {
            if (hasRows) {
                out.writeRaw('\n');
            }
        } catch (IOException e) {
            throw Io.failure("write", path, e);
        }
        close();
        return bytes.count();
    }

    @Override
    public void close() {
        try {
            out.close();
        } catch (IOException e) {
            throw Io.failure("write", path, e);
        }
    }
}
