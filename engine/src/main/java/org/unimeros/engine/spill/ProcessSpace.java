package org.unimeros.engine.spill;

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

    private final MemoryPool between;
    private final MemoryPool copies;
    private final long perTask;
    private final Slots slots;

    public ProcessSpace(long budgetBytes, int slots) {
        this.between = new MemoryPool(budgetBytes * BETWEEN_PERCENT / 100);
        this.copies = new MemoryPool(budgetBytes * COPIES_PERCENT / 100);
        long tasks = budgetBytes * (100 - BETWEEN_PERCENT - COPIES_PERCENT) / 100;
        this.perTask = Math.min(MOST_PER_TASK, tasks / slots);
        this.slots = new Slots(slots);
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

    /**
     * Waits for a slot that no task uses; false when there is no need for it any more before one is free. Runs of the same priority have
     * as many slots each, while they have tasks for them.
     *
     * @param priority of the run; more of it comes first
     */
    public boolean takeSlot(String run, int priority, BooleanSupplier isStopped) throws InterruptedException {
        return slots.take(new Slots.Claim(run, priority), isStopped);
    }

    /** Gives back a slot that a run has taken. */
    public void giveSlot(String run) {
        slots.give(new Slots.Claim(run, 0));
    }
}
