package org.unimeros.engine.schedule;

import java.util.ArrayList;
import java.util.Collection;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import org.unimeros.engine.error.Failure.Tries;

/**
 * Decides which attempt runs where and when a run is over.
 *
 * <p>A deterministic state machine: {@link #handle} takes one event, changes the state and returns the commands that
 * follow. The same events in the same order give the same commands.
 *
 * <ol>
 *   <li>A stage is prepared once, when all stages that it depends on are finished.
 *   <li>A task's result counts once, whatever is reported of other attempts; it counts no more when it is lost.
 *   <li>An attempt is launched only while the results of all tasks that it reads are there, as far as is known.
 *   <li>A slot runs at most one attempt, and a limited number waits for it. A run with a limit never has more attempts under way.
 *   <li>A task that would end the run by one more lost worker is launched where nothing else of the run is, so that it is
 *       not blamed for what an attempt beside it does.
 *   <li>Once the run has ended no command but {@link Command.Stop} is given.
 * </ol>
 *
 * Results that stay on workers are lost with them. They are made again where a stage that is not finished reads them; if
 * what made them was released already, that is made again as well. Tasks start in the order of their numbers, earlier
 * stages first. Not thread-safe.
 */
public final class Scheduler {

    /** A task that is slower than the middle one of its stage by this factor gets a second attempt. */
    private static final int SLOW_FACTOR = 2;

    /** Less than this is not worth a second attempt. */
    private static final long SLOW_MILLIS = 2_000;

    /** Attempts of one task that find their input lost, per attempt that may fail. */
    private static final int LOSSES_PER_ATTEMPT = 10;

    /** Tasks per slot that must wait for workers to be told of more than they have slots for. */
    private static final int MANY = 8;

    /** Waiting tasks among which one is looked for that reads what a worker has. */
    private static final int LOOK_AHEAD = 256;

    /** Where an attempt runs, and since when. */
    private record Place(String worker, long since) {}

    private final Map<Integer, StageState> stages = new TreeMap<>();
    private final Map<AttemptId, Place> running = new LinkedHashMap<>();
    private final FreeSlots slots = new FreeSlots();
    private final int attemptsPerTask;
    private final int ahead;
    private final int limit;
    private long now;
    private boolean ended;

    public Scheduler(List<StageSpec> specs, int attemptsPerTask) {
        this(specs, attemptsPerTask, 0, 0);
    }

    /**
     * A scheduler that tells workers of attempts before they have a slot for them, so that they need not wait for the next one.
     *
     * @param ahead so many for each worker, while far more tasks wait than there are slots
     * @param limit no more attempts than this run at the same time, and none is told ahead; 0 for any number
     */
    public Scheduler(List<StageSpec> specs, int attemptsPerTask, int ahead, int limit) {
        this.limit = limit == 0 ? Integer.MAX_VALUE : limit;
        this.ahead = limit == 0 ? ahead : 0;
        specs.forEach(spec -> stages.put(spec.id(), new StageState(spec)));
        for (StageState stage : stages.values()) {
            for (int id : stage.spec.dependencies()) {
                stage.dependencies.add(stages.get(id));
                stages.get(id).dependents.add(stage);
            }
        }
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
        if (ended) {
            return commands;
        }
        switch (event) {
            case Event.WorkerJoined e -> slots.join(e.worker(), e.slots());
            case Event.WorkerLeaving e -> slots.leaving(e.worker());
            case Event.WorkerLost e -> workerLost(e.worker(), commands);
            case Event.StagePrepared e -> stagePrepared(e, commands);
            case Event.AttemptSucceeded e -> succeeded(e, commands);
            case Event.AttemptFailed e -> failed(e, commands);
            case Event.InputLost e -> inputLost(e, commands);
            case Event.ResultTaken e -> end(new Command.RunSucceeded(), commands);
            case Event.ResultLost e -> lost(e.producer(), commands);
            case Event.ResultMoved e -> moved(e);
            case Event.CancelRequested e -> end(new Command.RunCancelled(e.reason()), commands);
            case Event.Tick e -> now = e.millis();
        }
        launch(commands);
        if (event instanceof Event.Tick) {
            launchSecondAttempts(commands);
        }
        return commands;
    }

    /** Whether the run is over, however it ended. */
    public boolean isEnded() {
        return ended;
    }

    /** Attempts that run, or would run if there were slots for them. */
    public int wanted() {
        int waiting = 0;
        for (StageState stage : stages.values()) {
            waiting += stage.isReady() ? stage.waiting.size() : 0;
        }
        return ended ? 0 : Math.min(limit, running.size() + waiting);
    }

