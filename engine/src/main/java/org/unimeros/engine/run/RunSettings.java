package org.unimeros.engine.run;

import java.io.Serializable;

/**
 * How a run is carried out.
 *
 * @param slots tasks that run at the same time
 * @param attemptsPerTask tries before a task, and with it the run, fails
 * @param targetPartBytes small parts are merged up to this size, and larger ones cut; 0 does neither
 * @param memoryBytes the budget of the run; what does not fit is spilled
 * @param badRecords what happens with records that cannot be read
 * @param badRecordLimit with more of them than this the run fails nevertheless
 * @param pairsLimit a join that makes more rows than this, beyond one for each row looked up, is reported
 * @param failsOverPairs whether it fails instead
 * @param priority where runs wait for slots, more of it comes first
 * @param slotLimit no more tasks than this run at the same time; 0 for as many as there are slots
 * @param taskMillis an attempt that takes longer has failed; 0 for no limit
 */
public record RunSettings(
        int slots,
        int attemptsPerTask,
        long targetPartBytes,
        long memoryBytes,
        BadRecordPolicy badRecords,
        long badRecordLimit,
        long pairsLimit,
        boolean failsOverPairs,
        int priority,
        int slotLimit,
        long taskMillis)
        implements Serializable {

    /** The priority of runs of which nobody says it. */
    public static final int USUAL_PRIORITY = 50;

    /** Settings under which joins can make as many rows as they like. */
    public RunSettings(
            int slots,
            int attemptsPerTask,
            long targetPartBytes,
            long memoryBytes,
            BadRecordPolicy badRecords,
            long badRecordLimit) {
        this(
                slots,
                attemptsPerTask,
                targetPartBytes,
                memoryBytes,
                badRecords,
                badRecordLimit,
                Long.MAX_VALUE,
                false,
                USUAL_PRIORITY,
                0,
                0);
    }

    /** What happens with records that cannot be read. */
    public enum BadRecordPolicy {
        /** The run fails with the first one. */
        FAIL,
        /** They are counted and left out. */
        SKIP,
        /** They are counted, left out and kept in files. */
        DIVERT
    }
}
