package org.unimeros;

import java.util.Arrays;
import java.util.List;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.StructColumn;
import org.unimeros.engine.record.RecordShape;

/** Objects of a single column, which is one of structs where they are records. Reads them for one thread. */
final class ObjectColumns {

    private final RecordShape.Reader<?> reader;
    /** The fields that components are read from; null for a column that is no struct. */
    private final List<Integer> fields;

    ObjectColumns(Class<?> type, DataType column, String what) {
        RecordShape<?> shape = RecordShape.of(type);
        Schema all = new Schema(
                shape.isRecord() && column instanceof DataType.Struct struct
                        ? struct.parts().stream()
                                .map(p -> Field.of(p.name(), p.type()))
                                .toList()
                        : List.of(Field.of(what, column)));
        List<Integer> order = shape.columnsIn(all);
        this.fields = shape.isRecord() ? order : null;
        this.reader = shape.reader(new Schema(order.stream().map(all::field).toList()));
    }

    void use(Column column, int rows) {
        Column[] columns = fields == null
                ? new Column[] {column}
                : fields.stream().map(((StructColumn) column)::field).toArray(Column[]::new);
        reader.use(new Batch(rows, columns), 0);
    }

    Object read(int row) {
        return reader.read(row);
    }

    /** The type of a column of objects of a class. */
    static DataType typeOf(Class<?> type) {
        RecordShape<?> shape = RecordShape.of(type);
        return shape.isRecord()
                ? new DataType.Struct(shape.schema().fields().stream()
                        .map(f -> new DataType.Struct.Part(f.name(), f.type()))
                        .toList())
                : shape.made();
    }

    /** A column of objects, of structs where they are records. */
    static Column of(RecordShape<Object> shape, Object[] objects, int n) {
        BatchBuilder builder = new BatchBuilder(shape.schema());
        long[] nulls = Bits.make(n);
        for (int i = 0; i < n; i++) {
            if (objects[i] != null) {
                shape.append(builder, 0, objects[i]);
            } else {
                Bits.set(nulls, i);
                for (int c = 0; c < shape.schema().size(); c++) {
                    builder.column(c).appendNull();
                }
            }
            builder.endRow();
        }
        Batch batch = builder.build();
        if (!shape.isRecord()) {
            return batch.column(0);
        }
        Column[] fields = new Column[batch.columnCount()];
        Arrays.setAll(fields, batch::column);
        return new StructColumn(fields, Bits.any(nulls, n) ? nulls : null);
    }
}