    /** Whether a report of an attempt is awaited. */
    public boolean isRunning(AttemptId attempt) {
        return running.containsKey(attempt);
    }

    /** Whether the result of an attempt is the one that counts for its task. */
    public boolean counts(AttemptId attempt) {
        StageState stage = stages.get(attempt.stage());
        return stage.tasks != null && attempt.equals(stage.tasks.get(attempt.task()).kept);
    }

    private void stagePrepared(Event.StagePrepared e, List<Command> commands) {
        StageState stage = stages.get(e.stage());
        stage.tasks = new ArrayList<>();
        stage.places = e.places();
        for (int i = 0; i < e.tasks(); i++) {
            stage.tasks.add(new TaskState());
            stage.waiting.add(i);
        }
        stage.open = e.tasks();
        finishIfDone(stage, commands);
    }

    private void succeeded(Event.AttemptSucceeded e, List<Command> commands) {
        Place place = release(e.attempt());
        if (place == null) {
            return;
        }
        StageState stage = stages.get(e.attempt().stage());
        TaskState task = stage.tasks.get(e.attempt().task());
        List.copyOf(task.running).forEach(other -> stop(other, commands));
        stage.waiting.remove(e.attempt().task());
        task.kept = e.attempt();
        task.place = place.worker;
        task.rows = e.rows();
        stage.durations.add(now - place.since);
        stage.open--;
        if (stage.spec.rowsWanted().isPresent()) {
            dropUnneeded(stage, commands);
        }
        finishIfDone(stage, commands);
    }

    /** Gives the slot back; null when the attempt is not known to run, so that its report must not count. */
    private Place release(AttemptId attempt) {
        Place place = running.remove(attempt);
        if (place != null) {
            slots.give(place.worker);
            stages.get(attempt.stage()).tasks.get(attempt.task()).running.remove(attempt);
        }
        return place;
    }

    private void stop(AttemptId attempt, List<Command> commands) {
        Place place = release(attempt);
        commands.add(new Command.Stop(attempt, place.worker));
    }

    private void stopAll(StageState stage, List<Command> commands) {
        stage.waiting.clear();
        List<AttemptId> late = running.keySet().stream()
                .filter(a -> a.stage() == stage.spec.id())
                .toList();
        late.forEach(a -> stop(a, commands));
        stage.open = 0;
    }

    private void dropUnneeded(StageState stage, List<Command> commands) {
        while (stage.prefix < stage.tasks.size() && stage.tasks.get(stage.prefix).kept != null) {
            stage.prefixRows += stage.tasks.get(stage.prefix++).rows;
        }
        if (stage.prefixRows < stage.spec.rowsWanted().getAsLong()) {
            return;
        }
        stopAll(stage, commands);
        stage.dropped.set(stage.prefix, stage.tasks.size());
    }

    private void finishIfDone(StageState stage, List<Command> commands) {
        if (stage.open > 0 || stage.finished || ended) {
            return;
        }
        stage.finished = true;
        commands.add(new Command.StageFinished(stage.spec.id()));
        stage.dependencies.forEach(d -> releaseIfUnread(d, commands));
        boolean takenByNobody =
                stages.values().stream().noneMatch(s -> s.dependents.isEmpty() && s.spec.staysOnWorker());
        if (takenByNobody && stages.values().stream().allMatch(s -> s.finished)) {
            end(new Command.RunSucceeded(), commands);
        } else {
            prepareReady(commands);
        }
    }

    /** Lets go of what all readers have read, and with it of attempts to make it again. */
    private void releaseIfUnread(StageState stage, List<Command> commands) {
        if (stage.released || !stage.dependents.stream().allMatch(d -> d.finished)) {
            return;
        }
        stopAll(stage, commands);
        stage.released = true;
        stage.finished = true;
        commands.add(new Command.ReleaseStage(stage.spec.id()));
        stage.dependencies.forEach(d -> releaseIfUnread(d, commands));
    }

    private void prepareReady(List<Command> commands) {
        for (StageState stage : stages.values()) {
            boolean ready = !stage.prepared && stage.dependencies.stream().allMatch(d -> d.finished);
            if (ready) {
                stage.prepared = true;
                commands.add(new Command.PrepareStage(stage.spec.id()));
            }
        }
    }

