package org.unimeros.engine.run;

import java.time.InstantSource;
import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Deque;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Queue;
import java.util.concurrent.BlockingQueue;
import java.util.concurrent.ConcurrentLinkedQueue;
import java.util.concurrent.CopyOnWriteArrayList;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.LinkedBlockingQueue;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.function.LongSupplier;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.unimeros.engine.error.InternalFault;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UnimerosException;
import org.unimeros.engine.operator.TaskResult;
import org.unimeros.engine.schedule.AttemptId;
import org.unimeros.engine.schedule.Command;
import org.unimeros.engine.schedule.Event;
import org.unimeros.engine.schedule.Scheduler;
import org.unimeros.engine.schedule.StageSpec;
import org.unimeros.engine.source.TableSink.TaskOutput;
import org.unimeros.engine.spill.Chunk;
import org.unimeros.engine.spill.ProcessSpace;
import org.unimeros.engine.spill.Scratch;
import org.unimeros.engine.spill.Workspace;
import org.unimeros.engine.stage.Output;
import org.unimeros.engine.stage.PhysicalPlan;
import org.unimeros.engine.stage.Stage;

/**
 * Carries out one run in this process.
 *
 * <p>One thread, the caller's, drives the {@link Scheduler}: it takes events from a queue, hands them in, and does what
 * the commands say. Attempts run on a pool with one thread per slot and report by events. Nothing else is shared between
 * them but results of finished stages, which are not changed any more.
 */
public final class LocalRunner {

    private static final Logger LOG = LoggerFactory.getLogger(LocalRunner.class);
    private static final String WORKER = "local";

    private final PhysicalPlan plan;
    private final RunSettings settings;
    private final RunListener listener;
    private final InstantSource clock;
    private final BadRecordLog badRecords;
    private final Scheduler scheduler;
    private final ProcessSpace shared;
    private final Workspace workspace;
    private final TaskRunner tasks;
    private final BlockingQueue<Report> reports = new LinkedBlockingQueue<>();
    /** What tasks warn of while they run; told before anything else. */
    private final Queue<String> warnings = new ConcurrentLinkedQueue<>();

    private final Map<AttemptId, AtomicBoolean> stopped = new HashMap<>();
    private final Deque<Integer> freeSlots = new ArrayDeque<>();
    private final List<Thread> threads = new CopyOnWriteArrayList<>();
    private RuntimeException failure;
    /** Why a stage could not begin. */
    private RuntimeException notBegun;

    /** What an attempt or the caller tells the driving thread. */
    private record Report(
            Event event, int slot, TaskRunner.Done done, RuntimeException failure, BadRecordLog.AttemptLog log) {}

    /** Only wakes the driving thread. */
    private static final Report WARNED = new Report(null, -1, null, null, null);

    public LocalRunner(
            PhysicalPlan plan,
            RunSettings settings,
            RunListener listener,
            InstantSource clock,
            LongSupplier nanoClock,
            BadRecordKeeper keeper,
            Scratch scratch) {
        this(
                plan,
                settings,
                listener,
                clock,
                nanoClock,
                keeper,
                scratch,
                new ProcessSpace(settings.memoryBytes(), settings.slots()));
    }

    /** A run beside others, with which it shares memory and slots. */
    public LocalRunner(
            PhysicalPlan plan,
            RunSettings settings,
            RunListener listener,
            InstantSource clock,
            LongSupplier nanoClock,
            BadRecordKeeper keeper,
            Scratch scratch,
            ProcessSpace shared) {
        this.shared = shared;
        this.plan = plan;
        this.settings = settings;
        this.listener = listener;
        this.clock = clock;
        this.badRecords = new BadRecordLog(settings, keeper);
        this.workspace = new Workspace(scratch, shared);
        this.tasks = new TaskRunner(plan, settings, workspace, nanoClock, warning -> {
            warnings.add(warning);
            reports.add(WARNED);
        });
        List<StageSpec> specs = plan.stages().stream()
                .map(s -> new StageSpec(s.id(), s.dependencies(), s.rowsWanted()))
                .toList();
        this.scheduler = new Scheduler(specs, settings.attemptsPerTask());
    }

    /** Asks the run to stop; can be called by any thread, at any time. */
    public void cancel(String reason) {
        reports.add(new Report(new Event.CancelRequested(reason), -1, null, null, null));
    }

