package org.unimeros.engine.run;

import java.util.function.BooleanSupplier;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.unimeros.engine.error.InternalFault;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UnimerosException;
import org.unimeros.engine.schedule.AttemptId;
import org.unimeros.engine.spill.ProcessSpace;

/** One attempt from the wait for a slot to its report; run once, by the thread of the slot. */
public final class Attempt {

    private static final Logger LOG = LoggerFactory.getLogger(Attempt.class);

    private final AttemptId id;
    private final TaskInput input;
    private final BooleanSupplier stopped;
    private final AttemptLog log;
    private final ProcessSpace shared;
    private final TaskRunner tasks;
    private final String run;
    private final int priority;

    /** Is told how it went, once. */
    public interface Reports {
        void succeeded(TaskRunner.Done done);

        /** @param again whether another attempt could succeed */
        void failed(RuntimeException reason, boolean again);

        void inputLost(LostInputException lost);
    }

    /**
     * @param run the run that it belongs to
     * @param priority of the run, when it waits for a slot
     */
    public Attempt(
            AttemptId id,
            TaskInput input,
            BooleanSupplier stopped,
            AttemptLog log,
            ProcessSpace shared,
            TaskRunner tasks,
            String run,
            int priority) {
        this.run = run;
        this.priority = priority;
        this.id = id;
        this.input = input;
        this.stopped = stopped;
        this.log = log;
        this.shared = shared;
        this.tasks = tasks;
    }

    /** Runs it. Whatever goes wrong is reported, never thrown. */
    public void run(Reports reports) {
        boolean hasSlot = false;
        try {
            hasSlot = shared.takeSlot(run, priority, stopped);
            TaskRunner.Done done = tasks.run(id, input, stopped, log);
            reports.succeeded(done);
        } catch (LostInputException e) {
            log.reject();
            reports.inputLost(e);
        } catch (UnimerosException e) {
            log.reject();
            reports.failed(e, e instanceof ResourceFailure);
        } catch (RunCancelledException e) {
            log.reject();
            reports.failed(e, false);
        } catch (InterruptedException e) {
            log.reject();
            Thread.currentThread().interrupt();
            reports.failed(new RunCancelledException("interrupted"), false);
        } catch (OutOfMemoryError e) {
            log.reject();
            reports.failed(
                    new ResourceFailure(
                            "out of memory in " + id + "; give the process more (-Xmx), or use fewer slots", e),
                    false);
        } catch (Throwable e) {
            log.reject();
            LOG.error("unexpected failure in {}", id, e);
            reports.failed(new InternalFault("unexpected " + e + " in " + id + "; the log has the details", e), false);
        } finally {
            if (hasSlot) {
                shared.giveSlot(run);
            }
        }
    }
}
