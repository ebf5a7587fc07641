package org.unimeros.engine.own;

import java.util.function.Supplier;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.ValueOrder;

/** Walks sorted rows group by group; a group is rows one after the other whose keys are equal. Used by one thread. */
public final class SortedGroups implements Groups {

    private final Supplier<Batch> sorted;
    private final int[] keys;
    private Batch batch;
    private int row = -1;
    private boolean atEnd;
    /** Whether the row is the first of a group that nobody has asked for yet. */
    private boolean opensGroup;

    /**
     * @param sorted gives batches, null at their end
     * @param keys the columns that are the same in a group
     */
    public SortedGroups(Supplier<Batch> sorted, int... keys) {
        this.sorted = sorted;
        this.keys = keys.clone();
    }

    @Override
    public boolean nextGroup() {
        while (!opensGroup && !atEnd) {
            advance();
        }
        boolean found = opensGroup;
        opensGroup = false;
        return found;
    }

    @Override
    public boolean nextRow() {
        if (opensGroup || atEnd) {
            return false;
        }
        advance();
        return !opensGroup && !atEnd;
    }

    private void advance() {
        Batch before = batch;
        int rowBefore = row;
        row++;
        if (batch == null || row == batch.rowCount()) {
            batch = sorted.get();
            row = 0;
            if (batch == null) {
                atEnd = true;
                return;
            }
        }
        opensGroup = before == null || !sameKeys(before, rowBefore);
    }

    private boolean sameKeys(Batch before, int rowBefore) {
        for (int k : keys) {
            boolean isNull = batch.column(k).isNull(row);
            if (isNull != before.column(k).isNull(rowBefore)
                    || !isNull && ValueOrder.compare(before.column(k), rowBefore, batch.column(k), row) != 0) {
                return false;
            }
        }
        return true;
    }

    @Override
    public Batch batch() {
        return batch;
    }

    @Override
    public int row() {
        return row;
    }
}
