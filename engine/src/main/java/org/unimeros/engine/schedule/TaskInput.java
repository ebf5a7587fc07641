package org.unimeros.engine.schedule;

import java.io.Serializable;
import java.util.List;
import org.unimeros.engine.schedule.Replanner.PartRange;
import org.unimeros.engine.sort.SortedRuns;
import org.unimeros.engine.stage.PhysicalPlan;
import org.unimeros.engine.stage.Source;

/**
 * What a task reads: the rows that go through its pipeline, and the other side of each of its joins.
 *
 * @param stage the number of its stage
 * @param pipeline the number of its pipeline within the stage
 * @param rows what goes through
 * @param sides the other sides of its joins, in their order
 */
public record TaskInput(int stage, int pipeline, Rows rows, List<Rows> sides) implements Serializable {

    public TaskInput {
        sides = List.copyOf(sides);
    }

    /**
     * Where in the rows of a part something begins.
     *
     * @param task who made the rows
     * @param row how many of these are before
     */
    public record Place(int task, long row) implements Serializable {
        /** Behind all rows. */
        public static final Place END = new Place(Integer.MAX_VALUE, 0);
    }

    /** Rows that a task reads. */
    public sealed interface Rows extends Serializable {

        /** One of the splits of the table that the pipeline scans. */
        record OfSplit(int split) implements Rows {}

        /** Parts that a stage made, of all its tasks. */
        record OfParts(int stage, PartRange parts) implements Rows {}

        /**
         * Some rows of a part, from a place to before another one.
         *
         * @param number of the piece, from 1
         * @param of how many pieces there are
         */
        record OfPiece(int stage, int part, Place from, Place end, int number, int of) implements Rows {
            @Override
            public String toString() {
                return "part " + part + ", piece " + number + " of " + of;
            }
        }

        /** A range of the rows that the tasks of a stage have sorted. */
        record OfRange(int stage, SortedRuns.Range range) implements Rows {}

        /** All that a stage made, which other tasks read as well. */
        record OfAll(int stage) implements Rows {}

        /** The rows that the plan has. */
        record Given() implements Rows {}
    }

    /** What goes through the pipeline, for people. */
    public String describe(PhysicalPlan plan) {
        return switch (rows) {
            case Rows.OfSplit of -> {
                Source source = plan.stage(stage).pipelines().get(pipeline).source();
                yield ((Source.Table) source).plan().splits().get(of.split()).describe();
            }
            case Rows.OfParts of -> of.parts() + otherSide();
            case Rows.OfPiece of -> of + otherSide();
            case Rows.OfRange of -> "a range of sorted rows";
            case Rows.OfAll of -> "the rows of stage " + of.stage();
            case Rows.Given given -> "given rows";
        };
    }

    private String otherSide() {
        return sides.stream()
                .filter(Rows.OfPiece.class::isInstance)
                .map(Rows.OfPiece.class::cast)
                .map(side -> ", with piece " + side.number() + " of " + side.of() + " of the other side")
                .findFirst()
                .orElse("");
    }
}
