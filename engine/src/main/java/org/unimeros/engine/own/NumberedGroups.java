package org.unimeros.engine.own;

import org.unimeros.engine.data.Batch;

/** Groups of the rows of a batch, by lists of row numbers one behind the other. Used by one thread. */
public final class NumberedGroups implements Groups {

    private final Batch batch;
    private final int[] order;
    private final int[] ends;
    private final int groups;
    private int group = -1;
    private int at = -1;

    /**
     * @param order the rows of the first group, then those of the second, and so on
     * @param ends where in {@code order} each group ends; none is empty
     */
    public NumberedGroups(Batch batch, int[] order, int[] ends, int groups) {
        this.batch = batch;
        this.order = order;
        this.ends = ends;
        this.groups = groups;
    }

    @Override
    public boolean nextGroup() {
        if (group + 1 >= groups) {
            return false;
        }
        at = group < 0 ? 0 : ends[group];
        group++;
        return true;
    }

    @Override
    public boolean nextRow() {
        if (at + 1 >= ends[group]) {
            return false;
        }
        at++;
        return true;
    }

    @Override
    public Batch batch() {
        return batch;
    }

    @Override
    public int row() {
        return order[at];
    }
}
