package org.unimeros.engine.schedule;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertNull;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.OptionalLong;
import java.util.Random;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import org.junit.jupiter.api.Test;

/**
 * Runs with made-up workers that come, go, lose what they made, fail, and report late, twice or after they were given up, and a process that decides and is
 * started again. After every
 * event it is checked that no result counts twice, that nothing is started that reads what is known to be lost, that what a task
 * reads is really there when it succeeds, and that the run ends with every result in its place. A seed that fails replays.
 */
class SchedulerSimulationTest {

    private static final int SEEDS = Integer.getInteger("unimeros.seeds", 10_000);
    private static final int SLOTS = 2;

    @Test
    void faultsNeverBreakTheInvariants() {
        int[] reopened = new int[1];
        int[] second = new int[1];
        int[] restarts = new int[1];
        for (long seed = 0; seed < SEEDS; seed++) {
            Simulation simulation = new Simulation(seed);
            try {
                simulation.run();
            } catch (RuntimeException | AssertionError e) {
                throw new AssertionError("seed " + seed + ": " + e.getMessage(), e);
            }
            reopened[0] += simulation.reopened;
            second[0] += simulation.secondAttempts;
            restarts[0] += simulation.restarts;
        }
        assertTrue(reopened[0] > SEEDS / 10, "only " + reopened[0] + " stages were reopened");
        assertTrue(restarts[0] > SEEDS / 10, "only " + restarts[0] + " restarts");
        assertTrue(second[0] > SEEDS / 100, "only " + second[0] + " second attempts");
    }

    private static final class Simulation {
        private final Random random;
        private final boolean sink;
        private final int ahead;
        private final int limit;
        private final List<StageSpec> specs = new ArrayList<>();
        private Scheduler scheduler;
        /** Everything that the scheduler heard and said, from which it is put together again when its process ends. */
        private final List<Event> heard = new ArrayList<>();

        private final List<Command> said = new ArrayList<>();
        private final Map<Integer, Integer> taskCounts = new TreeMap<>();
        private final Set<String> workers = new TreeSet<>();
        private int workersMade;
        private final Map<AttemptId, String> running =
                new TreeMap<>((a, b) -> a.toString().compareTo(b.toString()));
        private final List<Event> old = new ArrayList<>();
        private final List<Event> pending = new ArrayList<>();
        /** What counts for each task, and the worker that has it; as the scheduler must see it. */
        private final Map<Integer, Map<Integer, AttemptId>> kept = new HashMap<>();

        private final Map<AttemptId, String> places = new HashMap<>();
        /** Results that are gone without anyone having noticed. */
        private final Set<AttemptId> silentlyLost = new HashSet<>();

        private final Set<Integer> finished = new HashSet<>();
        private final Set<Integer> released = new HashSet<>();
        private boolean faulty = true;
        private boolean ended;
        private long time;
        int reopened;
        int secondAttempts;
        int restarts;

        Simulation(long seed) {
            this.random = new Random(seed);
            this.sink = random.nextBoolean();
            int stages = 1 + random.nextInt(5);
            for (int s = 1; s <= stages; s++) {
                Set<Integer> dependencies = new TreeSet<>();
                for (int d = 1; d < s; d++) {
                    if (random.nextInt(3) == 0) {
                        dependencies.add(d);
                    }
                }
                taskCounts.put(s, random.nextInt(5) == 0 ? 0 : 1 + random.nextInt(random.nextInt(8) == 0 ? 40 : 8));
                boolean last = s == stages;
                if (last) {
                    // Every stage is read by someone, as in a plan.
                    for (int d = 1; d < s; d++) {
                        int stage = d;
                        if (specs.stream().noneMatch(spec -> spec.dependencies().contains(stage))) {
                            dependencies.add(d);
                        }
                    }
                }
                OptionalLong wanted = random.nextInt(6) == 0 ? OptionalLong.of(5) : OptionalLong.empty();
                specs.add(new StageSpec(s, List.copyOf(dependencies), wanted, !(last && sink)));
            }
            this.ahead = random.nextInt(3);
            this.limit = random.nextInt(4) == 0 ? 1 + random.nextInt(4) : 0;
            this.scheduler = newScheduler();
        }