    /**
     * Runs to the end.
     *
     * @throws UnimerosException why the run failed; nothing of it is left behind
     * @throws RunCancelledException when it was cancelled
     */
    public RunOutcome run(String runId, String title, Map<String, String> shownSettings) {
        listener.happened(new RunEvent.RunStarted(clock.millis(), runId, title, plan, shownSettings));
        plan.warnings().stream().distinct().forEach(w -> listener.happened(new RunEvent.Warning(clock.millis(), w)));
        ExecutorService pool = pool(runId);
        for (int slot = 0; slot < settings.slots(); slot++) {
            freeSlots.add(slot);
        }
        boolean succeeded = false;
        try {
            carryOut(scheduler.start(), pool);
            carryOut(scheduler.handle(new Event.WorkerJoined(WORKER, settings.slots())), pool);
            while (!scheduler.isEnded()) {
                Report report = reports.take();
                tellWarnings();
                if (report == WARNED) {
                    continue;
                }
                note(report);
                carryOut(scheduler.handle(report.event), pool);
            }
            succeeded = failure == null;
        } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
            carryOut(scheduler.handle(new Event.CancelRequested("interrupted")), pool);
        } finally {
            stopped.values().forEach(s -> s.set(true));
            shutDown(pool);
            if (!succeeded) {
                abandonOutput();
            }
        }
        return outcome();
    }

    private ExecutorService pool(String runId) {
        AtomicInteger number = new AtomicInteger();
        return Executors.newFixedThreadPool(settings.slots(), task -> {
            Thread thread = new Thread(task, "unimeros-" + runId + "-slot-" + number.getAndIncrement());
            thread.setDaemon(true);
            threads.add(thread);
            return thread;
        });
    }

    private void shutDown(ExecutorService pool) {
        pool.shutdown();
        boolean interrupted = false;
        try {
            if (!pool.awaitTermination(10, TimeUnit.SECONDS)) {
                pool.shutdownNow();
                pool.awaitTermination(10, TimeUnit.SECONDS);
            }
            for (Thread thread : threads) {
                thread.join(1000);
            }
        } catch (InterruptedException e) {
            interrupted = true;
            pool.shutdownNow();
        }
        if (interrupted) {
            Thread.currentThread().interrupt();
        }
    }

    private void tellWarnings() {
        for (String warning = warnings.poll(); warning != null; warning = warnings.poll()) {
            listener.happened(new RunEvent.Warning(clock.millis(), warning));
        }
    }

    private void note(Report report) {
        if (report.slot >= 0) {
            freeSlots.add(report.slot);
        }
        switch (report.event) {
            case Event.AttemptSucceeded e -> {
                boolean wanted = !stopped.get(e.attempt()).get();
                if (wanted) {
                    tasks.keep(e.attempt(), report.done.result());
                    for (String warning : badRecords.accept(report.log)) {
                        listener.happened(new RunEvent.Warning(clock.millis(), warning));
                    }
                    listener.happened(new RunEvent.AttemptFinished(
                            clock.millis(), e.attempt(), report.slot, e.rows(), report.done.steps()));
                }
            }
            case Event.AttemptFailed e -> {
                badRecords.reject(report.log);
                if (!stopped.get(e.attempt()).get()) {
                    failure = report.failure;
                    listener.happened(new RunEvent.AttemptFailed(clock.millis(), e.attempt(), report.slot, e.reason()));
                }
            }
            default -> {
                // other events come from this thread and are noted where they are made
            }
        }
    }

    private void carryOut(List<Command> commands, ExecutorService pool) {
        for (Command command : commands) {
            switch (command) {
                case Command.PrepareStage c -> {
                    int count;
                    try {
                        count = tasks.prepare(c.stage());
                    } catch (UnimerosException e) {
                        notBegun = e;
                        carryOut(scheduler.handle(new Event.CancelRequested(e.getMessage())), pool);
                        return;
                    }
                    tellWarnings();
                    listener.happened(new RunEvent.StageStarted(clock.millis(), c.stage(), count));
                    carryOut(scheduler.handle(new Event.StagePrepared(c.stage(), count)), pool);
                }
                case Command.Launch c -> launch(c.attempt(), pool);
                case Command.Stop c -> stopped.get(c.attempt()).set(true);
                case Command.StageFinished c -> {
                    listener.happened(new RunEvent.StageFinished(clock.millis(), c.stage()));
                    tasks.stageFinished(c.stage());
                }
                case Command.RunSucceeded c -> failure = null;
                case Command.RunFailed c -> {
                    if (failure == null) {
                        failure = new InternalFault(c.reason());
                    }
                }
                case Command.RunCancelled c ->
                    failure = notBegun == null ? new RunCancelledException(c.reason()) : notBegun;
            }
        }
    }

    private void launch(AttemptId attempt, ExecutorService pool) {
        AtomicBoolean stop = new AtomicBoolean();
        stopped.put(attempt, stop);
        int slot = freeSlots.isEmpty() ? 0 : freeSlots.poll();
        BadRecordLog.AttemptLog log = badRecords.attempt();
        listener.happened(new RunEvent.AttemptStarted(clock.millis(), attempt, slot, tasks.describeInput(attempt)));
        pool.execute(() -> reports.add(attempt(attempt, slot, stop, log)));
    }

    private Report attempt(AttemptId attempt, int slot, AtomicBoolean stop, BadRecordLog.AttemptLog log) {
        boolean hasSlot = false;
        try {
            hasSlot = shared.takeSlot(stop::get);
            TaskRunner.Done done = tasks.run(attempt, stop::get, log);
            return new Report(new Event.AttemptSucceeded(attempt, done.result().rows()), slot, done, null, log);
        } catch (UnimerosException e) {
            boolean again = e instanceof ResourceFailure;
            return new Report(new Event.AttemptFailed(attempt, again, e.getMessage()), slot, null, e, log);
        } catch (RunCancelledException e) {
            return new Report(new Event.AttemptFailed(attempt, false, e.getMessage()), slot, null, e, log);
        } catch (OutOfMemoryError e) {
            ResourceFailure failed = new ResourceFailure(
                    "out of memory in " + attempt + "; give the process more (-Xmx), or use fewer slots", e);
            return new Report(new Event.AttemptFailed(attempt, false, failed.getMessage()), slot, null, failed, log);
        } catch (Throwable e) {
            LOG.error("unexpected failure in {}", attempt, e);
            InternalFault fault =
                    new InternalFault("unexpected " + e + " in " + attempt + "; the log has the details", e);
            return new Report(new Event.AttemptFailed(attempt, false, fault.getMessage()), slot, null, fault, log);
        } finally {
            if (hasSlot) {
                shared.giveSlot();
            }
        }
    }

    private Stage last() {
        return plan.stages().get(plan.stages().size() - 1);
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

    private RunOutcome outcome() {
        tellWarnings();
        if (badRecords.counted() > 0) {
            listener.happened(new RunEvent.RecordsSkipped(
                    clock.millis(), badRecords.counted(), badRecords.examples(), badRecords.place()));
        }
        RunOutcome outcome = null;
        if (failure == null) {
            try {
                outcome = collect();
            } catch (RuntimeException e) {
                failure = e;
                abandonOutput();
            }
        }
        if (outcome == null) {
            workspace.close();
        }
        if (failure != null) {
            String state = failure instanceof RunCancelledException ? "cancelled" : "failed";
            listener.happened(new RunEvent.RunEnded(clock.millis(), state, failure.getMessage(), 0, 0, 0));
            throw failure;
        }
        listener.happened(
                new RunEvent.RunEnded(clock.millis(), "done", null, outcome.rows(), outcome.bytes(), outcome.files()));
        return outcome;
    }

    private RunOutcome collect() {
        List<TaskResult> results = tasks.results(last().id());
        long rows = results.stream().mapToLong(TaskResult::rows).sum();
        if (last().output() instanceof Output.ToSink toSink) {
            List<TaskOutput> outputs = results.stream().map(TaskResult::written).toList();
            toSink.sink().publish(outputs);
            long bytes = outputs.stream().mapToLong(TaskOutput::bytes).sum();
            int files = outputs.stream().mapToInt(o -> o.files().size()).sum();
            workspace.close();
            return new RunOutcome(List.of(), rows, bytes, files, badRecords.counted(), workspace);
        }
        List<Chunk> chunks = new ArrayList<>();
        results.forEach(r -> r.parts().forEach(p -> chunks.addAll(p.chunks())));
        return new RunOutcome(chunks, rows, 0, 0, badRecords.counted(), workspace);
    }
}
