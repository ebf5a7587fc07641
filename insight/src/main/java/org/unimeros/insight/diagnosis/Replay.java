package org.unimeros.insight.diagnosis;

import java.util.ArrayDeque;
import java.util.Arrays;
import java.util.Deque;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.OptionalLong;
import java.util.PriorityQueue;
import java.util.Set;
import java.util.TreeMap;
import java.util.function.UnaryOperator;
import org.unimeros.engine.schedule.AttemptId;
import org.unimeros.engine.schedule.Command;
import org.unimeros.engine.schedule.Event;
import org.unimeros.engine.schedule.Scheduler;
import org.unimeros.engine.schedule.StageSpec;
import org.unimeros.insight.diagnosis.RunHistory.Ran;
import org.unimeros.insight.diagnosis.RunHistory.StageHistory;

/**
 * How long the tasks of a run take together, on a virtual clock: its stages, with the same or other times of tasks, are carried out by the very
 * scheduler that carries out runs. What a change would bring is the difference between two of these.
 */
final class Replay {

    private final RunHistory history;
    /** How long stages took as they were; by the set of stages that was carried out. */
    private final Map<List<StageHistory>, Long> before = new HashMap<>();

    Replay(RunHistory history) {
        this.history = history;
    }

    /**
     * What the run would be shorter by if the tasks of a stage took other times.
     *
     * @param change makes of the milliseconds of its tasks those of the tasks that it would have
     */
    long gain(StageHistory changed, UnaryOperator<long[]> change) {
        List<StageHistory> together = together(changed);
        long asItWas = before.computeIfAbsent(together, stages -> millis(stages, null, change));
        return Math.max(0, asItWas - millis(together, changed, change));
    }

    /** The stages whose time depends on each other: one alone where all others end before it begins or begin after it has ended, else all. */
    private List<StageHistory> together(StageHistory stage) {
        Set<Integer> before = reads(stage.id());
        boolean isAlone = history.stages().stream()
                .allMatch(other -> other == stage
                        || before.contains(other.id())
                        || reads(other.id()).contains(stage.id()));
        return isAlone ? List.of(stage) : List.copyOf(history.stages());
    }

    /** The stages that a stage reads, and what those read. */
    private Set<Integer> reads(int stage) {
        Set<Integer> all = new HashSet<>();
        Deque<Integer> left = new ArrayDeque<>(List.of(stage));
        while (!left.isEmpty()) {
            int next = left.remove();
            history.stages().stream()
                    .filter(s -> s.id() == next)
                    .flatMap(s -> history.outline(s).reads().stream())
                    .filter(all::add)
                    .forEach(left::add);
        }
        return all;
    }

    private long millis(List<StageHistory> stages, StageHistory changed, UnaryOperator<long[]> change) {
        Map<Integer, long[]> times = new TreeMap<>();
        for (StageHistory stage : stages) {
            long[] taken = stage.ran().stream().mapToLong(Ran::millis).toArray();
            times.put(stage.id(), stage == changed ? change.apply(taken) : taken);
        }
        List<StageSpec> specs = stages.stream()
                .map(stage -> new StageSpec(
                        stage.id(),
                        history.outline(stage).reads().stream()
                                .filter(times::containsKey)
                                .toList(),
                        OptionalLong.empty(),
                        false))
                .toList();
        return new Course(new Scheduler(specs, 1), times).run(history.slotsByWorker());
    }

    /** An attempt that ends. */
    private record End(long at, long number, AttemptId attempt) {}

    private static final class Course {
        private final Scheduler scheduler;
        private final Map<Integer, long[]> times;
        private final PriorityQueue<End> running = new PriorityQueue<>(
                (a, b) -> a.at != b.at ? Long.compare(a.at, b.at) : Long.compare(a.number, b.number));
        private long now;
        private long launched;

        Course(Scheduler scheduler, Map<Integer, long[]> times) {
            this.scheduler = scheduler;
            this.times = times;
        }

        long run(Map<String, Integer> workers) {
            workers.forEach((worker, slots) -> carryOut(scheduler.handle(new Event.WorkerJoined(worker, slots))));
            carryOut(scheduler.start());
            while (!running.isEmpty()) {
                End end = running.poll();
                now = end.at;
                carryOut(scheduler.handle(new Event.AttemptSucceeded(end.attempt, 0)));
            }
            return now;
        }

        private void carryOut(List<Command> commands) {
            Deque<Command> left = new ArrayDeque<>(commands);
            while (!left.isEmpty()) {
                switch (left.remove()) {
                    case Command.PrepareStage c ->
                        left.addAll(scheduler.handle(new Event.StagePrepared(c.stage(), times.get(c.stage()).length)));
                    case Command.Launch c -> {
                        long took = times.get(c.attempt().stage())[c.attempt().task()];
                        running.add(new End(now + took, launched++, c.attempt()));
                    }
                    default -> {
                        // nothing has to be done on a virtual clock
                    }
                }
            }
        }
    }

    /** The same work in tasks of one length. */
    static long[] evenly(long[] times, int tasks) {
        long[] even = new long[Math.max(1, tasks)];
        Arrays.fill(even, Arrays.stream(times).sum() / even.length);
        return even;
    }

    /** All times shorter or longer by a factor. */
    static long[] scaled(long[] times, double by) {
        long[] scaled = new long[times.length];
        for (int i = 0; i < times.length; i++) {
            scaled[i] = Math.round(times[i] * by);
        }
        return scaled;
    }

    /** Times without what is saved in each, of which a tenth stays. */
    static long[] less(long[] times, long[] saved) {
        long[] left = new long[times.length];
        for (int i = 0; i < times.length; i++) {
            left[i] = Math.max(times[i] / 10, times[i] - saved[i]);
        }
        return left;
    }
}
