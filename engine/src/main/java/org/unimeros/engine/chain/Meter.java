package org.unimeros.engine.chain;

import java.util.function.BooleanSupplier;
import java.util.function.LongSupplier;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.operator.Operator;
import org.unimeros.engine.operator.TaskStopped;

/** Counts the rows that enter a step, and the time until it gives control back. Ends a task that is no longer wanted. */
final class Meter extends Operator.Inner {

    final int stepId;
    private final LongSupplier nanoClock;
    private final BooleanSupplier stopped;
    private long rows;
    private long nanos;

    Meter(int stepId, Operator step, LongSupplier nanoClock, BooleanSupplier stopped) {
        super(step);
        this.stepId = stepId;
        this.nanoClock = nanoClock;
        this.stopped = stopped;
    }

    @Override
    public void accept(Batch batch) {
        if (stopped.getAsBoolean()) {
            throw new TaskStopped();
        }
        rows += batch.rowCount();
        long start = nanoClock.getAsLong();
        next.accept(batch);
        nanos += nanoClock.getAsLong() - start;
    }

    @Override
    public boolean forgetsBatch() {
        return next.forgetsBatch();
    }

    @Override
    public void finish() {
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
