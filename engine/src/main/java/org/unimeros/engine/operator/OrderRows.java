package org.unimeros.engine.operator;

import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.stage.Step;

/** Puts rows in order. With a limit it keeps little more than the rows that can still be among the first. */
final class OrderRows extends Operator.Inner {

    private static final int SPARE_ROWS = 16 * Batch.TARGET_ROWS;

    private final Evaluator evaluator;
    private final Step.Order step;
    private final BatchBuilder held;

    OrderRows(Evaluator evaluator, Step.Order step, Operator next) {
        super(next);
        this.evaluator = evaluator;
        this.step = step;
        this.held = new BatchBuilder(step.schema());
    }

    @Override
    void accept(Batch batch) {
        held.appendAll(batch);
        boolean tooMany = step.limit() < Integer.MAX_VALUE / 4 && held.rowCount() > 2 * step.limit() + SPARE_ROWS;
        if (tooMany) {
            Batch first = ordered();
            held.appendAll(first);
        }
    }

    private Batch ordered() {
        Batch all = held.build();
        int rows = all.rowCount();
        Column[] keys = step.keys().stream()
                .map(k -> evaluator.evaluate(k.expression(), all))
                .toArray(Column[]::new);
        int[] order = new RowOrder(keys, step.keys()).sorted(rows);
        return all.select(order, (int) Math.min(step.limit(), rows));
    }

    @Override
    void finish() {
        if (held.rowCount() > 0) {
            push(ordered());
        }
        next.finish();
    }
}
