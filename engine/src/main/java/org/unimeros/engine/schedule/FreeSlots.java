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

        Worker(String name, int free) {
            this.name = name;
            this.free = free;
        }
    }

    /** After so many failures of attempts for want of a resource a worker is left out, as long as there are others. */
    private static final int FAULTS = 3;

    private final Map<String, Worker> all = new HashMap<>();
    private final TreeSet<Worker> order =
            new TreeSet<>(Comparator.comparingInt((Worker w) -> -w.free).thenComparing(w -> w.name));

    void join(String worker, int slots) {
        remove(worker);
        Worker joined = new Worker(worker, slots);
        all.put(worker, joined);
        order.add(joined);
    }

    void remove(String worker) {
        Worker gone = all.remove(worker);
        if (gone != null) {
            order.remove(gone);
        }
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

    void take(String worker) {
        change(worker, -1);
    }

    void give(String worker) {
        change(worker, 1);
    }

    private void change(String worker, int by) {
        Worker w = all.get(worker);
        if (w != null) {
            order.remove(w);
            w.free += by;
            order.add(w);
        }
    }

    /** A worker with a free slot, if possible none of those to avoid; null when there is none. */
    String find(Set<String> avoid) {
        String second = null;
        String third = null;
        for (Worker w : order) {
            if (w.free <= 0) {
                break;
            }
            if (w.leaving) {
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
        boolean others = all.values().stream().anyMatch(w -> w.faults < FAULTS && !w.leaving);
        return second != null || others ? second : third;
    }
}
