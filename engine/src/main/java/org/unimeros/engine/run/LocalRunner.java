package org.unimeros.engine.run;

import java.time.InstantSource;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.CopyOnWriteArrayList;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.concurrent.atomic.AtomicLong;
import java.util.function.LongSupplier;
import org.unimeros.engine.operator.TaskResult;
import org.unimeros.engine.own.JobFiles;
import org.unimeros.engine.schedule.AttemptId;
import org.unimeros.engine.schedule.TaskInput;
import org.unimeros.engine.spill.Chunk;
import org.unimeros.engine.spill.ProcessSpace;
import org.unimeros.engine.spill.Scratch;
import org.unimeros.engine.spill.Workspace;
import org.unimeros.engine.stage.Output;
import org.unimeros.engine.stage.PhysicalPlan;

/**
 * Carries out one run in this process: the caller's thread drives it, and attempts run on a pool with one thread per slot.
 * Nothing is shared between them but results of finished stages, which are not changed any more.
 */
public final class LocalRunner implements Runner {

    static final String WORKER = "local";

    private static final long PATIENCE_MILLIS = 10_000;
    private static final long GRACE_MILLIS = 1_000;
    private static final int MOST_PRINTED = 100_000;

    private final PhysicalPlan plan;
    private final RunSettings settings;
    private final RunDriver driver;
    private final ProcessSpace shared;
    private final LongSupplier nanoClock;
    private final Workspace workspace;
    private final TaskRunner tasks;
    private final AttemptPrints prints;
    private final ProcessHeld held;
    private final AtomicInteger linesPrinted = new AtomicInteger();
    private final AtomicLong badRecordsSeen = new AtomicLong();

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
                new ProcessSpace(settings.memoryBytes(), settings.slots()),
                JobFiles.NONE,
                new ProcessHeld(),
                AttemptPrints.NOT_TAKEN);
    }

    /**
     * A run beside others, with which it shares memory and slots.
     *
     * @param files what the job brings along
     * @param held rows that are held for repeated questions
     * @param prints takes what attempts print
     */
    public LocalRunner(
            PhysicalPlan plan,
            RunSettings settings,
            RunListener listener,
            InstantSource clock,
            LongSupplier nanoClock,
            BadRecordKeeper keeper,
            Scratch scratch,
            ProcessSpace shared,
            JobFiles files,
            ProcessHeld held,
            AttemptPrints prints) {
        this.prints = prints;
        this.held = held;
        this.shared = shared;
        this.nanoClock = nanoClock;
        this.plan = plan;
        this.settings = settings;
        this.workspace = new Workspace(scratch, shared, nanoClock);
        this.driver = new RunDriver(plan, settings, listener, clock, keeper, false);
        this.tasks = new TaskRunner(
                plan, workspace, driver.exchange(), driver.pairs(), nanoClock, driver::warn, files, held);
    }

    @Override
    public void cancel(String reason) {
        driver.cancel(reason);
    }

    @Override
    public HeldRun hold(String runId, String title, Map<String, String> shownSettings) {
        return held.keep(runId, run(runId, title, shownSettings));
    }

    @Override
    public RunOutcome run(String runId, String title, Map<String, String> shownSettings) {
        Threads threads = new Threads(runId);
        boolean succeeded = false;
        try {
            driver.onlyWorker(WORKER, settings.slots());
            driver.drive(runId, title, shownSettings, threads);
            threads.shutDown();
            RunDriver.Totals totals = driver.conclude();
            succeeded = true;
            return outcome(totals);
        } finally {
            if (!succeeded) {
                threads.shutDown();
                workspace.close();
            }
        }
    }

    private RunOutcome outcome(RunDriver.Totals totals) {
        List<Chunk> chunks = new ArrayList<>();
        boolean written = plan.stages().get(plan.stages().size() - 1).output() instanceof Output.ToSink;
        if (written) {
            workspace.close();
        } else {
            List<TaskResult> results = driver.exchange().results(plan.stages().size());
            results.forEach(r -> r.parts().forEach(p -> chunks.addAll(p.chunks())));
        }
        return new RunOutcome(
                chunks,
                totals.rows(),
                totals.bytes(),
                totals.files(),
                totals.skippedRecords(),
                totals.counters(),
                workspace);
    }

    /** A thread per attempt. */
    private final class Threads implements Fleet {
        private final Map<AttemptId, AtomicBoolean> stopped = new ConcurrentHashMap<>();
        private final Set<Attempt> attempts = ConcurrentHashMap.newKeySet();
        private final List<Thread> threads = new CopyOnWriteArrayList<>();
        private final ExecutorService pool;
        private final String runId;

        Threads(String runId) {
            this.runId = runId;
            AtomicInteger number = new AtomicInteger();
            // Attempts wait for slots; one that does not end at its limit leaves its slot, and its thread to itself.
            this.pool = Executors.newCachedThreadPool(task -> {
                Thread thread = new Thread(task, "unimeros-" + runId + "-slot-" + number.getAndIncrement());
                thread.setDaemon(true);
                threads.add(thread);
                return thread;
            });
        }

        @Override
        public void launch(AttemptId attempt, String worker, TaskInput input) {
            AtomicBoolean stop = new AtomicBoolean();
            stopped.put(attempt, stop);
            AttemptLog log = new AttemptLog(settings, badRecordsSeen);
            Attempt one = new Attempt(attempt, input, stop::get, log, shared, tasks, runId, settings);
            attempts.add(one);
            Attempt.Reports reports = new Attempt.Reports() {
                @Override
                public void succeeded(TaskRunner.Done done) {
                    driver.succeeded(attempt, done, log.noted());
                }

                @Override
                public void failed(RuntimeException reason, boolean again) {
                    driver.failed(attempt, reason, again);
                }

                @Override
                public void inputLost(LostInputException lost) {
                    driver.inputLost(attempt, lost.producer(), lost.getMessage());
                }
            };
            pool.execute(() -> {
                prints.during(line -> printed(attempt, line), () -> one.run(reports));
                attempts.remove(one);
            });
        }

        private void printed(AttemptId attempt, String line) {
            int before = linesPrinted.getAndIncrement();
            if (before < MOST_PRINTED) {
                driver.printed(attempt, line);
            } else if (before == MOST_PRINTED) {
                driver.printed(attempt, "… what else the tasks of this run print is left out");
            }
        }

        @Override
        public void stop(AttemptId attempt, String worker) {
            AtomicBoolean flag = stopped.get(attempt);
            // It was not launched when something went wrong before that.
            if (flag != null) {
                flag.set(true);
            }
        }

        @Override
        public void stageFinished(int stage) {
            tasks.stageFinished(stage);
        }

        @Override
        public void release(int stage) {
            // the driver lets go of the rows, which are in this process
        }

        void shutDown() {
            stopped.values().forEach(s -> s.set(true));
            pool.shutdown();
            boolean interrupted = false;
            try {
                if (!awaitAttempts()) {
                    pool.shutdownNow();
                    awaitAttempts();
                }
                // Threads that are left now run code of the job that was given up.
                pool.shutdownNow();
                if (pool.awaitTermination(GRACE_MILLIS, TimeUnit.MILLISECONDS)) {
                    for (Thread thread : threads) {
                        thread.join(GRACE_MILLIS);
                    }
                }
            } catch (InterruptedException e) {
                interrupted = true;
                pool.shutdownNow();
            }
            if (interrupted) {
                Thread.currentThread().interrupt();
            }
        }

        private boolean awaitAttempts() throws InterruptedException {
            long until = nanoClock.getAsLong() + TimeUnit.MILLISECONDS.toNanos(PATIENCE_MILLIS);
            boolean all = true;
            for (Attempt attempt : attempts) {
                all &= attempt.await(Math.max(0, TimeUnit.NANOSECONDS.toMillis(until - nanoClock.getAsLong())));
            }
            return all;
        }
    }
}
