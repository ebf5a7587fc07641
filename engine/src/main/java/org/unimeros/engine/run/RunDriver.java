package org.unimeros.engine.run;

import java.time.InstantSource;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Queue;
import java.util.Set;
import java.util.TreeSet;
import java.util.concurrent.BlockingQueue;
import java.util.concurrent.ConcurrentLinkedQueue;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.LinkedBlockingQueue;
import java.util.concurrent.TimeUnit;
import java.util.function.Consumer;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.unimeros.engine.error.Failure.Tries;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.RunCancelledException;
import org.unimeros.engine.error.UnimerosException;
import org.unimeros.engine.join.PairGuard;
import org.unimeros.engine.operator.TaskResult;
import org.unimeros.engine.own.Counters;
import org.unimeros.engine.schedule.AttemptId;
import org.unimeros.engine.schedule.Command;
import org.unimeros.engine.schedule.Event;
import org.unimeros.engine.schedule.Scheduler;
import org.unimeros.engine.schedule.StageSpec;
import org.unimeros.engine.schedule.StageTasks;
import org.unimeros.engine.source.TableSink.TaskOutput;
import org.unimeros.engine.stage.Output;
import org.unimeros.engine.stage.PhysicalPlan;
import org.unimeros.engine.stage.Stage;

/**
 * Drives one run: takes what is reported, asks the {@link Scheduler}, and has a {@link Fleet} do what it says.
 *
 * <p>One thread calls {@link #drive} and {@link #conclude}; whatever is reported can come from any thread, at any time, and
 * more than once.
 */
public final class RunDriver {

    private static final Logger LOG = LoggerFactory.getLogger(RunDriver.class);

    private final PhysicalPlan plan;
    private final RunListener listener;
    private final InstantSource clock;
    private final BadRecordLog badRecords;
    private final Scheduler scheduler;
    private final Exchange exchange = new Exchange();
    private final PairGuard pairs;
    private final StageTasks tasks;
    private final BlockingQueue<Report> reports = new LinkedBlockingQueue<>();
    /** What tasks warn of while they run; told before anything else. */
    private final Queue<String> warnings = new ConcurrentLinkedQueue<>();

    private final Queue<RunEvent.Printed> prints = new ConcurrentLinkedQueue<>();

    private final Counters counters = new Counters();
    /** The tasks, as their first attempts, whose counters are in; what is lost and made again counts once. */
    private final Set<AttemptId> counted = new HashSet<>();

    private final Map<String, TreeSet<Integer>> freeSlots = new HashMap<>();
    private final Map<AttemptId, Slot> slots = new HashMap<>();
    private Fleet fleet;
    private volatile boolean driven;
    private volatile int wanted;
    /** Slots of this process; 0 where workers have them. */
    private int ownSlots;

    private boolean writes;
    private RuntimeException failure;
    /** Why the run must end, whatever its tasks do. */
    private RuntimeException verdict;

    private record Slot(String worker, int number) {}

    /** Something that happened, and what is to be done with it before and after the scheduler hears of it. */
    private record Report(Event event, Consumer<RunDriver> before) {}

    private static final Report NOTED = new Report(null, null);
    private static final long SYNC_MILLIS = 20;

    /** Attempts that a worker elsewhere is told of before it has a slot for them. */
    private static final int AHEAD = 4;

    /** What a run made. */
    public record Totals(
            long rows, long bytes, int files, long skippedRecords, Map<String, Map<String, Long>> counters) {}

    /** @param staysOnWorkers whether what tasks make is lost with the worker that made it */
    public RunDriver(
            PhysicalPlan plan,
            RunSettings settings,
            RunListener listener,
            InstantSource clock,
            BadRecordKeeper keeper,
            boolean staysOnWorkers) {
        this.plan = plan;
        this.listener = listener;
        this.clock = clock;
        this.badRecords = new BadRecordLog(settings, keeper);
        this.pairs = new PairGuard(settings.pairsLimit(), settings.failsOverPairs());
        this.tasks = new StageTasks(plan, settings.targetPartBytes(), exchange, pairs, this::warn);
        List<StageSpec> specs = plan.stages().stream()
                .map(s -> new StageSpec(
                        s.id(),
                        s.dependencies(),
                        s.rowsWanted(),
                        staysOnWorkers && !(s.output() instanceof Output.ToSink)))
                .toList();
        this.scheduler =
                new Scheduler(specs, settings.attemptsPerTask(), staysOnWorkers ? AHEAD : 0, settings.slotLimit());
    }