    private void failed(Event.AttemptFailed e, List<Command> commands) {
        Place place = release(e.attempt());
        if (place == null) {
            return;
        }
        StageState stage = stages.get(e.attempt().stage());
        TaskState task = stage.tasks.get(e.attempt().task());
        task.failures++;
        task.avoid = with(task.avoid, place.worker);
        if (e.again()) {
            slots.fault(place.worker);
        }
        if (e.again() && task.failures < attemptsPerTask) {
            again(stage, e.attempt().task());
        } else {
            Tries tries =
                    e.again() || task.failures > 1 ? new Tries(task.failures, attemptsPerTask, place.worker) : null;
            end(new Command.TaskFailed(e.attempt(), tries), commands);
        }
    }

    private static Set<String> with(Set<String> set, String one) {
        Set<String> larger = new HashSet<>(set);
        larger.add(one);
        return larger;
    }

    private static void again(StageState stage, int task) {
        if (stage.tasks.get(task).running.isEmpty()) {
            stage.waiting.add(task);
        }
    }

    private void workerLost(String worker, List<Command> commands) {
        slots.remove(worker);
        List<AttemptId> gone = running.entrySet().stream()
                .filter(e -> e.getValue().worker.equals(worker))
                .map(Map.Entry::getKey)
                .toList();
        for (AttemptId attempt : gone) {
            release(attempt);
            StageState stage = stages.get(attempt.stage());
            TaskState task = stage.tasks.get(attempt.task());
            if (++task.workersLost >= attemptsPerTask) {
                end(
                        new Command.RunFailed("stage " + attempt.stage() + " task " + attempt.task() + " ran on "
                                + task.workersLost
                                + " workers, and each of them was lost; does it end its process, or use up all memory? The logs of"
                                + " the workers may say"),
                        commands);
                return;
            }
            again(stage, attempt.task());
        }
        for (StageState stage : stages.values()) {
            if (stage.spec.staysOnWorker() && stage.tasks != null && !stage.released) {
                for (int t = 0; t < stage.tasks.size(); t++) {
                    TaskState task = stage.tasks.get(t);
                    if (task.kept != null && worker.equals(task.place)) {
                        forget(stage, t, commands);
                    }
                }
            }
        }
    }

    private void inputLost(Event.InputLost e, List<Command> commands) {
        if (release(e.attempt()) == null) {
            return;
        }
        StageState stage = stages.get(e.attempt().stage());
        TaskState task = stage.tasks.get(e.attempt().task());
        if (++task.inputsLost >= LOSSES_PER_ATTEMPT * attemptsPerTask) {
            end(
                    new Command.RunFailed("stage " + e.attempt().stage() + " task "
                            + e.attempt().task() + " could not read its input " + task.inputsLost + " times, the last"
                            + " time "
                            + (e.producer() == null ? "what is held elsewhere" : "what " + e.producer() + " had made")),
                    commands);
            return;
        }
        again(stage, e.attempt().task());
        if (e.producer() != null) {
            lost(e.producer(), commands);
        }
    }

    private void moved(Event.ResultMoved e) {
        if (counts(e.attempt())) {
            stages.get(e.attempt().stage()).tasks.get(e.attempt().task()).place = e.worker();
        }
    }

    private void lost(AttemptId producer, List<Command> commands) {
        if (counts(producer) && !stages.get(producer.stage()).released) {
            // Whoever cannot reach the worker now may not reach it next time either.
            TaskState task = stages.get(producer.stage()).tasks.get(producer.task());
            task.avoid = with(task.avoid, task.place);
            forget(stages.get(producer.stage()), producer.task(), commands);
        }
    }

    /** The result of a task is not there any more. */
    private void forget(StageState stage, int number, List<Command> commands) {
        TaskState task = stage.tasks.get(number);
        task.kept = null;
        task.place = null;
        // It may have been read before it was known that it is not needed.
        stage.dropped.clear(number);
        stage.prefix = 0;
        stage.prefixRows = 0;
        stage.waiting.add(number);
        stage.open++;
        reopen(stage, commands);
    }

    private void reopen(StageState stage, List<Command> commands) {
        if (stage.finished) {
            stage.finished = false;
            commands.add(new Command.StageReopened(stage.spec.id()));
        }
        stage.dependencies.forEach(d -> needAgain(d, commands));
    }

