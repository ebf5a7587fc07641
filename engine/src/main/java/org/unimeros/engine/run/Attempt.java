package org.unimeros.engine.run;

import java.util.concurrent.CountDownLatch;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.function.BooleanSupplier;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.unimeros.engine.error.InternalFault;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.RunCancelledException;
import org.unimeros.engine.error.UnimerosException;
import org.unimeros.engine.schedule.AttemptId;
import org.unimeros.engine.schedule.TaskInput;
import org.unimeros.engine.spill.ProcessSpace;
import org.unimeros.engine.stage.Sizes;

/**
 * One attempt from the wait for a slot to its report; run once, by a thread of its own.
 *
 * <p>An attempt has one outcome: what its thread says, or that it took too long. At its limit it is asked to stop, as one that nobody
 * wants any more. Code of the job that does not ask whether it is stopped cannot be ended in this process: after some more time the
 * attempt is given up, with its slot, and whatever its thread says later does not count.
 */
public final class Attempt {

    private static final Logger LOG = LoggerFactory.getLogger(Attempt.class);
    private static final long MOST_GRACE_MILLIS = 10_000;

    private final AttemptId id;
    private final TaskInput input;
    private final BooleanSupplier stopped;
    private final AttemptLog log;
    private final ProcessSpace shared;
    private final TaskRunner tasks;
    private final String run;
    private final RunSettings settings;
    private final CountDownLatch over = new CountDownLatch(1);
    private final CountDownLatch left = new CountDownLatch(1);
    private final AtomicBoolean told = new AtomicBoolean();
    private final AtomicBoolean hasSlot = new AtomicBoolean();
    private volatile boolean late;

    /** Is told how it went, once. */
    public interface Reports {
        void succeeded(TaskRunner.Done done);

        /** @param again whether another attempt could succeed */
        void failed(RuntimeException reason, boolean again);

        void inputLost(LostInputException lost);
    }

    /**
     * @param run the run that it belongs to
     * @param settings of the run
     */
    public Attempt(
            AttemptId id,
            TaskInput input,
            BooleanSupplier stopped,
            AttemptLog log,
            ProcessSpace shared,
            TaskRunner tasks,
            String run,
            RunSettings settings) {
        this.id = id;
        this.input = input;
        this.stopped = stopped;
        this.log = log;
        this.shared = shared;
        this.tasks = tasks;
        this.run = run;
        this.settings = settings;
    }

    /** Runs it. Whatever goes wrong is reported, never thrown. */
    public void run(Reports reports) {
        try {
            AttemptMeter meter = tasks.meter();
            hasSlot.set(shared.takeSlot(run, settings.priority(), stopped));
            meter.begins();
            if (settings.taskMillis() > 0) {
                Thread.ofVirtual().name("unimeros-limit-" + id).start(() -> watch(reports));
            }
            TaskRunner.Done done = tasks.run(id, input, () -> late || stopped.getAsBoolean(), log, meter);
            tell(() -> reports.succeeded(done));
        } catch (LostInputException e) {
            log.reject();
            tell(() -> reports.inputLost(e));
        } catch (UnimerosException e) {
            failed(reports, e, e instanceof ResourceFailure);
        } catch (RunCancelledException e) {
            failed(reports, late ? tooLong("") : e, late);
        } catch (InterruptedException e) {
            failed(reports, new RunCancelledException("interrupted"), false);
            Thread.currentThread().interrupt();
        } catch (OutOfMemoryError e) {
            failed(
                    reports,
                    new ResourceFailure(
                            "out of memory in " + id + "; give the process more (-Xmx), or use fewer slots", e),
                    false);
        } catch (StackOverflowError e) {
            failed(
                    reports,
                    new ResourceFailure(
                            "a stack overflow in " + id
                                    + ": an expression, a value or code of the job is nested too deeply;"
                                    + " compute parts of it one after the other",
                            e),
                    false);
        } catch (Throwable e) {
            LOG.error("unexpected failure in {}", id, e);
            failed(reports, new InternalFault("unexpected " + e + " in " + id + "; the log has the details", e), false);
        } finally {
            over.countDown();
            left.countDown();
            giveSlot();
        }
    }

    /** Waits until it is over or given up; false when it is not in this time. */
    boolean await(long millis) throws InterruptedException {
        return left.await(millis, TimeUnit.MILLISECONDS);
    }

    private void failed(Reports reports, RuntimeException reason, boolean again) {
        log.reject();
        tell(() -> reports.failed(reason, again));
    }

    private void tell(Runnable report) {
        if (told.compareAndSet(false, true)) {
            report.run();
        }
    }

    private void giveSlot() {
        if (hasSlot.compareAndSet(true, false)) {
            shared.giveSlot(run);
        }
    }

    private ResourceFailure tooLong(String more) {
        return new ResourceFailure(
                id + " took longer than " + Sizes.millis(settings.taskMillis()) + " (task.time-limit)" + more);
    }

    private void watch(Reports reports) {
        try {
            if (over.await(settings.taskMillis(), TimeUnit.MILLISECONDS)) {
                return;
            }
            late = true;
            if (over.await(Math.min(settings.taskMillis(), MOST_GRACE_MILLIS), TimeUnit.MILLISECONDS)) {
                return;
            }
            LOG.warn("{} of run {} does not end; its thread is left to itself", id, run);
            tell(() -> reports.failed(
                    tooLong(", and does not end when it is asked to; its code should ask whether it is stopped"),
                    true));
            left.countDown();
            giveSlot();
        } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
        }
    }
}