    /** What finished tasks have made. */
    public Exchange exchange() {
        return exchange;
    }

    /** What watches the joins, for attempts in this process. */
    PairGuard pairs() {
        return pairs;
    }

    public void workerJoined(String worker, int slotCount) {
        reports.add(new Report(new Event.WorkerJoined(worker, slotCount), driver -> {
            TreeSet<Integer> free = new TreeSet<>();
            for (int slot = 0; slot < slotCount; slot++) {
                free.add(slot);
            }
            driver.freeSlots.put(worker, free);
            driver.tell(new RunEvent.WorkerJoined(clock.millis(), worker, slotCount));
        }));
    }

    /** The worker of a process that has no others; nobody is told of it. */
    void onlyWorker(String worker, int slotCount) {
        ownSlots = slotCount;
        TreeSet<Integer> free = new TreeSet<>();
        for (int slot = 0; slot < slotCount; slot++) {
            free.add(slot);
        }
        freeSlots.put(worker, free);
        reports.add(new Report(new Event.WorkerJoined(worker, slotCount), null));
    }

    public void workerLeaving(String worker) {
        reports.add(new Report(new Event.WorkerLeaving(worker), null));
    }

    public void workerLost(String worker, String reason) {
        reports.add(new Report(new Event.WorkerLost(worker), driver -> {
            driver.slots.values().removeIf(slot -> slot.worker.equals(worker));
            if (driver.freeSlots.remove(worker) != null) {
                driver.tell(new RunEvent.WorkerLost(clock.millis(), worker, reason));
            }
        }));
    }

    public void succeeded(AttemptId attempt, TaskRunner.Done done, AttemptNotes noted) {
        Event event = new Event.AttemptSucceeded(attempt, done.result().rows());
        reports.add(new Report(event, driver -> driver.noteSuccess(attempt, done, noted)));
    }

    /** @param again whether another attempt could succeed */
    public void failed(AttemptId attempt, RuntimeException reason, boolean again) {
        Event event = new Event.AttemptFailed(attempt, again);
        reports.add(new Report(event, driver -> driver.noteFailure(attempt, reason)));
    }

    /** What an attempt made is at another worker as well, and that one counts from now on. */
    public void resultMoved(AttemptId attempt, String worker) {
        reports.add(
                new Report(new Event.ResultMoved(attempt, worker), driver -> driver.exchange.touch(attempt.stage())));
    }

    /**
     * An attempt could not read what another one made.
     *
     * @param producer null when that is still there, or is not of this run
     */
    public void inputLost(AttemptId attempt, AttemptId producer, String reason) {
        reports.add(new Report(new Event.InputLost(attempt, producer), driver -> {
            int slot = driver.freed(attempt);
            if (driver.scheduler.isRunning(attempt)) {
                driver.tell(new RunEvent.AttemptFailed(clock.millis(), attempt, slot, reason));
            }
        }));
    }

    /** Whoever asked for the rows has them. */
    public void resultTaken() {
        reports.add(new Report(new Event.ResultTaken(), null));
    }

    /** Rows of the result cannot be read any more. */
    public void resultLost(AttemptId producer) {
        reports.add(new Report(new Event.ResultLost(producer), null));
    }

    /** Lets time go by. */
    public void tick() {
        reports.add(new Report(new Event.Tick(clock.millis()), null));
    }

    public void warn(String message) {
        warnings.add(message);
        reports.add(NOTED);
    }

    /** An attempt in this process has printed a line. */
    public void printed(AttemptId attempt, String line) {
        prints.add(new RunEvent.Printed(clock.millis(), attempt, null, List.of(line)));
        reports.add(NOTED);
    }

    /** Asks the run to stop. */
    public void cancel(String reason) {
        reports.add(new Report(new Event.CancelRequested(reason), null));
    }

    /** Ends the run for a reason of its own. */
    public void fail(RuntimeException reason) {
        reports.add(new Report(new Event.CancelRequested(reason.getMessage()), driver -> driver.verdict = reason));
    }

    /** Has the run fail that was carried to its end and is not concluded yet; called by the thread that carried it. */
    public void withdraw(RuntimeException reason) {
        failure = failure == null ? reason : failure;
    }

