package org.unimeros.engine.sort;

import java.util.List;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.operator.Operator;
import org.unimeros.engine.spill.StepSpace;
import org.unimeros.engine.stage.Step;

/** Passes on the rows of a range of sorted runs, in order; no rows come by themselves. */
public final class MergeRuns extends Operator.Inner {

    private final RowSorter sorter;

    public MergeRuns(
            Evaluator evaluator, Step.Merge step, List<SortedRuns.Piece> pieces, StepSpace space, Operator next) {
        super(next);
        this.sorter = new RowSorter(
                evaluator, step.schema().fields().stream().map(Field::type).toList(), step.keys(), space);
        pieces.forEach(sorter::addRun);
    }

    @Override
    public void accept(Batch batch) {
        throw new IllegalStateException("rows in front of a merge");
    }

    @Override
    public void finish() {
        sorter.finish(batch -> {
            if (next.wantsMore()) {
                next.accept(batch);
            }
        });
        next.finish();
    }
}
