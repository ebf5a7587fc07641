package org.unimeros;

import java.io.Serializable;
import java.util.Iterator;
import java.util.NoSuchElementException;
import java.util.function.Consumer;
import org.unimeros.code.Combiner;
import org.unimeros.code.Out;
import org.unimeros.code.Reducer;
import org.unimeros.code.TaskCode;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.own.GroupCode;
import org.unimeros.engine.own.Groups;
import org.unimeros.engine.own.OwnCode;
import org.unimeros.engine.own.TaskScope;
import org.unimeros.engine.record.RecordShape;

/**
 * A reducer or combiner as a step of a plan.
 *
 * @param in keys, values, and the number of the reducer where there is a partitioner
 * @param out what is made; of a combiner the same as what comes in
 */
record ReduceCode(OwnCode<Function> function, String shown, Schema in, Schema out) implements GroupCode {

    static final String ONCE = "the values of a key can be gone through once; keep what is needed again";

    /** The function as it travels. */
    sealed interface Function extends Serializable {
        Class<?> key();

        Class<?> value();

        TaskCode code();
    }

    record Reducing(Reducer<Object, Object, Object> code, Class<?> key, Class<?> value, Class<?> made)
            implements Function {}

    record Combining(Combiner<Object, Object> code, Class<?> key, Class<?> value) implements Function {}

    static ReduceCode of(Function function, Schema in, Schema out) {
        boolean combines = function instanceof Combining;
        String what = combines ? "combine" : "reduce";
        String to = function instanceof Reducing r ? " to " + RecordCode.named(r.made) : "";
        return new ReduceCode(
                Travelling.of(function, "the " + what + "r"),
                RecordCode.titled(function.code(), what) + " "
                        + RecordCode.named(function.value()) + " by "
                        + RecordCode.named(function.key()) + to,
                in,
                out);
    }

    @Override
    public String describe() {
        return shown;
    }

    @Override
    public Running open(TaskScope scope) {
        return new Grouping(function.open(Function.class, scope.files()), in, out, scope);
    }

    private static final class Grouping implements Running {
        private final Function function;
        private final RecordShape<Object> keyShape;
        private final RecordShape<Object> made;
        private final RecordShape.Reader<?> keys;
        private final RecordShape.Reader<?> values;
        private final int keyColumns;
        private final int numberColumn;
        private final BatchOut madeRows;
        /** The batch that keys are read from. */
        private Batch keysOf;

        Grouping(Function function, Schema in, Schema out, TaskScope scope) {
            this.function = function;
            RecordShape<Object> key = shape(function.key());
            this.keyShape = key;
            RecordShape<Object> value = shape(function.value());
            this.keyColumns = key.schema().size();
            int valueColumns = value.schema().size();
            this.keys = key.reader(new Schema(in.fields().subList(0, keyColumns)));
            this.values = value.reader(new Schema(in.fields().subList(keyColumns, keyColumns + valueColumns)));
            boolean numbered = in.size() > keyColumns + valueColumns;
            this.numberColumn = numbered && function instanceof Combining ? keyColumns + valueColumns : -1;
            this.made = function instanceof Reducing r ? shape(r.made) : value;
            this.madeRows = new BatchOut(out);
            try {
                function.code().taskBegins(new ScopeContext(scope));
            } catch (Exception e) {
                throw OwnFailure.of("set-up of a", null, e);
            }
        }

        @SuppressWarnings("unchecked")
        private static RecordShape<Object> shape(Class<?> type) {
            return (RecordShape<Object>) RecordShape.of(type);
        }

        @Override
        public void accept(Groups groups, Consumer<Batch> out) {
            madeRows.to(out);
            Values group = new Values(groups);
            Combined combined = new Combined();
            while (groups.nextGroup()) {
                if (keysOf != groups.batch()) {
                    keysOf = groups.batch();
                    keys.use(keysOf, 0);
                }
                Object key = keys.read(groups.row());
                group.begin();
                combined.begin(groups);
                try {
                    switch (function) {
                        case Reducing r -> r.code.reduce(key, group, this::add);
                        case Combining c -> c.code.combine(key, group, combined);
                    }
                } catch (Exception e) {
                    throw OwnFailure.of(function instanceof Reducing ? "reducer" : "combiner", "the key " + key, e);
                }
            }
            if (function instanceof Combining c) {
                finishRun(c);
            }
            madeRows.flush();
        }

        private void finishRun(Combining c) {
            try {
                c.code.finishRun((key, value) -> {
                    if (numberColumn >= 0) {
                        throw new UserMistake("a combiner that gives keys itself cannot be used with a partitioner");
                    }
                    keyShape.append(madeRows.builder, 0, key);
                    made.append(madeRows.builder, keyColumns, value);
                    madeRows.endRow();
                });
            } catch (Exception e) {
                throw OwnFailure.of("combiner", null, e);
            }
        }

        /** Gives values back with the key that they came with, and the number of its reducer. */
        private final class Combined implements Out<Object> {
            private Batch first;
            private int row;

            void begin(Groups groups) {
                first = groups.batch();
                row = groups.row();
            }

            @Override
            public void add(Object value) {
                for (int k = 0; k < keyColumns; k++) {
                    madeRows.builder.column(k).append(first.column(k), row);
                }
                made.append(madeRows.builder, keyColumns, value);
                if (numberColumn >= 0) {
                    madeRows.builder.column(numberColumn).append(first.column(numberColumn), row);
                }
                madeRows.endRow();
            }
        }

        private void add(Object record) {
            made.append(madeRows.builder, 0, record);
            madeRows.endRow();
        }

        @Override
        public int rowsAtOnce() {
            return function instanceof Combining c ? c.code.pairsAtOnce() : 1;
        }

        @Override
        public void finish(Consumer<Batch> out) {
            madeRows.to(out);
            if (function instanceof Reducing r) {
                try {
                    r.code.finish(this::add);
                } catch (Exception e) {
                    throw OwnFailure.of("finish", null, e);
                }
            }
            madeRows.flush();
        }

        @Override
        public void close() {
            try {
                function.code().taskEnds();
            } catch (Exception e) {
                throw OwnFailure.of("clean-up of a", null, e);
            }
        }

        /** The values of a group, read while they are gone through. */
        private final class Values implements Iterable<Object>, Iterator<Object> {
            private final Groups groups;
            private Batch batch;
            private boolean isThere;
            private boolean taken;

            Values(Groups groups) {
                this.groups = groups;
            }

            void begin() {
                isThere = true;
                taken = false;
            }

            @Override
            public Iterator<Object> iterator() {
                if (taken) {
                    throw new IllegalStateException(ONCE);
                }
                taken = true;
                return this;
            }

            @Override
            public boolean hasNext() {
                return isThere;
            }

            @Override
            public Object next() {
                if (!isThere) {
                    throw new NoSuchElementException();
                }
                if (batch != groups.batch()) {
                    batch = groups.batch();
                    values.use(batch, keyColumns);
                }
                Object value = values.read(groups.row());
                isThere = groups.nextRow();
                return value;
            }
        }
    }
}