    /** Carries the run to its end, good or bad; {@link #conclude} says which. Attempts may still be running then. */
    public void drive(String runId, String title, Map<String, String> shownSettings, Fleet carrier) {
        this.fleet = carrier;
        tell(new RunEvent.RunStarted(clock.millis(), runId, title, plan.outline(), shownSettings, ownSlots));
        plan.warnings().stream().distinct().forEach(w -> tell(new RunEvent.Warning(clock.millis(), w)));
        try {
            carryOut(scheduler.start());
            while (!scheduler.isEnded()) {
                wanted = scheduler.wanted();
                Report report = reports.take();
                tellNoted();
                if (report != NOTED) {
                    handle(report);
                }
            }
        } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
            carryOut(scheduler.handle(new Event.CancelRequested("interrupted")));
        } finally {
            wanted = 0;
            driven = true;
        }
    }

    /** Attempts that run, or would run if there were slots for them; can be asked by any thread. */
    public int wanted() {
        return wanted;
    }

    /** Waits until everything that was reported so far is dealt with, or the run is over. */
    public void sync() throws InterruptedException {
        CountDownLatch reached = new CountDownLatch(1);
        reports.add(new Report(null, driver -> reached.countDown()));
        while (!reached.await(SYNC_MILLIS, TimeUnit.MILLISECONDS) && !driven) {
            // the driving thread is busy, or has not begun
        }
    }

    private void handle(Report report) {
        try {
            if (report.before != null) {
                report.before.accept(this);
            }
            if (report.event == null) {
                return;
            }
            carryOut(scheduler.handle(report.event));
        } catch (UnimerosException e) {
            verdict = e;
            carryOut(scheduler.handle(new Event.CancelRequested(e.getMessage())));
        }
    }

    private void tell(RunEvent event) {
        listener.happened(event);
    }

    private void tellNoted() {
        for (String warning = warnings.poll(); warning != null; warning = warnings.poll()) {
            tell(new RunEvent.Warning(clock.millis(), warning));
        }
        for (RunEvent.Printed printed = prints.poll(); printed != null; printed = prints.poll()) {
            tell(printed);
        }
    }

    private int freed(AttemptId attempt) {
        Slot slot = slots.remove(attempt);
        if (slot == null) {
            return 0;
        }
        freeSlots.computeIfPresent(slot.worker, (worker, free) -> {
            free.add(slot.number);
            return free;
        });
        return slot.number;
    }

    private void noteSuccess(AttemptId attempt, TaskRunner.Done done, AttemptNotes noted) {
        int slot = freed(attempt);
        if (!scheduler.isRunning(attempt)) {
            if (!scheduler.counts(attempt)) {
                Exchange.close(done.result());
            }
            return;
        }
        exchange.keep(attempt, done.result());
        boolean counts = !noted.counters().isEmpty() && counted.add(new AttemptId(attempt.stage(), attempt.task(), 0));
        if (counts) {
            counters.addAll(noted.counters());
        }
        for (String warning : badRecords.accept(noted)) {
            tell(new RunEvent.Warning(clock.millis(), warning));
        }
        tell(new RunEvent.AttemptFinished(
                clock.millis(), attempt, slot, done.result().rows(), done.steps(), done.use()));
    }

    private void noteFailure(AttemptId attempt, RuntimeException reason) {
        int slot = freed(attempt);
        if (scheduler.isRunning(attempt)) {
            failure = reason;
            tell(new RunEvent.AttemptFailed(clock.millis(), attempt, slot, reason.getMessage()));
        }
    }

    private void carryOut(List<Command> commands) {
        for (Command command : commands) {
            switch (command) {
                case Command.PrepareStage c -> {
                    int count = tasks.prepare(c.stage());
                    tellNoted();
                    tell(new RunEvent.StageStarted(clock.millis(), c.stage(), count, tasks.decisions()));
                    carryOut(scheduler.handle(new Event.StagePrepared(c.stage(), count, places(c.stage()))));
                }
                case Command.Launch c -> launch(c.attempt(), c.worker());
                case Command.Stop c -> {
                    int slot = freed(c.attempt());
                    tell(new RunEvent.AttemptStopped(clock.millis(), c.attempt(), slot));
                    fleet.stop(c.attempt(), c.worker());
                }
                case Command.StageFinished c -> {
                    exchange.partsMade(plan.stage(c.stage()), clock.millis()).ifPresent(this::tell);
                    tell(new RunEvent.StageFinished(clock.millis(), c.stage()));
                    fleet.stageFinished(c.stage());
                }
                case Command.StageReopened c -> tell(new RunEvent.StageReopened(clock.millis(), c.stage()));
                case Command.ReleaseStage c -> {
                    fleet.release(c.stage());
                    exchange.drop(c.stage());
                }
                case Command.RunSucceeded c -> failure = null;
                case Command.TaskFailed c -> {
                    if (failure instanceof UnimerosException known && c.tries() != null) {
                        known.after(new Tries(
                                c.tries().made(),
                                c.tries().most(),
                                shown(c.tries().worker())));
                    }
                }
                case Command.RunFailed c -> failure = new ResourceFailure(c.reason());
                case Command.RunCancelled c ->
                    failure = verdict == null ? new RunCancelledException(c.reason()) : verdict;
            }
        }
    }

    private Map<Integer, String> places(int stage) {
        Map<Integer, String> workers = new HashMap<>();
        tasks.places(stage).forEach((task, place) -> {
            String worker = fleet.workerAt(place);
            if (worker != null) {
                workers.put(task, worker);
            }
        });
        return workers;
    }

    private void launch(AttemptId attempt, String worker) {
        if (!writes && attempt.stage() == last().id() && last().output() instanceof Output.ToSink toSink) {
            toSink.sink().begin();
            writes = true;
        }
        TreeSet<Integer> free = freeSlots.get(worker);
        int slot = free == null || free.isEmpty() ? 0 : free.pollFirst();
        slots.put(attempt, new Slot(worker, slot));
        tell(new RunEvent.AttemptStarted(clock.millis(), attempt, shown(worker), slot, tasks.describeInput(attempt)));
        fleet.launch(attempt, worker, tasks.input(attempt));
    }

    /** The name of a worker for people; null for the only one. */
    private static String shown(String worker) {
        return worker.equals(LocalRunner.WORKER) ? null : worker;
    }

    /**
     * Publishes what was written, or removes it, and tells how the run ended. No attempt runs any more.
     *
     * @throws UnimerosException why the run failed; nothing of it is left behind
     * @throws RunCancelledException when it was cancelled
     */
    public Totals conclude() {
        tellNoted();
        if (badRecords.counted() > 0) {
            tell(new RunEvent.RecordsSkipped(
                    clock.millis(), badRecords.counted(), badRecords.examples(), badRecords.place()));
        }
        if (!counters.sums().isEmpty()) {
            tell(new RunEvent.Counted(clock.millis(), counters.sums()));
        }
        Totals totals = null;
        if (failure == null) {
            try {
                totals = publish();
            } catch (RuntimeException e) {
                failure = e;
            }
        }
        if (failure != null) {
            abandonOutput();
            String state = failure instanceof RunCancelledException ? "cancelled" : "failed";
            tell(new RunEvent.RunEnded(clock.millis(), state, failure.getMessage(), 0, 0, 0));
            throw failure;
        }
        tell(new RunEvent.RunEnded(clock.millis(), "done", null, totals.rows, totals.bytes, totals.files));
        return totals;
    }

    private Stage last() {
        return plan.stages().get(plan.stages().size() - 1);
    }

    private Totals publish() {
        List<TaskResult> results = exchange.results(last().id());
        long rows = results.stream().mapToLong(TaskResult::rows).sum();
        if (!(last().output() instanceof Output.ToSink toSink)) {
            return new Totals(rows, 0, 0, badRecords.counted(), counters.sums());
        }
        List<TaskOutput> outputs = results.stream().map(TaskResult::written).toList();
        toSink.sink().publish(outputs);
        long bytes = outputs.stream().mapToLong(TaskOutput::bytes).sum();
        int files = outputs.stream().mapToInt(o -> o.files().size()).sum();
        return new Totals(rows, bytes, files, badRecords.counted(), counters.sums());
    }

    private void abandonOutput() {
        if (last().output() instanceof Output.ToSink toSink) {
            try {
                toSink.sink().abandon();
            } catch (RuntimeException e) {
                LOG.warn("could not remove the output of a run that failed", e);
            }
        }
    }
}
