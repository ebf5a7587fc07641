package org.unimeros;

import java.io.Serializable;
import java.util.Arrays;
import org.unimeros.code.Aggregator;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
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
        return new AggregatorCode(
                Travelling.of(definition, "the aggregate " + name), name, ObjectColumns.typeOf(state));
    }

    @Override
    public Running open(TaskScope scope, DataType argument) {
        Definition definition = code.open(Definition.class, scope.files());
        ScopeContext.taskBegins(definition.code, name, scope);
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
            ScopeContext.taskEnds(definition.code, name);
        }
    }

    private static final class Groups implements States {
        private static final int SAMPLE = 32;
        /** Objects take more room than the columns that they make. */
        private static final int OBJECT_FACTOR = 4;

        private static final int POINTER_BYTES = 16;

        private final String name;
        private final Aggregator<Object, Object, Object> code;
        private final ObjectColumns values;
        private final ObjectColumns travelled;
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
            this.values = new ObjectColumns(opened.definition.argument, opened.argument, "the argument of " + name);
            this.travelled = new ObjectColumns(opened.definition.state, opened.stateType, "the state of " + name);
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
            return ObjectColumns.of(stateShape, states, n);
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
            return ObjectColumns.of(resultShape, results, n);
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
                            + OBJECT_FACTOR
                                    * ObjectColumns.of(stateShape, some, n).sizeInBytes(n)
                                    / n;
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
