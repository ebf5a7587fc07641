package org.unimeros.engine.spill;

import java.util.concurrent.Semaphore;
import java.util.concurrent.TimeUnit;
import java.util.function.BooleanSupplier;

/**
 * What all runs of a process share: the budget, divided in a fixed way, and the slots, so that no more tasks hold memory
 * at the same time than the budget was divided for, however many runs there are. Thread-safe.
 */
public final class ProcessSpace {

    /** No table is larger than this, whatever the budget, since positions in it are ints. */
    private static final long MOST_PER_TASK = 1L << 30;

    private static final int BETWEEN_PERCENT = 30;
    private static final int COPIES_PERCENT = 20;
    private static final int PATIENCE_MILLIS = 20;

    private final MemoryPool between;
    private final MemoryPool copies;
    private final long perTask;
    private final Semaphore slots;

    public ProcessSpace(long budgetBytes, int slots) {
        this.between = new MemoryPool(budgetBytes * BETWEEN_PERCENT / 100);
        this.copies = new MemoryPool(budgetBytes * COPIES_PERCENT / 100);
        long tasks = budgetBytes * (100 - BETWEEN_PERCENT - COPIES_PERCENT) / 100;
        this.perTask = Math.min(MOST_PER_TASK, tasks / slots);
        this.slots = new Semaphore(slots, true);
    }

    long perTask() {
        return perTask;
    }

    MemoryPool between() {
        return between;
    }

    MemoryPool copies() {
        return copies;
    }

    /** Waits for a slot that no run uses; false when there is no need for it any more before one is free. */
    public boolean takeSlot(BooleanSupplier isStopped) throws InterruptedException {
        while (!isStopped.getAsBoolean()) {
            if (slots.tryAcquire(PATIENCE_MILLIS, TimeUnit.MILLISECONDS)) {
                return true;
            }
        }
        return false;
    }

    public void giveSlot() {
        slots.release();
    }
}
