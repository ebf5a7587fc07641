package org.unimeros.engine.operator;

import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.own.GroupCode;
import org.unimeros.engine.spill.StepSpace;
import org.unimeros.engine.stage.Step;

/**
 * Gives code of the job rows of equal keys together, as many as fit into memory at a time, so that fewer are moved. When that hardly
 * makes them fewer, the rows that follow are passed on as they are.
 */
final class CombineRows extends Operator.Inner {

    /** Beyond this share of rows that are left it does not pay. */
    private static final double WORTHWHILE = 0.8;

    private final Evaluator evaluator;
    private final Step.Combine step;
    private final GroupCode.Running code;
    private final StepSpace space;
    private RowSorter sorter;
    private boolean passesOn;
    private long rowsOut;

    CombineRows(Evaluator evaluator, Step.Combine step, GroupCode.Running code, StepSpace space, Operator next) {
        super(next);
        this.evaluator = evaluator;
        this.step = step;
        this.code = code;
        this.space = space;
        this.sorter = newSorter();
    }

    private RowSorter newSorter() {
        return new RowSorter(
                evaluator, step.schema().fields().stream().map(Field::type).toList(), step.keys(), space);
    }

    @Override
    void accept(Batch batch) {
        if (passesOn) {
            push(batch);
            return;
        }
        sorter.add(batch);
        if (sorter.isHalfFull()) {
            combine();
        }
    }

    private void combine() {
        long rows = sorter.heldRows();
        rowsOut = 0;
        code.accept(sorter.sorted()::next, out -> {
            rowsOut += out.rowCount();
            push(out);
        });
        sorter = newSorter();
        passesOn = rows > 0 && rowsOut > WORTHWHILE * rows;
    }

    @Override
    void finish() {
        combine();
        code.finish(this::push);
        next.finish();
    }
}
