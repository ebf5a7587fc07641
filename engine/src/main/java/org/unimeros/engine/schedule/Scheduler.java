package org.unimeros.engine.schedule;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.TreeSet;

/**
 * Decides which attempt runs where and when a run is over.
 *
 * <p>A deterministic state machine: {@link #handle} takes one event, changes the state and returns the commands that
 * follow. The same events in the same order give the same commands.
 *
 * <ol>
 *   <li>A stage is prepared once, when all stages that it depends on are finished.
 *   <li>A task has at most one running attempt, and its result counts once, whatever is reported of late attempts.
 *   <li>A slot runs at most one attempt.
 *   <li>Once the run has ended no command but {@link Command.Stop} is given.
 * </ol>
 *
 * Tasks start in the order of their numbers, earlier stages first. Not thread-safe.
 */
public final class Scheduler {

    private enum RunState {
        RUNNING,
        ENDED
    }

    private static final class TaskState {
        int attempts;
        int failures;
        boolean done;
        long rows;
    }

    private static final class StageState {
        final StageSpec spec;
        boolean prepared;
        boolean finished;
        List<TaskState> tasks;
        final TreeSet<Integer> waiting = new TreeSet<>();
        int open;
        int prefix;
        long prefixRows;

        StageState(StageSpec spec) {
            this.spec = spec;
        }
    }

    private final Map<Integer, StageState> stages = new TreeMap<>();
    private final Map<AttemptId, String> running = new LinkedHashMap<>();
    private final Map<String, Integer> freeSlots = new TreeMap<>();
    private final int attemptsPerTask;
    private RunState state = RunState.RUNNING;

    public Scheduler(List<StageSpec> specs, int attemptsPerTask) {
        specs.forEach(spec -> stages.put(spec.id(), new StageState(spec)));
        this.attemptsPerTask = attemptsPerTask;
    }

    /** The first commands of the run. */
    public List<Command> start() {
        List<Command> commands = new ArrayList<>();
        prepareReady(commands);
        return commands;
    }

    public List<Command> handle(Event event) {
        List<Command> commands = new ArrayList<>();
        if (state == RunState.ENDED) {
            return commands;
        }
        switch (event) {
            case Event.WorkerJoined e -> freeSlots.put(e.worker(), e.slots());
            case Event.WorkerLost e -> workerLost(e.worker());
            case Event.StagePrepared e -> stagePrepared(e, commands);
            case Event.AttemptSucceeded e -> succeeded(e, commands);
            case Event.AttemptFailed e -> failed(e, commands);
            case Event.CancelRequested e -> end(new Command.RunCancelled(e.reason()), commands);
        }
        launch(commands);
        return commands;
    }

    /** Whether the run is over, however it ended. */
    public boolean isEnded() {
        return state == RunState.ENDED;
    }

    private void workerLost(String worker) {
        freeSlots.remove(worker);
        List<AttemptId> gone = running.entrySet().stream()
                .filter(e -> e.getValue().equals(worker))
                .map(Map.Entry::getKey)
                .toList();
        for (AttemptId attempt : gone) {
            running.remove(attempt);
            stages.get(attempt.stage()).waiting.add(attempt.task());
        }
    }

    private void stagePrepared(Event.StagePrepared e, List<Command> commands) {
        StageState stage = stages.get(e.stage());
        stage.tasks = new ArrayList<>();
        for (int i = 0; i < e.tasks(); i++) {
            stage.tasks.add(new TaskState());
            stage.waiting.add(i);
        }
        stage.open = e.tasks();
        finishIfDone(stage, commands);
    }

    private void succeeded(Event.AttemptSucceeded e, List<Command> commands) {
        if (!release(e.attempt())) {
            return;
        }
        StageState stage = stages.get(e.attempt().stage());
        TaskState task = stage.tasks.get(e.attempt().task());
        task.done = true;
        task.rows = e.rows();
        stage.open--;
        if (stage.spec.rowsWanted().isPresent()) {
            dropUnneeded(stage, commands);
        }
        finishIfDone(stage, commands);
    }

    /** Gives the slot back; false when the attempt is not known to run, so that its report must not count. */
    private boolean release(AttemptId attempt) {
        String worker = running.remove(attempt);
        if (worker == null) {
            return false;
        }
        freeSlots.computeIfPresent(worker, (w, free) -> free + 1);
        return true;
    }

    private void dropUnneeded(StageState stage, List<Command> commands) {
        while (stage.prefix < stage.tasks.size() && stage.tasks.get(stage.prefix).done) {
            stage.prefixRows += stage.tasks.get(stage.prefix++).rows;
        }
        if (stage.prefixRows < stage.spec.rowsWanted().getAsLong()) {
            return;
        }
        stage.waiting.clear();
        List<AttemptId> late = running.keySet().stream()
                .filter(a -> a.stage() == stage.spec.id())
                .toList();
        late.forEach(a -> stop(a, commands));
        stage.open = 0;
    }

    private void stop(AttemptId attempt, List<Command> commands) {
        String worker = running.get(attempt);
        release(attempt);
        commands.add(new Command.Stop(attempt, worker));
    }

    private void finishIfDone(StageState stage, List<Command> commands) {
        if (stage.open > 0 || stage.finished) {
            return;
        }
        stage.finished = true;
        commands.add(new Command.StageFinished(stage.spec.id()));
        if (stages.values().stream().allMatch(s -> s.finished)) {
            end(new Command.RunSucceeded(), commands);
        } else {
            prepareReady(commands);
        }
    }

    private void prepareReady(List<Command> commands) {
        for (StageState stage : stages.values()) {
            boolean ready =
                    !stage.prepared && stage.spec.dependencies().stream().allMatch(d -> stages.get(d).finished);
            if (ready) {
                stage.prepared = true;
                commands.add(new Command.PrepareStage(stage.spec.id()));
            }
        }
    }

    private void failed(Event.AttemptFailed e, List<Command> commands) {
        if (!release(e.attempt())) {
            return;
        }
        StageState stage = stages.get(e.attempt().stage());
        TaskState task = stage.tasks.get(e.attempt().task());
        task.failures++;
        if (e.again() && task.failures < attemptsPerTask) {
            stage.waiting.add(e.attempt().task());
        } else {
            String times = task.failures > 1 ? " (attempt " + task.failures + ", the last)" : "";
            end(new Command.RunFailed(e.reason() + times), commands);
        }
    }

    private void end(Command how, List<Command> commands) {
        List.copyOf(running.keySet()).forEach(a -> stop(a, commands));
        state = RunState.ENDED;
        commands.add(how);
    }

    private void launch(List<Command> commands) {
        if (state == RunState.ENDED) {
            return;
        }
        for (StageState stage : stages.values()) {
            while (!stage.waiting.isEmpty()) {
                String worker = freest();
                if (worker == null) {
                    return;
                }
                int number = stage.waiting.pollFirst();
                AttemptId attempt = new AttemptId(stage.spec.id(), number, stage.tasks.get(number).attempts++);
                freeSlots.merge(worker, -1, Integer::sum);
                running.put(attempt, worker);
                commands.add(new Command.Launch(attempt, worker));
            }
        }
    }

    /** The worker with the most free slots, the first by name among equals; null when none has one. */
    private String freest() {
        String best = null;
        int most = 0;
        for (Map.Entry<String, Integer> worker : freeSlots.entrySet()) {
            if (worker.getValue() > most) {
                best = worker.getKey();
                most = worker.getValue();
            }
        }
        return best;
    }
}
