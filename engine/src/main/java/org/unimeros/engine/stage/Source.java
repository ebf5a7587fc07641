package org.unimeros.engine.stage;

import java.io.Serializable;
import java.util.List;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.expr.SortKey;
import org.unimeros.engine.source.ScanPlan;

/** Where the batches of a pipeline come from. */
public sealed interface Source extends Serializable {

    String describe();

    /** The stages whose rows it reads. */
    default List<Integer> stagesRead() {
        return List.of();
    }

    /** Splits of a table, one per task. */
    record Table(String name, List<String> columns, ScanPlan plan) implements Source {
        @Override
        public String describe() {
            String skipped = plan.skippedFiles() == 0 && plan.skippedBytes() == 0
                    ? ""
                    : "; skipped " + Sizes.count(plan.skippedFiles(), "file") + ", " + Sizes.bytes(plan.skippedBytes());
            String what = columns.isEmpty() ? "rows only" : String.join(", ", columns);
            String files =
                    plan.files() == 0 && !plan.splits().isEmpty() ? "" : Sizes.count(plan.files(), "file") + ", ";
            return "scan " + name + " [" + what + "]: " + files
                    + Sizes.bytes(plan.bytes()) + ", "
                    + Sizes.count(plan.splits().size(), "split") + skipped;
        }
    }

    /** How parts become tasks. */
    enum Use {
        /** Every part has a task of its own, however small it is. */
        APART,
        /** Small parts are put together. */
        MERGED,
        /** Small parts are put together, and large ones are cut into pieces. */
        BALANCED
    }

    /** Parts that another stage made. */
    record Parts(int stage, Use use) implements Source {
        public Parts(int stage) {
            this(stage, Use.MERGED);
        }

        @Override
        public List<Integer> stagesRead() {
            return List.of(stage);
        }

        @Override
        public String describe() {
            return "read parts of stage " + stage + (use == Use.BALANCED ? ", large ones in pieces" : "");
        }
    }

    /**
     * Ranges of the rows that the tasks of another stage have sorted.
     *
     * @param cut how ranges are cut
     */
    record Runs(int stage, List<SortKey> keys, Cut cut) implements Source {
        @Override
        public List<Integer> stagesRead() {
            return List.of(stage);
        }

        @Override
        public String describe() {
            return "read ranges of the sorted rows of stage " + stage;
        }
    }

    /** Rows that are there already, read by one task. */
    record Given(List<Batch> batches) implements Source {
        @Override
        public String describe() {
            return "given rows";
        }
    }

    /**
     * How sorted rows are cut into ranges. Rows that are equal in the first {@code keys} of their order stay together.
     *
     * @param ranges how many there are to be; 0 for as many as their size suggests
     */
    record Cut(int keys, int ranges) implements Serializable {}
}
