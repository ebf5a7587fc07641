package org.unimeros.engine.own.step;

import java.util.List;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.operator.Operator;
import org.unimeros.engine.own.GroupCode;
import org.unimeros.engine.own.SortedGroups;
import org.unimeros.engine.sort.RowSorter;
import org.unimeros.engine.sort.SortedRuns;
import org.unimeros.engine.source.BatchReader;
import org.unimeros.engine.spill.StepSpace;
import org.unimeros.engine.stage.Step;

/** Gives code of the job all rows in order: those that come by, sorted here, or those of runs, merged here. */
public final class ReduceRows extends Operator.Inner {

    private final RowSorter sorter;
    private final GroupCode.Running code;
    private final int[] groupColumns;
    private long rowsRead;

    /** @param runs sorted rows to be merged; none where rows come by */
    public ReduceRows(
            Evaluator evaluator,
            Step.Reduce step,
            List<SortedRuns.Piece> runs,
            GroupCode.Running code,
            StepSpace space,
            Operator next) {
        super(next);
        this.code = code;
        this.groupColumns = step.keys().subList(0, step.groupKeys()).stream()
                .mapToInt(k -> ((ColumnRef) k.expression()).index())
                .toArray();
        this.sorter = new RowSorter(
                evaluator, step.schema().fields().stream().map(Field::type).toList(), step.keys(), space);
        runs.forEach(sorter::addRun);
    }

    @Override
    public void accept(Batch batch) {
        sorter.add(batch);
    }

    @Override
    public void finish() {
        BatchReader sorted = sorter.sorted();
        code.accept(new SortedGroups(() -> next(sorted), groupColumns), this::push);
        code.finish(this::push);
        next.finish();
    }

    private Batch next(BatchReader sorted) {
        Batch batch = next.wantsMore() ? sorted.next() : null;
        rowsRead += batch == null ? 0 : batch.rowCount();
        return batch;
    }

    /** Rows that the code has read so far. */
    public long rowsRead() {
        return rowsRead;
    }
}
