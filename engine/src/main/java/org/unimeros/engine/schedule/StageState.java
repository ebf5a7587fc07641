package org.unimeros.engine.schedule;

import java.util.ArrayList;
import java.util.BitSet;
import java.util.List;
import java.util.Map;
import java.util.TreeSet;
import java.util.function.Predicate;

/** What the scheduler knows of a stage. */
final class StageState {

    final StageSpec spec;
    final List<StageState> dependencies = new ArrayList<>();
    final List<StageState> dependents = new ArrayList<>();
    boolean prepared;
    boolean finished;
    boolean released;
    List<TaskState> tasks;
    /** Workers that have what tasks read, by task. */
    Map<Integer, String> places = Map.of();

    final TreeSet<Integer> waiting = new TreeSet<>();
    /** Tasks that are not needed, since those before them have made all rows that are wanted. */
    final BitSet dropped = new BitSet();

    final List<Long> durations = new ArrayList<>();
    int open;
    int prefix;
    long prefixRows;

    StageState(StageSpec spec) {
        this.spec = spec;
    }

    /**
     * A waiting task that is best run by a worker where others may run; the one that is next where there is none among the first.
     *
     * @param first how many are looked at
     * @param runsAlone tasks that must not run beside others
     */
    int nearest(String worker, int next, int first, Predicate<TaskState> runsAlone) {
        if (!places.isEmpty()) {
            int looked = 0;
            for (int number : waiting) {
                TaskState task = tasks.get(number);
                if (worker.equals(places.get(number)) && !task.avoid.contains(worker) && !runsAlone.test(task)) {
                    return number;
                }
                if (++looked == first) {
                    break;
                }
            }
        }
        return next;
    }

    boolean isReady() {
        return tasks != null && dependencies.stream().allMatch(d -> d.finished);
    }
}
