package org.unimeros.engine.stage;

import java.io.Serializable;
import java.util.List;
import java.util.stream.Collectors;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.SortKey;
import org.unimeros.engine.source.TableSink;

/** Where the batches of a stage go. */
public sealed interface Output extends Serializable {

    int id();

    String describe();

    /**
     * Divided by the hash of keys for the next stage; without keys, all in one part.
     *
     * @param forJoin whether frequent keys are noted, for a join to know what it will make
     * @param byNumber whether the only key, an int, is itself the number of the part
     */
    record ToParts(int id, List<Expression> keys, int parts, boolean forJoin, boolean byNumber) implements Output {
        public ToParts(int id, List<Expression> keys, int parts, boolean forJoin) {
            this(id, keys, parts, forJoin, false);
        }

        @Override
        public String describe() {
            if (byNumber) {
                return "divide into " + parts + " parts by the number that the job's code gives";
            }
            return keys.isEmpty()
                    ? "gather into one part"
                    : "shuffle by " + keys.stream().map(Object::toString).collect(Collectors.joining(", ")) + " into "
                            + parts + " parts";
        }
    }

    /**
     * Kept sorted by each task, for a merge by ranges.
     *
     * @param fine whether ranges are cut between few rows, since a number of them is wanted
     */
    record ToRuns(int id, List<SortKey> keys, boolean fine) implements Output {
        @Override
        public String describe() {
            return "sorted rows, to be merged by ranges";
        }
    }

    /** Kept whole, for joins that look rows up in it. */
    record ToCopies(int id) implements Output {
        @Override
        public String describe() {
            return "copy to all tasks";
        }
    }

    /** Handed to whoever asked, in the order of the tasks. */
    record ToResult(int id) implements Output {
        @Override
        public String describe() {
            return "result";
        }
    }

    /** Written to a place outside. */
    record ToSink(int id, TableSink sink) implements Output {
        @Override
        public String describe() {
            return "write " + sink.describe();
        }
    }
}
