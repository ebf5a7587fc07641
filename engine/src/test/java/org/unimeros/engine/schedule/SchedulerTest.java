package org.unimeros.engine.schedule;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.OptionalLong;
import java.util.Set;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.error.Failure.Tries;
import org.unimeros.engine.schedule.Replanner.PartRange;

class SchedulerTest {

    private static StageSpec stage(int id, Integer... dependencies) {
        return new StageSpec(id, List.of(dependencies), OptionalLong.empty(), false);
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
                List.of(
                        new Command.StageFinished(3),
                        new Command.ReleaseStage(1),
                        new Command.ReleaseStage(2),
                        new Command.RunSucceeded()),
                scheduler.handle(new Event.StagePrepared(3, 0)));
    }

    @Test
    void aFailedTaskIsTriedAgainUntilItsLimit() {
        Scheduler scheduler = new Scheduler(List.of(stage(1)), 2);
        scheduler.start();
        scheduler.handle(new Event.WorkerJoined("w", 1));
        scheduler.handle(new Event.StagePrepared(1, 1));
        List<Command> again = scheduler.handle(new Event.AttemptFailed(new AttemptId(1, 0, 0), true));
        assertEquals(List.of(new Command.Launch(new AttemptId(1, 0, 1), "w")), again);
        List<Command> last = scheduler.handle(new Event.AttemptFailed(new AttemptId(1, 0, 1), true));
        assertEquals(List.of(new Command.TaskFailed(new AttemptId(1, 0, 1), new Tries(2, 2, "w"))), last);
        assertTrue(scheduler.handle(success(new AttemptId(1, 0, 1))).isEmpty());
    }

    @Test
    void aFailureThatWouldComeAgainEndsTheRunAndStopsTheOthers() {
        Scheduler scheduler = new Scheduler(List.of(stage(1)), 5);
        scheduler.start();
        scheduler.handle(new Event.WorkerJoined("w", 2));
        scheduler.handle(new Event.StagePrepared(1, 3));
        List<Command> commands = scheduler.handle(new Event.AttemptFailed(new AttemptId(1, 0, 0), false));
        assertEquals(
                List.of(
                        new Command.Stop(new AttemptId(1, 1, 0), "w"),
                        new Command.TaskFailed(new AttemptId(1, 0, 0), null)),
                commands);
    }

    @Test
    void tasksBehindTheWantedRowsAreNotNeeded() {
        Scheduler scheduler = new Scheduler(List.of(new StageSpec(1, List.of(), OptionalLong.of(10), false)), 3);
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

    /** Two stages whose results stay on workers: the first with two tasks, done on a and b. */
    private static Scheduler halfWay() {
        Scheduler scheduler = new Scheduler(
                List.of(
                        new StageSpec(1, List.of(), OptionalLong.empty(), true),
                        new StageSpec(2, List.of(1), OptionalLong.empty(), true)),
                3);
        scheduler.start();
        scheduler.handle(new Event.WorkerJoined("a", 1));
        scheduler.handle(new Event.WorkerJoined("b", 1));
        scheduler.handle(new Event.StagePrepared(1, 2));
        scheduler.handle(success(new AttemptId(1, 0, 0)));
        scheduler.handle(success(new AttemptId(1, 1, 0)));
        return scheduler;
    }

    @Test
    void whatALostWorkerMadeIsMadeAgainBeforeItIsRead() {
        Scheduler scheduler = halfWay();
        assertEquals(
                List.of(new Command.StageReopened(1), new Command.Launch(new AttemptId(1, 1, 1), "a")),
                scheduler.handle(new Event.WorkerLost("b")));
        assertEquals(List.of(), scheduler.handle(new Event.StagePrepared(2, 1)));
        assertEquals(
                List.of(new Command.StageFinished(1), new Command.Launch(new AttemptId(2, 0, 0), "a")),
                scheduler.handle(success(new AttemptId(1, 1, 1))));
    }

    @Test
    void aResultThatIsLostBeforeItIsTakenIsMadeAgainWithAllThatItNeeds() {
        Scheduler scheduler = halfWay();
        scheduler.handle(new Event.StagePrepared(2, 1));
        assertEquals(
                List.of(new Command.StageFinished(2), new Command.ReleaseStage(1)),
                scheduler.handle(success(new AttemptId(2, 0, 0))));
        List<Command> lost = scheduler.handle(new Event.ResultLost(new AttemptId(2, 0, 0)));
        assertEquals(
                List.of(
                        new Command.StageReopened(2),
                        new Command.StageReopened(1),
                        new Command.Launch(new AttemptId(1, 0, 1), "a"),
                        new Command.Launch(new AttemptId(1, 1, 1), "b")),
                lost);
        scheduler.handle(success(new AttemptId(1, 0, 1)));
        scheduler.handle(success(new AttemptId(1, 1, 1)));
        scheduler.handle(success(new AttemptId(2, 0, 1)));
        assertEquals(List.of(new Command.RunSucceeded()), scheduler.handle(new Event.ResultTaken()));
    }

    @Test
    void inputThatCannotBeReadIsMadeAgainAndIsNoFailureOfItsReader() {
        Scheduler scheduler = halfWay();
        scheduler.handle(new Event.StagePrepared(2, 1));
        AttemptId reader = new AttemptId(2, 0, 0);
        assertEquals(
                List.of(new Command.StageReopened(1), new Command.Launch(new AttemptId(1, 0, 1), "b")),
                scheduler.handle(new Event.InputLost(reader, new AttemptId(1, 0, 0))));
        // What another reader says of the same attempt later is known already.
        assertEquals(List.of(), scheduler.handle(new Event.InputLost(reader, new AttemptId(1, 0, 0))));
    }

    @Test
    void aTaskBeneathWhichWorkersAreLostEndsItsRunOnly() {
        Scheduler scheduler = new Scheduler(List.of(stage(1)), 2);
        scheduler.start();
        scheduler.handle(new Event.WorkerJoined("a", 1));
        scheduler.handle(new Event.WorkerJoined("b", 1));
        scheduler.handle(new Event.StagePrepared(1, 1));
        scheduler.handle(new Event.WorkerLost("a"));
        List<Command> commands = scheduler.handle(new Event.WorkerLost("b"));
        assertEquals(
                List.of(new Command.RunFailed(
                        "stage 1 task 0 ran on 2 workers, and each of them was lost; does it end its process, or use up all memory?"
                                + " The logs of the workers may say")),
                commands);
    }

    @Test
    void aTaskBesideOneThatKillsItsWorkersIsNotBlamed() {
        Scheduler scheduler = new Scheduler(List.of(stage(1)), 3);
        scheduler.start();
        List.of("a", "b", "c").forEach(w -> scheduler.handle(new Event.WorkerJoined(w, 2)));
        List<Command> commands = scheduler.handle(new Event.StagePrepared(1, 8));
        // Whichever worker task 3 runs on is lost with all that runs there.
        Map<AttemptId, String> running = new HashMap<>();
        Command last = null;
        for (int step = 0; step < 100 && !scheduler.isEnded(); step++) {
            for (Command command : commands) {
                if (command instanceof Command.Launch launch) {
                    running.put(launch.attempt(), launch.worker());
                }
            }
            AttemptId killer = running.keySet().stream()
                    .filter(a -> a.task() == 3)
                    .findFirst()
                    .orElse(null);
            if (killer != null) {
                String lost = running.get(killer);
                running.values().removeIf(lost::equals);
                commands = scheduler.handle(new Event.WorkerLost(lost));
            } else {
                AttemptId done = running.keySet().iterator().next();
                running.remove(done);
                commands = scheduler.handle(success(done));
            }
            last = commands.isEmpty() ? last : commands.get(commands.size() - 1);
        }
        assertTrue(
                last.toString().contains("stage 1 task 3 ran on 3 workers, and each of them was lost"),
                last.toString());
    }

    @Test
    void aTaskThatHasItsWorkerForItselfHasNobodyBesideItNorWaitingForItsSlots() {
        Scheduler scheduler = new Scheduler(List.of(stage(1)), 2, 4, 0);
        scheduler.start();
        scheduler.handle(new Event.WorkerJoined("a", 1));
        scheduler.handle(new Event.StagePrepared(1, 100));
        List<Command> commands = new ArrayList<>(scheduler.handle(new Event.WorkerJoined("b", 2)));
        // All that were told to the lost worker may have killed it, and go one by one when the others are done.
        commands.addAll(scheduler.handle(new Event.WorkerLost("a")));
        Set<AttemptId> running = new HashSet<>();
        List<Integer> order = new ArrayList<>();
        while (!scheduler.isEnded()) {
            for (Command command : commands) {
                if (command instanceof Command.Launch launch) {
                    running.add(launch.attempt());
                    order.add(launch.attempt().task());
                }
            }
            assertTrue(running.stream().noneMatch(a -> a.task() < 5) || running.size() == 1, running::toString);
            AttemptId done = running.iterator().next();
            running.remove(done);
            commands = scheduler.handle(success(done));
        }
        assertEquals(List.of(0, 1, 2, 3, 4), order.subList(95, 100));
    }

    @Test
    void aWorkerThatKeepsFailingIsLeftOutWhileThereAreOthers() {
        Scheduler scheduler = new Scheduler(List.of(stage(1)), 100);
        scheduler.start();
        scheduler.handle(new Event.WorkerJoined("bad", 1));
        scheduler.handle(new Event.WorkerJoined("good", 1));
        scheduler.handle(new Event.StagePrepared(1, 50));
        Map<String, Integer> launched = new HashMap<>();
        List<Command> commands = scheduler.handle(new Event.Tick(0));
        AttemptId onBad = new AttemptId(1, 0, 0);
        for (int i = 0; i < 10 && onBad != null; i++) {
            commands = scheduler.handle(new Event.AttemptFailed(onBad, true));
            onBad = null;
            for (Command command : commands) {
                if (command instanceof Command.Launch launch) {
                    launched.merge(launch.worker(), 1, Integer::sum);
                    onBad = launch.worker().equals("bad") ? launch.attempt() : null;
                }
            }
        }
        assertEquals(Map.of("bad", 2), launched);
    }

    @Test
    void aSlowTaskGetsASecondAttemptElsewhereAndTheFirstToFinishCounts() {
        Scheduler scheduler = new Scheduler(List.of(stage(1)), 3);
        scheduler.start();
        scheduler.handle(new Event.WorkerJoined("a", 1));
        scheduler.handle(new Event.WorkerJoined("b", 1));
        scheduler.handle(new Event.StagePrepared(1, 4));
        scheduler.handle(new Event.Tick(1000));
        scheduler.handle(success(new AttemptId(1, 1, 0)));
        scheduler.handle(success(new AttemptId(1, 2, 0)));
        scheduler.handle(success(new AttemptId(1, 3, 0)));
        assertEquals(List.of(), scheduler.handle(new Event.Tick(1500)));
        assertEquals(
                List.of(new Command.Launch(new AttemptId(1, 0, 1), "b")), scheduler.handle(new Event.Tick(10_000)));
        assertEquals(List.of(), scheduler.handle(new Event.Tick(20_000)));
        assertEquals(
                List.of(
                        new Command.Stop(new AttemptId(1, 0, 0), "a"),
                        new Command.StageFinished(1),
                        new Command.RunSucceeded()),
                scheduler.handle(success(new AttemptId(1, 0, 1))));
    }

    @Test
    void aWorkerThatLeavesGetsNothingNew() {
        Scheduler scheduler = new Scheduler(List.of(stage(1)), 3);
        scheduler.start();
        scheduler.handle(new Event.WorkerJoined("a", 1));
        scheduler.handle(new Event.StagePrepared(1, 2));
        scheduler.handle(new Event.WorkerLeaving("a"));
        assertEquals(List.of(), scheduler.handle(success(new AttemptId(1, 0, 0))));
        assertEquals(
                List.of(new Command.Launch(new AttemptId(1, 1, 0), "b")),
                scheduler.handle(new Event.WorkerJoined("b", 1)));
    }

    @Test
    void workersAreToldAheadWhileFarMoreTasksWaitThanThereAreSlots() {
        Scheduler scheduler = new Scheduler(List.of(stage(1)), 3, 2, 0);
        scheduler.start();
        scheduler.handle(new Event.WorkerJoined("a", 1));
        assertEquals(3, scheduler.handle(new Event.StagePrepared(1, 12)).size());
        int running = 3;
        for (int task = 0; task < 12; task++) {
            running += scheduler.handle(success(new AttemptId(1, task, 0))).size() - 1;
            assertTrue(running <= 3, "task " + task);
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
