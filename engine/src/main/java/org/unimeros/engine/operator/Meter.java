package org.unimeros.engine.operator;

import java.util.function.LongSupplier;
import org.unimeros.engine.data.Batch;

/** Counts the rows that enter a step, and the time until it gives control back. */
final class Meter extends Operator.Inner {

    final int stepId;
    private final LongSupplier nanoClock;
    private long rows;
    private long nanos;

    Meter(int stepId, Operator step, LongSupplier nanoClock) {
        super(step);
        this.stepId = stepId;
        this.nanoClock = nanoClock;
    }

    @Override
    void accept(Batch batch) {
        rows += batch.rowCount();
        long start = nanoClock.getAsLong();
        next.accept(batch);
        nanos += nanoClock.getAsLong() - start;
    }

    @Override
    boolean forgetsBatch() {
        return next.forgetsBatch();
    }

    @Override
    void finish() {
        long start = nanoClock.getAsLong();
        next.finish();
        nanos += nanoClock.getAsLong() - start;
    }

    long rows() {
        return rows;
    }

    /** Time in this step and all behind it. */
    long nanos() {
        return nanos;
    }
}
