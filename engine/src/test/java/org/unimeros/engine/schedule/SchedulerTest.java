package org.unimeros.engine.schedule;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.OptionalLong;
import java.util.Random;
import java.util.Set;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.schedule.Replanner.PartRange;

class SchedulerTest {

    private static StageSpec stage(int id, Integer... dependencies) {
        return new StageSpec(id, List.of(dependencies), OptionalLong.empty());
    }

    private static Event success(AttemptId attempt) {
        return new Event.AttemptSucceeded(attempt, 1);
    }

    @Test
    void aStageWaitsForThoseItDependsOn() {
        Scheduler scheduler = new Scheduler(List.of(stage(1), stage(2), stage(3, 1, 2)), 3);
        assertEquals(List.of(new Command.PrepareStage(1), new Command.PrepareStage(2)), scheduler.start());
        scheduler.handle(new Event.WorkerJoined("w", 4));
        scheduler.handle(new Event.StagePrepared(1, 1));
        scheduler.handle(new Event.StagePrepared(2, 0));
        List<Command> after = scheduler.handle(success(new AttemptId(1, 0, 0)));
        assertEquals(List.of(new Command.StageFinished(1), new Command.PrepareStage(3)), after);
        assertEquals(
                List.of(new Command.StageFinished(3), new Command.RunSucceeded()),
                scheduler.handle(new Event.StagePrepared(3, 0)));
    }

    @Test
    void aFailedTaskIsTriedAgainUntilItsLimit() {
        Scheduler scheduler = new Scheduler(List.of(stage(1)), 2);
        scheduler.start();
        scheduler.handle(new Event.WorkerJoined("w", 1));
        scheduler.handle(new Event.StagePrepared(1, 1));
        List<Command> again = scheduler.handle(new Event.AttemptFailed(new AttemptId(1, 0, 0), true, "disk is full"));
        assertEquals(List.of(new Command.Launch(new AttemptId(1, 0, 1), "w")), again);
        List<Command> last = scheduler.handle(new Event.AttemptFailed(new AttemptId(1, 0, 1), true, "disk is full"));
        assertEquals(List.of(new Command.RunFailed("disk is full (attempt 2, the last)")), last);
        assertTrue(scheduler.handle(success(new AttemptId(1, 0, 1))).isEmpty());
    }

    @Test
    void aFailureThatWouldComeAgainEndsTheRunAndStopsTheOthers() {
        Scheduler scheduler = new Scheduler(List.of(stage(1)), 5);
        scheduler.start();
        scheduler.handle(new Event.WorkerJoined("w", 2));
        scheduler.handle(new Event.StagePrepared(1, 3));
        List<Command> commands = scheduler.handle(new Event.AttemptFailed(new AttemptId(1, 0, 0), false, "bad line"));
        assertEquals(
                List.of(new Command.Stop(new AttemptId(1, 1, 0), "w"), new Command.RunFailed("bad line")), commands);
    }

    @Test
    void tasksBehindTheWantedRowsAreNotNeeded() {
        Scheduler scheduler = new Scheduler(List.of(new StageSpec(1, List.of(), OptionalLong.of(10))), 3);
        scheduler.start();
        scheduler.handle(new Event.WorkerJoined("w", 2));
        scheduler.handle(new Event.StagePrepared(1, 100));
        // Task 1 alone has enough, but task 0 comes before it and is not known yet.
        List<Command> later = scheduler.handle(new Event.AttemptSucceeded(new AttemptId(1, 1, 0), 50));
        assertEquals(List.of(new Command.Launch(new AttemptId(1, 2, 0), "w")), later);
        List<Command> enough = scheduler.handle(new Event.AttemptSucceeded(new AttemptId(1, 0, 0), 0));
        assertEquals(
                List.of(
                        new Command.Stop(new AttemptId(1, 2, 0), "w"),
                        new Command.StageFinished(1),
                        new Command.RunSucceeded()),
                enough);
    }

    /** Workers come and go, attempts fail, reports are repeated: every task still counts once and the run ends. */
    @Test
    void simulatedFaultsNeverBreakTheInvariants() {
        for (long seed = 0; seed < 5000; seed++) {
            new Simulation(seed).run();
        }
    }

    private static final class Simulation {
        private final long seed;
        private final Random random;
        private final Map<Integer, Integer> taskCounts = new HashMap<>();
        private final Set<String> workers = new HashSet<>();
        private final Map<String, Integer> busy = new HashMap<>();
        private final Map<AttemptId, String> running = new HashMap<>();
        private final List<Event> pending = new ArrayList<>();
        private final List<Event> old = new ArrayList<>();
        private final Map<Integer, Set<Integer>> succeeded = new HashMap<>();
        private final Set<Integer> finished = new HashSet<>();
        private boolean ended;

