package org.unimeros.storage.format.parquet;

import java.nio.ByteBuffer;
import org.apache.parquet.column.ColumnWriter;
import org.apache.parquet.io.api.Binary;
import org.unimeros.engine.data.BooleanColumn;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DoubleColumn;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.ListColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.StructColumn;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.data.WideColumn;

/**
 * Writes the values of one column of the file, which a column of rows holds directly or inside its lists and structs.
 * Repetition and definition levels are those of the Dremel encoding (S. Melnik et al., "Dremel: interactive analysis of
 * web-scale datasets", 2010): every field is optional, a list is an optional group around a repeated one.
 */
final class LeafWriter {

    private final int[] path;
    private final boolean isFloat;
    private final byte[] wide = new byte[ParquetTypes.WIDE_BYTES];

    /**
     * @param type of the values
     * @param path the number of the field in each struct on the way to them
     */
    LeafWriter(DataType type, int... path) {
        this.path = path.clone();
        this.isFloat = type == DataType.FLOAT;
    }

    void write(Column column, int from, int end, ColumnWriter writer) {
        boolean nested = column instanceof ListColumn || column instanceof StructColumn;
        for (int row = from; row < end; row++) {
            if (nested) {
                write(column, row, 0, 0, 0, 0, writer);
            } else if (column.isNull(row)) {
                writer.writeNull(0, 0);
            } else {
                value(column, row, 0, 1, writer);
            }
        }
    }

    /**
     * @param depth how many lists are around
     * @param at how many structs are around
     */
    private void write(Column column, int row, int repetition, int definition, int depth, int at, ColumnWriter writer) {
        if (column.isNull(row)) {
            writer.writeNull(repetition, definition);
        } else if (column instanceof StructColumn struct) {
            write(struct.field(path[at]), row, repetition, definition + 1, depth, at + 1, writer);
        } else if (column instanceof ListColumn list) {
            if (list.length(row) == 0) {
                writer.writeNull(repetition, definition + 1);
            }
            for (int i = list.start(row); i < list.end(row); i++) {
                int level = i == list.start(row) ? repetition : depth + 1;
                write(list.elements(), i, level, definition + 2, depth + 1, at, writer);
            }
        } else {
            value(column, row, repetition, definition + 1, writer);
        }
    }

    private void value(Column column, int row, int repetition, int definition, ColumnWriter writer) {
        switch (column) {
            case IntColumn c -> writer.write(c.values()[row], repetition, definition);
            case LongColumn c -> writer.write(c.values()[row], repetition, definition);
            case DoubleColumn c -> {
                if (isFloat) {
                    writer.write((float) c.values()[row], repetition, definition);
                } else {
                    writer.write(c.values()[row], repetition, definition);
                }
            }
            case BooleanColumn c -> writer.write(c.value(row), repetition, definition);
            case TextColumn c -> {
                int start = c.start(row);
                Binary value = Binary.fromReusedByteArray(c.bytes(), start, c.end(row) - start);
                writer.write(value, repetition, definition);
            }
            case WideColumn c -> {
                ByteBuffer.wrap(wide).putLong(c.high()[row]).putLong(c.low()[row]);
                writer.write(Binary.fromReusedByteArray(wide), repetition, definition);
            }
            case ListColumn c -> throw new IllegalStateException("a list is not a value");
            case StructColumn c -> throw new IllegalStateException("a struct is not a value");
        }
    }
}
