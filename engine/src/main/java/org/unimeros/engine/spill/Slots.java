package org.unimeros.engine.spill;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.function.BooleanSupplier;

/**
 * The slots of a process, and the tasks of all its runs that wait for one. A slot that is free goes to the run of the highest priority,
 * among those of the same to the one that has the fewest slots, and within that to the task that has waited longest. Thread-safe.
 */
final class Slots {

    private static final int PATIENCE_MILLIS = 20;
    private static final Comparator<Waiting> URGENCY = Comparator.<Waiting>comparingInt(w -> -w.claim.priority())
            .thenComparingInt(w -> w.inUse)
            .thenComparingLong(w -> w.number);

    private int free;
    private long number;
    private final Map<String, Integer> inUse = new HashMap<>();
    private final List<Waiting> waiting = new ArrayList<>();

    /**
     * For which run a slot is wanted.
     *
     * @param priority more of it comes first
     */
    record Claim(String run, int priority) {}

    private static final class Waiting {
        private final Claim claim;
        private final long number;
        /** Slots of its run, as they were when this was last looked at. */
        private int inUse;

        Waiting(Claim claim, long number) {
            this.claim = claim;
            this.number = number;
        }
    }

    Slots(int count) {
        this.free = count;
    }

    /** Waits for a slot; false when there is no need for it any more before there is one. */
    synchronized boolean take(Claim claim, BooleanSupplier isStopped) throws InterruptedException {
        Waiting self = new Waiting(claim, number++);
        waiting.add(self);
        try {
            while (!isStopped.getAsBoolean()) {
                if (free > 0 && isNext(self)) {
                    free--;
                    inUse.merge(claim.run(), 1, Integer::sum);
                    return true;
                }
                wait(PATIENCE_MILLIS);
            }
            return false;
        } finally {
            waiting.remove(self);
            // Another one may be the next now.
            notifyAll();
        }
    }

    private boolean isNext(Waiting one) {
        waiting.forEach(w -> w.inUse = inUse.getOrDefault(w.claim.run(), 0));
        return waiting.stream().min(URGENCY).orElseThrow() == one;
    }

    synchronized void give(Claim claim) {
        free++;
        inUse.computeIfPresent(claim.run(), (run, n) -> n == 1 ? null : n - 1);
        notifyAll();
    }
}