        Simulation(long seed) {
            this.seed = seed;
            this.random = new Random(seed);
        }

        void run() {
            List<StageSpec> specs = new ArrayList<>();
            int stages = 1 + random.nextInt(4);
            for (int s = 1; s <= stages; s++) {
                specs.add(s == 1 || random.nextBoolean() ? stage(s) : stage(s, 1 + random.nextInt(s - 1)));
                taskCounts.put(s, random.nextInt(12));
            }
            Scheduler scheduler = new Scheduler(specs, 1_000_000);
            apply(scheduler.start(), specs);
            for (int step = 0; step < 100_000 && !ended; step++) {
                Event event = next();
                if (event instanceof Event.AttemptSucceeded || event instanceof Event.AttemptFailed) {
                    old.add(event);
                }
                note(event);
                apply(scheduler.handle(event), specs);
            }
            assertTrue(ended, "seed " + seed + " did not end");
            taskCounts.forEach((stage, count) ->
                    assertEquals(count, succeeded.getOrDefault(stage, Set.of()).size(), "seed " + seed));
        }

        private Event next() {
            int dice = random.nextInt(10);
            if (workers.isEmpty() || dice == 0 && workers.size() < 4) {
                String name = "w" + random.nextInt(6);
                if (!workers.contains(name)) {
                    workers.add(name);
                    busy.put(name, 0);
                    return new Event.WorkerJoined(name, 2);
                }
            }
            if (dice == 1 && workers.size() > 1) {
                return new Event.WorkerLost(workers.iterator().next());
            }
            if (dice == 2 && !old.isEmpty()) {
                return old.get(random.nextInt(old.size()));
            }
            if (!pending.isEmpty()) {
                return pending.remove(random.nextInt(pending.size()));
            }
            if (running.isEmpty()) {
                return new Event.WorkerLost("nobody");
            }
            List<AttemptId> attempts = new ArrayList<>(running.keySet());
            AttemptId attempt = attempts.get(random.nextInt(attempts.size()));
            return random.nextInt(4) == 0
                    ? new Event.AttemptFailed(attempt, true, "chance")
                    : new Event.AttemptSucceeded(attempt, 1);
        }

        private void note(Event event) {
            switch (event) {
                case Event.WorkerLost e -> {
                    workers.remove(e.worker());
                    running.values().removeIf(w -> w.equals(e.worker()));
                }
                case Event.AttemptSucceeded e -> {
                    if (running.remove(e.attempt()) != null) {
                        boolean first = succeeded
                                .computeIfAbsent(e.attempt().stage(), s -> new HashSet<>())
                                .add(e.attempt().task());
                        assertTrue(first, "seed " + seed + ": counted twice " + e.attempt());
                    }
                }
                case Event.AttemptFailed e -> running.remove(e.attempt());
                default -> {
                    // nothing to note
                }
            }
        }

        private void apply(List<Command> commands, List<StageSpec> specs) {
            for (Command command : commands) {
                assertFalse(ended, "seed " + seed + ": a command after the end");
                switch (command) {
                    case Command.PrepareStage c -> {
                        StageSpec spec = specs.get(c.stage() - 1);
                        assertTrue(finished.containsAll(spec.dependencies()), "seed " + seed);
                        pending.add(new Event.StagePrepared(c.stage(), taskCounts.get(c.stage())));
                    }
                    case Command.Launch c -> {
                        assertTrue(workers.contains(c.worker()), "seed " + seed + ": launched on a lost worker");
                        assertEquals(null, running.put(c.attempt(), c.worker()), "seed " + seed);
                        long onWorker = running.values().stream()
                                .filter(c.worker()::equals)
                                .count();
                        assertTrue(onWorker <= 2, "seed " + seed + ": too many attempts on " + c.worker());
                    }
                    case Command.StageFinished c -> assertTrue(finished.add(c.stage()), "seed " + seed);
                    case Command.RunSucceeded c -> ended = true;
                    default -> throw new AssertionError("seed " + seed + ": unexpected " + command);
                }
            }
        }
    }

    @Test
    void smallPartsAreMergedAndLargeOnesStayAlone() {
        assertEquals(
                List.of(new PartRange(0, 3), new PartRange(3, 4), new PartRange(4, 6)),
                Replanner.merge(new long[] {10, 0, 20, 500, 1, 1}, 100));
        assertEquals(List.of(new PartRange(0, 4)), Replanner.merge(new long[4], 100));
        assertEquals(List.of(new PartRange(0, 1), new PartRange(1, 2)), Replanner.merge(new long[] {5, 5}, 0));
    }
}
