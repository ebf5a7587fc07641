package org.unimeros.engine.window;

import java.util.Arrays;
import java.util.List;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.expr.SortKey;
import org.unimeros.engine.sort.RowOrder;
import org.unimeros.engine.sort.SortedRows;

/** The rows {@code start .. end} of a partition, and which of them are equal in order to the current one. */
final class Partition {

    private final SortedRows rows;
    private final List<SortKey> order;
    private final SortedRows.Cursor first;
    private final SortedRows.Cursor other;
    private final long start;
    private final long end;
    private long peerStart;
    private long peerEnd;
    private long peerGroups;

    /** Order keys are the first expressions of the rows. */
    Partition(SortedRows rows, List<SortKey> order, long start, long end) {
        this.rows = rows;
        this.order = order;
        this.first = rows.cursor();
        this.other = rows.cursor();
        this.start = start;
        this.end = end;
        this.peerStart = start;
        this.peerEnd = start;
    }

    /** Makes a row the current one; rows come one after the other. */
    void moveTo(long row) {
        if (row < peerEnd) {
            return;
        }
        peerStart = row;
        peerGroups++;
        if (order.isEmpty()) {
            peerEnd = end;
            return;
        }
        peerEnd = row + 1;
        RowOrder.Keys keys = keys(first.to(row));
        while (peerEnd < end && keys.compare(first.offset(), keys(other.to(peerEnd)), other.offset()) == 0) {
            peerEnd++;
        }
    }

    private RowOrder.Keys keys(SortedRows.Cursor cursor) {
        Column[] columns = new Column[order.size()];
        Arrays.setAll(columns, cursor::column);
        return new RowOrder.Keys(columns, order);
    }

    SortedRows rows() {
        return rows;
    }

    List<SortKey> order() {
        return order;
    }

    long start() {
        return start;
    }

    long end() {
        return end;
    }

    long size() {
        return end - start;
    }

    long peerStart() {
        return peerStart;
    }

    long peerEnd() {
        return peerEnd;
    }

    /** The number of groups of peers so far, this one included. */
    long peerGroups() {
        return peerGroups;
    }
}