    /** Makes what was released once more. */
    private void needAgain(StageState stage, List<Command> commands) {
        if (!stage.released) {
            return;
        }
        stage.released = false;
        for (int t = 0; t < stage.tasks.size(); t++) {
            if (!stage.dropped.get(t)) {
                TaskState task = stage.tasks.get(t);
                task.kept = null;
                task.place = null;
                stage.waiting.add(t);
                stage.open++;
            }
        }
        stage.prefix = 0;
        stage.prefixRows = 0;
        if (stage.open > 0) {
            reopen(stage, commands);
        }
    }

    private void end(Command how, List<Command> commands) {
        List.copyOf(running.keySet()).forEach(a -> stop(a, commands));
        ended = true;
        commands.add(how);
    }

    private void launch(List<Command> commands) {
        if (ended) {
            return;
        }
        for (StageState stage : stages.values()) {
            if (stage.waiting.isEmpty() || !stage.isReady()) {
                continue;
            }
            if (!launchWaiting(stage, commands)) {
                return;
            }
        }
    }

    /** Launches tasks of a stage while there are slots; false when there is none for anybody. Those that wait for a better worker are passed over. */
    private boolean launchWaiting(StageState stage, List<Command> commands) {
        int passedOver = 0;
        Integer number = stage.waiting.first();
        while (number != null) {
            TaskState task = stage.tasks.get(number);
            boolean alone = runsAlone(task);
            String worker = running.size() >= limit ? null : workerFor(stage, task);
            if (worker == null && (!alone && task.avoid.isEmpty() || ++passedOver > LOOK_AHEAD)) {
                return false;
            }
            if (worker != null) {
                int best = alone ? number : stage.nearest(worker, number, LOOK_AHEAD, this::runsAlone);
                stage.waiting.remove(best);
                launch(stage, best, worker, commands);
            }
            number = worker != null && stage.waiting.contains(number) ? number : stage.waiting.higher(number);
        }
        return true;
    }

    private String workerFor(StageState stage, TaskState task) {
        if (runsAlone(task)) {
            return slots.findIdle(task.avoid);
        }
        boolean many = stage.waiting.size() > MANY * slots.slots();
        return slots.find(task.avoid, many ? ahead : 0);
    }

    private boolean runsAlone(TaskState task) {
        return task.workersLost > 0 && task.workersLost + 1 >= attemptsPerTask;
    }

    private void launch(StageState stage, int number, String worker, List<Command> commands) {
        TaskState task = stage.tasks.get(number);
        AttemptId attempt = new AttemptId(stage.spec.id(), number, task.attempts++);
        slots.take(worker, runsAlone(task));
        running.put(attempt, new Place(worker, now));
        task.running.add(attempt);
        commands.add(new Command.Launch(attempt, worker));
    }

    /** Slots that have nothing else to do try tasks that take far longer than others of their stage. */
    private void launchSecondAttempts(List<Command> commands) {
        boolean busy = ended || stages.values().stream().anyMatch(s -> !s.waiting.isEmpty() && s.isReady());
        if (busy) {
            return;
        }
        for (AttemptId attempt : slow(running.keySet())) {
            StageState stage = stages.get(attempt.stage());
            String slowOn = running.get(attempt).worker;
            String worker = slots.find(with(stage.tasks.get(attempt.task()).avoid, slowOn), 0);
            if (worker != null && !worker.equals(slowOn) && running.size() < limit) {
                launch(stage, attempt.task(), worker, commands);
            }
        }
    }

    private List<AttemptId> slow(Collection<AttemptId> attempts) {
        Map<StageState, Long> limits = new LinkedHashMap<>();
        List<AttemptId> slow = new ArrayList<>();
        for (AttemptId attempt : attempts) {
            StageState stage = stages.get(attempt.stage());
            long limit = limits.computeIfAbsent(stage, Scheduler::slowMillis);
            // One beneath which a worker was lost may be what kills them, and is not tried on two at once.
            TaskState task = stage.tasks.get(attempt.task());
            boolean alone = task.running.size() == 1 && task.workersLost == 0;
            if (alone && stage.isReady() && now - running.get(attempt).since > limit) {
                slow.add(attempt);
            }
        }
        return slow;
    }

    /** How long a task of a stage may take before it counts as slow; for ever while fewer than half are done. */
    private static long slowMillis(StageState stage) {
        int done = stage.durations.size();
        if (done == 0 || done < stage.tasks.size() / 2) {
            return Long.MAX_VALUE;
        }
        List<Long> sorted = stage.durations.stream().sorted().toList();
        return SLOW_FACTOR * sorted.get(done / 2) + SLOW_MILLIS;
    }
}
