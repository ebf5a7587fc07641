package org.unimeros.storage.format.json;

import com.fasterxml.jackson.core.JsonEncoding;
import com.fasterxml.jackson.core.JsonGenerator;
import com.fasterxml.jackson.core.util.MinimalPrettyPrinter;
import java.io.BufferedOutputStream;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.LinkedHashMap;
import java.util.Map;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.JsonText;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.data.Values;
import org.unimeros.storage.format.FileWriter;
import org.unimeros.storage.format.Io;

/** Writes one object per row; dotted column names become nested objects, nulls are left out. */
final class JsonLinesWriter implements FileWriter {

    private final Path path;
    private final Schema schema;
    private final JsonGenerator out;
    private final Map<String, Object> tree = new LinkedHashMap<>();

    JsonLinesWriter(Path path, Schema schema) {
        this.path = path;
        this.schema = schema;
        for (int c = 0; c < schema.size(); c++) {
            put(tree, schema.field(c).name(), c);
        }
        try {
            out = JsonLinesFormat.JSON.createGenerator(
                    new BufferedOutputStream(Files.newOutputStream(path), 1 << 16), JsonEncoding.UTF8);
            out.setPrettyPrinter(new MinimalPrettyPrinter(""));
        } catch (IOException e) {
            throw Io.failure("write", path, e);
        }
    }

    /** The tree has column numbers as leaves and maps as inner nodes. */
    @SuppressWarnings("unchecked")
    private static void put(Map<String, Object> node, String name, int column) {
        int dot = name.indexOf('.');
        if (dot <= 0 || node.get(name.substring(0, dot)) instanceof Integer) {
            node.put(name, column);
            return;
        }
        Object child = node.computeIfAbsent(name.substring(0, dot), n -> new LinkedHashMap<String, Object>());
        put((Map<String, Object>) child, name.substring(dot + 1), column);
    }

    @Override
    public void write(Batch batch) {
        try {
            for (int row = 0; row < batch.rowCount(); row++) {
                object(tree, batch, row);
                out.writeRaw('\n');
            }
        } catch (IOException e) {
            throw Io.failure("write", path, e);
        }
    }

    @SuppressWarnings("unchecked")
    private void object(Map<String, Object> node, Batch batch, int row) throws IOException {
        out.writeStartObject();
        for (Map.Entry<String, Object> field : node.entrySet()) {
            if (field.getValue() instanceof Integer column) {
                if (!batch.column(column).isNull(row)) {
                    out.writeFieldName(field.getKey());
                    value(batch.column(column), row, schema.field(column).type());
                }
            } else {
                out.writeFieldName(field.getKey());
                object((Map<String, Object>) field.getValue(), batch, row);
            }
        }
        out.writeEndObject();
    }

    private void value(Column column, int row, DataType type) throws IOException {
        if (type == DataType.TEXT) {
            out.writeString(((TextColumn) column).text(row));
        } else {
            JsonText.write(Values.get(column, row, type), out);
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
        try {
            out.close();
        } catch (IOException e) {
            throw Io.failure("write", path, e);
        }
    }
}
