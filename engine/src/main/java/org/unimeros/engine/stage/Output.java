package org.unimeros.engine.stage;

import java.io.Serializable;
import java.util.List;
import java.util.stream.Collectors;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.SortKey;
import org.unimeros.engine.source.TableSink;

/** Where the batches of a stage go. */
public sealed interface Output extends Serializable {

    String describe();

    /** Whether it holds more rows than a batch, so that it needs a share of the memory of its task. */
    boolean holdsRows();

    /**
     * Divided by the hash of keys for the next stage; without keys, all in one part.
     *
     * @param notes whether frequent keys are noted, and how
     * @param byNumber whether the only key, an int, is itself the number of the part
     */
    record ToParts(List<Expression> keys, int parts, Notes notes, boolean byNumber) implements Output {

        /** Which frequent keys are noted. */
        public enum Notes {
            /** None: of each key there is hardly more than a row for a task. */
            NONE,
            /** Those that can find a partner, for a join to know what it will make. */
            OF_JOIN,
            /** All, so that who looks at the run can be told them; a null is a key like others. */
            OF_ROWS
        }

        public ToParts(List<Expression> keys, int parts, Notes notes) {
            this(keys, parts, notes, false);
        }

        @Override
        public boolean holdsRows() {
            return true;
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
    record ToRuns(List<SortKey> keys, boolean fine) implements Output {
        @Override
        public boolean holdsRows() {
            return false;
        }

        @Override
        public String describe() {
            return "sorted rows, to be merged by ranges";
        }
    }

    /** Kept whole, for joins that look rows up in it. */
    record ToCopies() implements Output {
        @Override
        public boolean holdsRows() {
            return false;
        }

        @Override
        public String describe() {
            return "copy to all tasks";
        }
    }

    /** Handed to whoever asked, in the order of the tasks. */
    record ToResult() implements Output {
        @Override
        public boolean holdsRows() {
            return false;
        }

        @Override
        public String describe() {
            return "result";
        }
    }

    /** Written to a place outside. */
    record ToSink(TableSink sink) implements Output {
        @Override
        public boolean holdsRows() {
            return true;
        }

        @Override
        public String describe() {
            return "write " + sink.describe();
        }
    }
}
