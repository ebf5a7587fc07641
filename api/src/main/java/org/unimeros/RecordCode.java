package org.unimeros;

import java.util.function.Consumer;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.unimeros.RecordChain.ToPairs;
import org.unimeros.RecordChain.ToRows;
import org.unimeros.code.Out;
import org.unimeros.code.Pairs;
import org.unimeros.code.TaskCode;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.own.OwnCode;
import org.unimeros.engine.own.RowCode;
import org.unimeros.engine.own.TaskScope;
import org.unimeros.engine.record.RecordShape;
import org.unimeros.engine.record.TextSlice;

/**
 * A chain of functions as a step of a plan.
 *
 * @param in the columns that records are read from
 * @param out the columns that are made
 */
record RecordCode(OwnCode<RecordChain> chain, String shown, Schema in, Schema out) implements RowCode {

    static RecordCode of(RecordChain chain, Schema in, Schema out) {
        Stream<String> steps = chain.links().stream().map(link -> titled(link.code(), link.name()));
        Stream<String> end =
                chain.end() instanceof ToPairs pairs ? Stream.of(titled(pairs.mapper(), "map")) : Stream.of();
        String shown = Stream.concat(steps, end).collect(Collectors.joining(", ")) + " "
                + named(chain.from())
                + switch (chain.end()) {
                    case ToRows rows -> " to " + named(rows.type());
                    case ToPairs pairs -> " to keys " + named(pairs.key()) + " and values " + named(pairs.value());
                };
        return new RecordCode(Travelling.of(chain, "a function"), shown, in, out);
    }

    /** How own code is called in plans. */
    static String titled(TaskCode code, String what) {
        return code.title().isEmpty() ? what : what + " (" + code.title() + ")";
    }

    /** How a type is called in plans; text is text in whatever form a program gets it. */
    static String named(Class<?> type) {
        return type == TextSlice.class ? "text" : type.getSimpleName();
    }

    @Override
    public String describe() {
        return shown;
    }

    @Override
    public Running open(TaskScope scope) {
        return new Chained(chain.open(RecordChain.class, scope.files()), in, out, scope);
    }

    /** The chain in one attempt. */
    private static final class Chained implements Running {
        private final RecordChain chain;
        private final RecordShape.Reader<?> reader;
        private final BatchOut madeRows;
        private final Out<Object>[] entries;
        /** At the end of chains that map to pairs. */
        private PairRows pairs;

        @SuppressWarnings({"unchecked", "rawtypes"})
        Chained(RecordChain chain, Schema in, Schema out, TaskScope scope) {
            this.chain = chain;
            this.reader = RecordShape.of(chain.from()).reader(in);
            this.madeRows = new BatchOut(out);
            int links = chain.links().size();
            this.entries = new Out[links + 1];
            entries[links] = switch (chain.end()) {
                case ToRows to -> toRows((RecordShape) RecordShape.of(to.type()));
                case ToPairs to ->
                    toPairs(
                            to,
                            (RecordShape) RecordShape.of(to.key()),
                            (RecordShape) RecordShape.of(to.value()),
                            scope.memory());
            };
            for (int i = links - 1; i >= 0; i--) {
                entries[i] = chain.links().get(i).before(entries[i + 1]);
            }
            try {
                chain.taskBegins(new ScopeContext(scope));
            } catch (Exception e) {
                throw OwnFailure.of("set-up of a", null, e);
            }
        }

        private Out<Object> toRows(RecordShape<Object> shape) {
            return record -> {
                shape.append(madeRows.builder, 0, record);
                madeRows.endRow();
            };
        }

        private Out<Object> toPairs(ToPairs to, RecordShape<Object> keys, RecordShape<Object> values, long memory) {
            pairs = new PairRows(to, keys, values, memory);
            return record -> {
                try {
                    to.mapper().map(record, pairs);
                } catch (Exception e) {
                    throw OwnFailure.of("mapper", record, e);
                }
            };
        }

        /** Appends keys, values and numbers of reducers. */
        private final class PairRows implements Pairs<Object, Object> {
            private final ToPairs to;
            private final RecordShape<Object> keys;
            private final RecordShape<Object> values;
            private final int valueColumn;
            private final EarlyCombiner combiner;

            PairRows(ToPairs to, RecordShape<Object> keys, RecordShape<Object> values, long memory) {
                this.to = to;
                this.keys = keys;
                this.values = values;
                this.valueColumn = keys.schema().size();
                this.combiner =
                        to.combiner() == null ? null : EarlyCombiner.of(to.combiner(), keys, memory, this::append);
            }

            @Override
            public void add(Object key, Object value) {
                if (key == null || value == null) {
                    throw new UserMistake("a mapper gave a " + (key == null ? "key" : "value") + " that is null");
                }
                int reducer = to.partitioner() == null ? 0 : reducer(key, value);
                if (combiner == null) {
                    append(key, value, reducer);
                } else {
                    combiner.add(key, value, reducer);
                }
            }

            private void append(Object key, Object value, int reducer) {
                keys.append(madeRows.builder, 0, key);
                values.append(madeRows.builder, valueColumn, value);
                if (to.partitioner() != null) {
                    madeRows.builder
                            .column(valueColumn + values.schema().size())
                            .appendInt(reducer);
                }
                madeRows.endRow();
            }

            /** No more pairs come. */
            void finish() {
                if (combiner != null) {
                    combiner.flush();
                }
            }

            private int reducer(Object key, Object value) {
                int number;
                try {
                    number = to.partitioner().reducer(key, value, to.reducers());
                } catch (Exception e) {
                    throw OwnFailure.of("partitioner", key, e);
                }
                if (number < 0 || number >= to.reducers()) {
                    throw new UserMistake("the partitioner gives " + number + " for the key " + key + "; there are "
                            + to.reducers() + " reducers, 0 to " + (to.reducers() - 1));
                }
                return number;
            }
        }

        @Override
        public void accept(Batch batch, Consumer<Batch> out) {
            madeRows.to(out);
            reader.use(batch, 0);
            Out<Object> first = entries[0];
            int count = batch.rowCount();
            for (int row = 0; row < count; row++) {
                first.add(read(row));
            }
        }

        private Object read(int row) {
            try {
                return reader.read(row);
            } catch (RuntimeException e) {
                throw OwnFailure.of(chain.from().getSimpleName() + " constructor", null, e);
            }
        }

        @Override
        public void finish(Consumer<Batch> out) {
            madeRows.to(out);
            try {
                for (int i = 0; i < chain.links().size(); i++) {
                    chain.links().get(i).finish(entries[i + 1]);
                }
                if (chain.end() instanceof ToPairs to) {
                    to.mapper().finish(pairs);
                    pairs.finish();
                }
            } catch (Exception e) {
                throw OwnFailure.of("finish", null, e);
            }
            madeRows.flush();
        }

        @Override
        public void close() {
            try {
                chain.taskEnds();
            } catch (Exception e) {
                throw OwnFailure.of("clean-up of a", null, e);
            }
        }
    }
}
