package org.unimeros.engine.sort;

import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.operator.Operator;
import org.unimeros.engine.spill.StepSpace;
import org.unimeros.engine.stage.Step;

/** Puts rows in order. With a limit it keeps little more than the rows that can still be among the first. */
public final class OrderRows extends Operator.Inner {

    /** So many rows more are collected before those are left out that are not among the first: few, since it is known then behind which row none is wanted. */
    private static final int SPARE_ROWS = Batch.TARGET_ROWS / 4;

    /** With a larger limit than this rows are sorted like all others, and may be spilled. */
    private static final int SMALL_LIMIT = 1 << 16;

    private final Step.Order step;
    private final RowSorter sorter;
    private long left;

    public OrderRows(Evaluator evaluator, Step.Order step, StepSpace space, Operator next) {
        super(next);
        this.step = step;
        this.left = step.limit();
        this.sorter = new RowSorter(
                evaluator, step.schema().fields().stream().map(Field::type).toList(), step.keys(), space);
    }

    @Override
    public void accept(Batch batch) {
        sorter.add(batch);
        if (step.limit() <= SMALL_LIMIT && sorter.heldRows() > 2 * step.limit() + SPARE_ROWS) {
            sorter.keepFirst(step.limit());
        }
    }

    @Override
    public void finish() {
        sorter.finish(batch -> {
            if (left > 0 && next.wantsMore()) {
                int rows = (int) Math.min(left, batch.rowCount());
                left -= rows;
                next.accept(batch.slice(0, rows));
            }
        });
        next.finish();
    }
}
