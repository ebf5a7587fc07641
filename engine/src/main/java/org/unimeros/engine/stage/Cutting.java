package org.unimeros.engine.stage;

import org.unimeros.engine.plan.Plan.JoinKind;
import org.unimeros.engine.stage.Stage.Pipeline;

/**
 * How a part may be cut into pieces for several tasks of a pipeline, so that they make together what one task would make of the whole.
 *
 * <ul>
 *   <li>The rows that go through may be divided among tasks, each of which reads all of the other sides, where no step needs rows together and no
 *       join passes on rows of its other side that found no partner, which a task with a share of the rows cannot know.
 *   <li>The other side of a join that is the first step may be divided, with all rows going through each task, where every pair stands for
 *       itself: rows that go through are passed on for nothing but their partners.
 * </ul>
 *
 * @param rows whether the rows that go through may be divided
 * @param side whether the other side of the first step may be
 */
public record Cutting(boolean rows, boolean side) {

    /** A part must stay whole. */
    public static final Cutting NONE = new Cutting(false, false);

    public static Cutting of(Pipeline pipeline) {
        if (!(pipeline.source() instanceof Source.Parts parts) || parts.use() != Source.Use.BALANCED) {
            return NONE;
        }
        boolean rows = true;
        boolean side = false;
        for (int s = 0; s < pipeline.steps().size(); s++) {
            Step step = pipeline.steps().get(s);
            if (needsRowsTogether(step)) {
                return NONE;
            }
            if (step instanceof Step.Probe join) {
                rows &= !join.keepsBuild();
                side = s == 0 ? !join.copied() && passesOnlyPairs(join) : side && !join.keepsBuild();
            }
        }
        return new Cutting(rows, side);
    }

    /** Whether a row that goes through is passed on only beside its partners, and not by itself or once for all of them. */
    private static boolean passesOnlyPairs(Step.Probe join) {
        return join.kind() == JoinKind.INNER || join.kind() == JoinKind.LEFT && join.buildIsLeft();
    }

    /** Whether what a step makes depends on which rows one task has. */
    private static boolean needsRowsTogether(Step step) {
        return switch (step) {
            case Step.FinalGroup s -> true;
            case Step.WholeGroup s -> true;
            case Step.Window s -> true;
            case Step.Reduce s -> true;
            case Step.Merge s -> true;
            case Step.Take s -> s.offset() > 0;
            case Step.Where s -> false;
            case Step.Select s -> false;
            case Step.Expand s -> false;
            case Step.Unnest s -> false;
            case Step.Apply s -> false;
            // Each task summarises, combines or sorts what it has, and the rest is done where these meet.
            case Step.PartialGroup s -> false;
            case Step.PartialSets s -> false;
            case Step.Combine s -> false;
            case Step.Order s -> false;
            case Step.Probe s -> false;
        };
    }

    public boolean isNone() {
        return !rows && !side;
    }
}
