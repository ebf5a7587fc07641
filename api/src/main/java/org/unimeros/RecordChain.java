package org.unimeros;

import java.io.Serializable;
import java.util.ArrayList;
import java.util.List;
import java.util.Objects;
import java.util.stream.Stream;
import org.unimeros.code.Check;
import org.unimeros.code.Combiner;
import org.unimeros.code.Mapper;
import org.unimeros.code.Out;
import org.unimeros.code.Partitioner;
import org.unimeros.code.TaskCode;
import org.unimeros.code.TaskContext;
import org.unimeros.code.ToMany;
import org.unimeros.code.ToOne;

/**
 * Functions over records one after the other, as they travel; records are made of rows before the first and turned into rows behind
 * the last of them only.
 *
 * @param from what the rows are read as
 * @param end what becomes of the records
 */
record RecordChain(Class<?> from, List<Link> links, End end) implements Serializable {

    /** One function. */
    sealed interface Link extends Serializable {
        TaskCode code();

        /** The function before an output. */
        Out<Object> before(Out<Object> out);

        /** No more records come from before. */
        default void finish(Out<Object> out) throws Exception {
            // most have given everything
        }

        /** What it is, in a word. */
        String name();
    }

    record One(ToOne<Object, Object> code) implements Link {
        @Override
        public Out<Object> before(Out<Object> out) {
            return record -> {
                Object made;
                try {
                    made = code.apply(record);
                } catch (Exception e) {
                    throw OwnFailure.of("map", record, e);
                }
                out.add(made);
            };
        }

        @Override
        public String name() {
            return "map";
        }
    }

    record Many(ToMany<Object, Object> code) implements Link {
        @Override
        public Out<Object> before(Out<Object> out) {
            return record -> {
                try {
                    code.apply(record, out);
                } catch (Exception e) {
                    throw OwnFailure.of("flat-map", record, e);
                }
            };
        }

        @Override
        public void finish(Out<Object> out) throws Exception {
            code.finish(out);
        }

        @Override
        public String name() {
            return "flat-map";
        }
    }

    record Kept(Check<Object> code) implements Link {
        @Override
        public Out<Object> before(Out<Object> out) {
            return record -> {
                boolean keeps;
                try {
                    keeps = code.keeps(record);
                } catch (Exception e) {
                    throw OwnFailure.of("filter", record, e);
                }
                if (keeps) {
                    out.add(record);
                }
            };
        }

        @Override
        public String name() {
            return "filter";
        }
    }

    /** What becomes of the records. */
    sealed interface End extends Serializable {}

    /** They are rows of this type. */
    record ToRows(Class<?> type) implements End {}

    /**
     * They are mapped to keys and values, which are rows.
     *
     * @param partitioner gives the number of the reducer, in a last column; null for none
     * @param combiner combines them where {@link EarlyCombiner} can; null for none
     */
    record ToPairs(
            Mapper<Object, Object, Object> mapper,
            Class<?> key,
            Class<?> value,
            Partitioner<Object, Object> partitioner,
            int reducers,
            Combiner<Object, Object> combiner)
            implements End {
        /** All code at the end of the chain. */
        List<TaskCode> codes() {
            return Stream.of(mapper, partitioner, combiner)
                    .filter(Objects::nonNull)
                    .map(TaskCode.class::cast)
                    .toList();
        }
    }

    RecordChain {
        links = List.copyOf(links);
    }

    RecordChain then(Link link) {
        List<Link> more = new ArrayList<>(links);
        more.add(link);
        return new RecordChain(from, more, end);
    }

    RecordChain endingIn(End other) {
        return new RecordChain(from, links, other);
    }

    void taskBegins(TaskContext context) throws Exception {
        for (Link link : links) {
            link.code().taskBegins(context);
        }
        if (end instanceof ToPairs pairs) {
            for (TaskCode code : pairs.codes()) {
                code.taskBegins(context);
            }
        }
    }

    void taskEnds() throws Exception {
        for (Link link : links) {
            link.code().taskEnds();
        }
        if (end instanceof ToPairs pairs) {
            for (TaskCode code : pairs.codes()) {
                code.taskEnds();
            }
        }
    }
}
