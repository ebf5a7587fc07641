package org.unimeros.cluster.coordinator;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashMap;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import org.unimeros.engine.schedule.AttemptId;

/**
 * Which workers have what the attempts of a run made: the one that made it first, then those with copies. Copies are made of what is held on several
 * workers, and of what a worker has that is about to leave. Thread-safe.
 */
final class Replicas {

    /** After so long a copy that was ordered is ordered from another worker. */
    private static final long PATIENCE_MILLIS = 30_000;
    /** So often what was copied counts as there although it could not be read. */
    private static final int MOST_MISSED = 3;

    private final boolean held;
    private int wanted = 1;
    private final Map<AttemptId, List<String>> places = new HashMap<>();
    private final Set<AttemptId> copied = new HashSet<>();
    private final Map<AttemptId, Integer> missed = new HashMap<>();
    private final Set<String> leaving = new HashSet<>();
    private final Map<AttemptId, Ordered> ordered = new HashMap<>();

    private record Ordered(String worker, long at) {}

    /** @param held whether the last stage is held, of which copies may be wanted */
    Replicas(boolean held) {
        this.held = held;
    }

    synchronized void want(int copies) {
        wanted = copies;
    }

    synchronized void made(AttemptId attempt, String worker) {
        places.put(attempt, new ArrayList<>(List.of(worker)));
    }

    /** The workers that have what an attempt made, first the one that counts. */
    synchronized List<String> places(AttemptId attempt) {
        return List.copyOf(places.getOrDefault(attempt, List.of()));
    }

    /** Whether somebody who could not read something may only not have known of its copies; not again and again. */
    synchronized boolean isProbablyThere(AttemptId attempt) {
        return copied.contains(attempt)
                && !places(attempt).isEmpty()
                && missed.merge(attempt, 1, Integer::sum) <= MOST_MISSED;
    }

    /** What is of the same stage as what an attempt made, and at the same workers only. */
    synchronized List<AttemptId> besides(AttemptId attempt) {
        List<String> where = places(attempt);
        return places.entrySet().stream()
                .filter(e ->
                        e.getKey().stage() == attempt.stage() && !e.getKey().equals(attempt))
                .filter(e -> !where.isEmpty() && e.getValue().equals(where))
                .map(Map.Entry::getKey)
                .sorted(Comparator.comparingInt(AttemptId::task).thenComparingInt(AttemptId::attempt))
                .toList();
    }

    /** A worker has a copy; false when nobody wants it any more. One that stays stands before those that leave. */
    synchronized boolean copied(AttemptId attempt, String worker) {
        ordered.remove(attempt);
        List<String> all = places.get(attempt);
        if (all == null || all.contains(worker)) {
            return all != null;
        }
        copied.add(attempt);
        boolean isFirstToStay = leaving.containsAll(all);
        all.add(isFirstToStay ? 0 : all.size(), worker);
        return true;
    }

    /** The workers that need not keep what an attempt made, since they leave and another one has it. */
    synchronized List<String> handedOver(AttemptId attempt) {
        List<String> all = places.get(attempt);
        if (all == null || leaving.containsAll(all)) {
            return List.of();
        }
        List<String> done = all.stream().filter(leaving::contains).toList();
        all.removeAll(done);
        return done;
    }

    synchronized void leaving(String worker) {
        leaving.add(worker);
    }

    /** A worker is gone with what it had. Returns what counts elsewhere from now on. */
    synchronized Map<AttemptId, String> lost(String worker) {
        Map<AttemptId, String> moved = new LinkedHashMap<>();
        places.forEach((attempt, all) -> {
            boolean wasFirst = !all.isEmpty() && all.get(0).equals(worker);
            if (all.remove(worker) && wasFirst && !all.isEmpty()) {
                moved.put(attempt, all.get(0));
            }
        });
        ordered.values().removeIf(o -> o.worker.equals(worker));
        leaving.remove(worker);
        return moved;
    }

    synchronized void release(int stage) {
        places.keySet().removeIf(attempt -> attempt.stage() == stage);
        copied.removeIf(attempt -> attempt.stage() == stage);
        ordered.keySet().removeIf(attempt -> attempt.stage() == stage);
    }

    synchronized boolean areAnyWanted() {
        return held && wanted > 1 || !leaving.isEmpty();
    }

    /**
     * Copies that are to be ordered now, one at a time for what an attempt made.
     *
     * @param kept attempts whose results count
     * @param last the stage that is held
     * @param staying workers that could have copies
     */
    synchronized Map<AttemptId, String> missing(List<AttemptId> kept, int last, List<String> staying, long now) {
        ordered.values().removeIf(o -> now - o.at > PATIENCE_MILLIS);
        Map<AttemptId, String> orders = new LinkedHashMap<>();
        int turn = 0;
        for (AttemptId attempt : kept) {
            List<String> all = places.getOrDefault(attempt, List.of());
            long have = all.stream().filter(w -> !leaving.contains(w)).count();
            int want = held && attempt.stage() == last ? wanted : 1;
            List<String> others = staying.stream().filter(w -> !all.contains(w)).toList();
            if (all.isEmpty() || have >= want || others.isEmpty() || ordered.containsKey(attempt)) {
                continue;
            }
            String worker = others.get(turn++ % others.size());
            ordered.put(attempt, new Ordered(worker, now));
            orders.put(attempt, worker);
        }
        return orders;
    }
}
