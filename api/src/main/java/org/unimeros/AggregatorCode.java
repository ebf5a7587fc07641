package org.unimeros;

import java.io.Serializable;
import java.util.Arrays;
import java.util.List;
import org.unimeros.code.Aggregator;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.StructColumn;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.own.AggregateCode;
import org.unimeros.engine.own.OwnCode;
import org.unimeros.engine.own.TaskScope;
import org.unimeros.engine.record.RecordShape;

/** An aggregate of the job, whose states are objects while they are added to and columns while they travel. */
record AggregatorCode(OwnCode<Definition> code, String name, DataType stateType) implements AggregateCode {

    /** The aggregate as it travels. */
    record Definition(Aggregator<?, ?, ?> code, Class<?> argument, Class<?> state, Class<?> result)
            implements Serializable {}

    static AggregatorCode of(
            String name, Aggregator<?, ?, ?> code, Class<?> argument, Class<?> state, Class<?> result) {
        OwnCode.require(code, "the aggregate " + name);
        Definition definition = new Definition(code, argument, state, result);
        return new AggregatorCode(OwnCode.of(definition, "the aggregate " + name), name, typeOf(state));
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

    @Override
    public Running open(TaskScope scope, DataType argument) {
        Definition definition = code.open(Definition.class, scope.files());
        try {
            definition.code.setUp(new ScopeContext(scope));
        } catch (Exception e) {
            throw OwnFailure.of(name, null, e);
        }
        return new Opened(definition, name, argument, stateType);
    }

    private record Opened(Definition definition, String name, DataType argument, DataType stateType)
            implements Running {

        @Override
        public States states() {
            return new Groups(this);
        }

        @Override
        public void close() {
            try {
                definition.code.cleanUp();
            } catch (Exception e) {
                throw OwnFailure.of(name, null, e);
            }
        }
    }

    /** Reads objects of a column, of a struct where they are records. */
    private static final class Objects {
        private final RecordShape.Reader<?> reader;
        /** The fields that components are read from; null for a column that is no struct. */
        private final List<Integer> fields;

        Objects(Class<?> type, DataType column, String what) {
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
    }

    /** A column of objects, of structs where they are records. */
    private static Column column(RecordShape<Object> shape, Object[] objects, int n) {
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

    private static final class Groups implements States {
        private static final int SAMPLE = 32;
        /** Objects take more room than the columns that they make. */
        private static final int OBJECT_FACTOR = 4;

        private static final int POINTER_BYTES = 16;

        private final String name;
        private final Aggregator<Object, Object, Object> code;
        private final Objects values;
        private final Objects travelled;
        private final RecordShape<Object> stateShape;
        private final RecordShape<Object> resultShape;
        private Object[] states = new Object[16];
        private int groups;
        /** Values added since the size of a state was estimated. */
        private long sinceEstimate;

        private long estimate = POINTER_BYTES;

        @SuppressWarnings("unchecked")
        Groups(Opened opened) {
            this.name = opened.name;
            this.code = (Aggregator<Object, Object, Object>) opened.definition.code;
            this.values = new Objects(opened.definition.argument, opened.argument, "the argument of " + name);
            this.travelled = new Objects(opened.definition.state, opened.stateType, "the state of " + name);
            this.stateShape = (RecordShape<Object>) RecordShape.of(opened.definition.state);
            this.resultShape = (RecordShape<Object>) RecordShape.of(opened.definition.result);
        }

        @Override
        public void reserve(int wanted) {
            groups = Math.max(groups, wanted);
            if (wanted > states.length) {
                states = Arrays.copyOf(states, Math.max(wanted, 2 * states.length));
            }
        }

        @Override
        public void add(int[] groupOfRow, int rows, Column column) {
            values.use(column, rows);
            for (int row = 0; row < rows; row++) {
                if (!column.isNull(row)) {
                    add(groupOfRow[row], values.read(row));
                }
            }
            sinceEstimate += rows;
        }

        private void add(int group, Object value) {
            Object before = states[group];
            try {
                states[group] = present(code.add(before == null ? present(code.start()) : before, value));
            } catch (Exception e) {
                throw OwnFailure.of(name, value, e);
            }
        }

        private Object present(Object state) {
            if (state == null) {
                throw new UserMistake("the aggregate " + name + " gives no state; null is none");
            }
            return state;
        }

        @Override
        public void merge(int[] groupOfRow, int rows, Column column) {
            travelled.use(column, rows);
            for (int row = 0; row < rows; row++) {
                if (!column.isNull(row)) {
                    int group = groupOfRow[row];
                    Object other = travelled.read(row);
                    try {
                        states[group] = states[group] == null ? other : present(code.merge(states[group], other));
                    } catch (Exception e) {
                        throw OwnFailure.of(name, states[group] + " and " + other, e);
                    }
                }
            }
            sinceEstimate += rows;
        }

        @Override
        public Column partial(int n) {
            return column(stateShape, states, n);
        }

        @Override
        public Column result(int n) {
            Object[] results = new Object[n];
            for (int i = 0; i < n; i++) {
                try {
                    results[i] = states[i] == null ? null : code.result(states[i]);
                } catch (Exception e) {
                    throw OwnFailure.of(name, states[i], e);
                }
            }
            return column(resultShape, results, n);
        }

        /** By what some of the states take as columns, looked at again when twice as many values came. */
        @Override
        public long sizeInBytes() {
            if (sinceEstimate > Batch.TARGET_ROWS) {
                Object[] some = new Object[SAMPLE];
                int n = 0;
                int step = Math.max(1, groups / SAMPLE);
                for (int i = 0; i < groups && n < SAMPLE; i += step) {
                    if (states[i] != null) {
                        some[n++] = states[i];
                    }
                }
                if (n > 0) {
                    estimate = POINTER_BYTES
                            + OBJECT_FACTOR * column(stateShape, some, n).sizeInBytes(n) / n;
                }
                sinceEstimate = 0;
            }
            return groups * estimate;
        }

        @Override
        public void clear() {
            Arrays.fill(states, null);
            groups = 0;
        }
    }
}