        private Scheduler newScheduler() {
            return new Scheduler(specs, 1_000_000, ahead, limit);
        }

        /** The process ends; another one hears what was heard before, and must say the same. */
        private void restart() {
            restarts++;
            scheduler = newScheduler();
            List<Command> again = new ArrayList<>(scheduler.start());
            heard.forEach(event -> again.addAll(scheduler.handle(event)));
            assertEquals(said, again);
        }

        private void hear(Event event) {
            heard.add(event);
            List<Command> commands = scheduler.handle(event);
            said.addAll(commands);
            apply(commands);
        }

        void run() {
            List<Command> first = scheduler.start();
            said.addAll(first);
            apply(first);
            for (int step = 0; step < 20_000 && !ended; step++) {
                faulty = step < 400;
                Event event = next();
                if (event instanceof Event.AttemptSucceeded || event instanceof Event.AttemptFailed) {
                    old.add(event);
                }
                note(event);
                hear(event);
                if (faulty && random.nextInt(150) == 0) {
                    restart();
                }
            }
            assertTrue(ended, "no end");
            StageSpec last = specs.get(specs.size() - 1);
            // A result that was taken can be lost afterwards; what was written outside cannot.
            if (sink && last.rowsWanted().isEmpty()) {
                assertEquals(
                        taskCounts.get(last.id()),
                        kept.getOrDefault(last.id(), Map.of()).size());
            }
        }

        private Event next() {
            int dice = random.nextInt(faulty ? 14 : 200);
            if (workers.isEmpty() || dice == 0 && workers.size() < 4) {
                String name = "w" + workersMade++;
                workers.add(name);
                return new Event.WorkerJoined(name, SLOTS);
            }
            if (dice == 1 && faulty && workers.size() > 1) {
                return new Event.WorkerLost(any(workers));
            }
            if (dice == 2 && !old.isEmpty()) {
                return old.get(random.nextInt(old.size()));
            }
            if (dice == 3) {
                time += random.nextInt(5000);
                return new Event.Tick(time);
            }
            if (dice == 4 && faulty) {
                kept.values().stream()
                        .flatMap(m -> m.values().stream())
                        .filter(a -> specs.get(a.stage() - 1).staysOnWorker())
                        .skip(random.nextInt(3))
                        .findFirst()
                        .ifPresent(silentlyLost::add);
            }
            if (dice == 5 && faulty) {
                // A copy elsewhere counts from now on, whether or not it is of something that does.
                AttemptId moved = anyKept();
                if (moved != null) {
                    return new Event.ResultMoved(moved, any(workers));
                }
            }
            if (dice == 6 && faulty && !running.isEmpty()) {
                return new Event.InputLost(any(running.keySet()), null);
            }
            if (!pending.isEmpty()) {
                return pending.remove(random.nextInt(pending.size()));
            }
            if (running.isEmpty()) {
                return new Event.Tick(time += 100);
            }
            AttemptId attempt = any(running.keySet());
            AttemptId lost = lostInput(attempt);
            if (lost != null) {
                return new Event.InputLost(attempt, lost);
            }
            return random.nextInt(4) == 0
                    ? new Event.AttemptFailed(attempt, true)
                    : new Event.AttemptSucceeded(attempt, random.nextInt(3));
        }

        private AttemptId anyKept() {
            List<AttemptId> all =
                    kept.values().stream().flatMap(m -> m.values().stream()).toList();
            return all.isEmpty() ? null : all.get(random.nextInt(all.size()));
        }

        private <T> T any(Set<T> set) {
            return List.copyOf(set).get(random.nextInt(set.size()));
        }

        /** Something that the attempt reads and that is not there. */
        private AttemptId lostInput(AttemptId attempt) {
            for (int d : specs.get(attempt.stage() - 1).dependencies()) {
                for (AttemptId producer : kept.getOrDefault(d, Map.of()).values()) {
                    if (silentlyLost.contains(producer)) {
                        return producer;
                    }
                }
            }
            return null;
        }

