package org.unimeros.engine.run;

import java.util.Map;
import org.unimeros.engine.error.RunCancelledException;
import org.unimeros.engine.error.UnimerosException;

/** Carries one run out, in this process or on workers. One of {@link #run} and {@link #hold} is called, once. */
public interface Runner {

    /**
     * Runs to the end, or until the rows are there.
     *
     * @param id of the run, which no other has
     * @param title what it does, for people
     * @throws UnimerosException why the run failed; nothing of it is left behind
     * @throws RunCancelledException when it was cancelled
     */
    RunOutcome run(String id, String title, Map<String, String> shownSettings);

    /**
     * Runs until all rows are there, and holds them where they were made.
     *
     * @throws UnimerosException why the run failed; nothing of it is left behind
     * @throws RunCancelledException when it was cancelled
     */
    HeldRun hold(String id, String title, Map<String, String> shownSettings);

    /** Asks the run to stop; can be called by any thread, at any time. */
    void cancel(String reason);
}
