package org.unimeros.engine.stage;

/**
 * What the stage planner needs to know.
 *
 * @param targetSplitBytes what one scan task should read
 * @param copyLimitBytes a join side up to this size is copied to every task
 * @param parts into how many parts a shuffle divides its rows; small ones are merged afterwards
 * @param swapsJoins whether a shuffled join becomes a copied one when a side turns out small
 * @param ordersJoins whether inner joins are put in another order by the sizes of their inputs
 * @param writesTogether whether the rows of each partition that is written are brought together before
 * @param cutsParts whether parts that are too large for one task are cut into pieces
 */
public record PlanSettings(
        long targetSplitBytes,
        long copyLimitBytes,
        int parts,
        boolean swapsJoins,
        boolean ordersJoins,
        boolean writesTogether,
        boolean cutsParts) {

    public PlanSettings(long targetSplitBytes, long copyLimitBytes, int parts) {
        this(targetSplitBytes, copyLimitBytes, parts, true, true);
    }

    public PlanSettings(
            long targetSplitBytes, long copyLimitBytes, int parts, boolean swapsJoins, boolean ordersJoins) {
        this(targetSplitBytes, copyLimitBytes, parts, swapsJoins, ordersJoins, false, true);
    }

    public PlanSettings withWritesTogether(boolean together) {
        return new PlanSettings(targetSplitBytes, copyLimitBytes, parts, swapsJoins, ordersJoins, together, cutsParts);
    }

    public PlanSettings withCutsParts(boolean cuts) {
        return new PlanSettings(targetSplitBytes, copyLimitBytes, parts, swapsJoins, ordersJoins, writesTogether, cuts);
    }
}