        private void note(Event event) {
            switch (event) {
                case Event.WorkerLost e -> {
                    workers.remove(e.worker());
                    running.values().removeIf(w -> w.equals(e.worker()));
                    for (Map<Integer, AttemptId> tasks : kept.values()) {
                        tasks.values()
                                .removeIf(a -> specs.get(a.stage() - 1).staysOnWorker()
                                        && e.worker().equals(places.get(a)));
                    }
                }
                case Event.AttemptSucceeded e -> {
                    String worker = running.remove(e.attempt());
                    if (worker != null) {
                        places.put(e.attempt(), worker);
                        AttemptId before = kept.computeIfAbsent(e.attempt().stage(), s -> new HashMap<>())
                                .put(e.attempt().task(), e.attempt());
                        assertNull(before, "counted twice " + e.attempt());
                    }
                }
                case Event.AttemptFailed e -> running.remove(e.attempt());
                case Event.InputLost e -> {
                    running.remove(e.attempt());
                    if (e.producer() != null) {
                        forget(e.producer());
                    }
                }
                case Event.ResultMoved e -> places.put(e.attempt(), e.worker());
                case Event.ResultLost e -> forget(e.producer());
                default -> {
                    // nothing to note
                }
            }
        }

        private void forget(AttemptId producer) {
            kept.getOrDefault(producer.stage(), Map.of()).remove(producer.task(), producer);
        }

        private void apply(List<Command> commands) {
            for (Command command : commands) {
                boolean late = ended && !(command instanceof Command.Stop);
                assertTrue(!late, "a command after the end: " + command);
                switch (command) {
                    case Command.PrepareStage c -> {
                        assertTrue(finished.containsAll(specs.get(c.stage() - 1).dependencies()));
                        pending.add(
                                new Event.StagePrepared(c.stage(), taskCounts.get(c.stage()), somePlaces(c.stage())));
                    }
                    case Command.Launch c -> launched(c);
                    case Command.Stop c -> running.remove(c.attempt());
                    case Command.StageFinished c -> {
                        assertTrue(finished.add(c.stage()), "finished twice: " + c.stage());
                        if (c.stage() == specs.size() && !sink) {
                            finishedResult();
                        }
                    }
                    case Command.StageReopened c -> {
                        reopened++;
                        finished.remove(c.stage());
                        released.remove(c.stage());
                    }
                    case Command.ReleaseStage c -> {
                        released.add(c.stage());
                        finished.add(c.stage());
                        kept.remove(c.stage());
                    }
                    case Command.RunSucceeded c -> ended = true;
                    default -> throw new AssertionError("unexpected " + command);
                }
            }
        }

        /** Some tasks are best run somewhere, which need not be there. */
        private Map<Integer, String> somePlaces(int stage) {
            Map<Integer, String> some = new HashMap<>();
            for (int t = 0; t < taskCounts.get(stage); t++) {
                if (random.nextBoolean()) {
                    some.put(t, "w" + random.nextInt(workersMade + 1));
                }
            }
            return some;
        }

        /** Whoever wants the result takes it, unless it is gone in the meantime. */
        private void finishedResult() {
            for (AttemptId attempt : kept.getOrDefault(specs.size(), Map.of()).values()) {
                if (silentlyLost.contains(attempt) || faulty && random.nextInt(8) == 0) {
                    pending.add(new Event.ResultLost(attempt));
                    return;
                }
            }
            pending.add(new Event.ResultTaken());
        }

        private void launched(Command.Launch c) {
            assertTrue(workers.contains(c.worker()), "launched on a lost worker");
            boolean alone = running.keySet().stream()
                    .noneMatch(a -> a.stage() == c.attempt().stage()
                            && a.task() == c.attempt().task());
            secondAttempts += alone ? 0 : 1;
            assertNull(running.put(c.attempt(), c.worker()), "launched twice");
            long busy = running.values().stream().filter(c.worker()::equals).count();
            assertTrue(busy <= SLOTS + ahead, "too many attempts on " + c.worker());
            assertTrue(limit == 0 || running.size() <= limit, "more attempts than the run may have");
            for (int d : specs.get(c.attempt().stage() - 1).dependencies()) {
                assertTrue(finished.contains(d), "stage " + d + " is not there for " + c.attempt());
                if (specs.get(d - 1).rowsWanted().isEmpty()) {
                    assertEquals(
                            taskCounts.get(d),
                            kept.getOrDefault(d, Map.of()).size(),
                            "stage " + d + " has not all results for " + c.attempt());
                }
            }
        }
    }
}
