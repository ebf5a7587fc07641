package org.unimeros.engine.schedule;

import java.util.Comparator;
import java.util.HashMap;
import java.util.Map;
import java.util.Set;
import java.util.TreeSet;

/** The workers and their free slots, those with the most first; the first by name among equals. */
final class FreeSlots {

    private static final class Worker {
        final String name;
        int free;
        int faults;
        boolean leaving;
        /** Whether an attempt has it for itself. */
        boolean alone;

        final int slots;

        Worker(String name, int slots) {
            this.name = name;
            this.slots = slots;
            this.free = slots;
        }
    }

    /** After so many failures of attempts for want of a resource a worker is left out, as long as there are others. */
    private static final int FAULTS = 3;

    private final Map<String, Worker> all = new HashMap<>();
    private int slots;
    private final TreeSet<Worker> order =
            new TreeSet<>(Comparator.comparingInt((Worker w) -> -w.free).thenComparing(w -> w.name));

    void join(String worker, int slotCount) {
        remove(worker);
        Worker joined = new Worker(worker, slotCount);
        slots += slotCount;
        all.put(worker, joined);
        order.add(joined);
    }

    void remove(String worker) {
        Worker gone = all.remove(worker);
        if (gone != null) {
            order.remove(gone);
            slots -= gone.slots;
        }
    }

    /** The slots of all workers. */
    int slots() {
        return slots;
    }

    void leaving(String worker) {
        Worker w = all.get(worker);
        if (w != null) {
            w.leaving = true;
        }
    }

    void fault(String worker) {
        Worker w = all.get(worker);
        if (w != null) {
            w.faults++;
        }
    }

    void take(String worker, boolean alone) {
        change(worker, -1, alone);
    }

    void give(String worker) {
        change(worker, 1, false);
    }

    private void change(String worker, int by, boolean alone) {
        Worker w = all.get(worker);
        if (w != null) {
            order.remove(w);
            w.free += by;
            w.alone = alone;
            order.add(w);
        }
    }

    /**
     * A worker with a free slot; null when there is none. One to avoid is given only while all are to be avoided, leave, or are left out: a better one
     * that is busy is waited for.
     *
     * @param ahead attempts that a worker may have waiting for its slots
     */
    String find(Set<String> avoid, int ahead) {
        return find(avoid, ahead, false);
    }

    /** A worker of which all slots are free; null when there is none. One to avoid is given as by {@link #find}. */
    String findIdle(Set<String> avoid) {
        return find(avoid, 0, true);
    }

    private String find(Set<String> avoid, int ahead, boolean idle) {
        String second = null;
        String third = null;
        for (Worker w : order) {
            if (w.free <= -ahead) {
                break;
            }
            if (w.leaving || w.alone || idle && w.free < w.slots) {
                continue;
            }
            if (w.faults >= FAULTS) {
                third = third == null ? w.name : third;
            } else if (avoid.contains(w.name)) {
                second = second == null ? w.name : second;
            } else {
                return w.name;
            }
        }
        if (all.values().stream().anyMatch(w -> isSound(w) && !avoid.contains(w.name))) {
            return null;
        }
        boolean others = all.values().stream().anyMatch(FreeSlots::isSound);
        return second != null || others ? second : third;
    }

    private static boolean isSound(Worker w) {
        return w.faults < FAULTS && !w.leaving;
    }
}
