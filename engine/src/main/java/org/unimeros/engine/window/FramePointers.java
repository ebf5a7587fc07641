package org.unimeros.engine.window;

import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ValueOrder;
import org.unimeros.engine.expr.SortKey;
import org.unimeros.engine.expr.WindowFunction.Bound;
import org.unimeros.engine.expr.WindowFunction.Frame;
import org.unimeros.engine.expr.WindowFunction.Unit;
import org.unimeros.engine.sort.SortedRows;

/** The frame {@code start .. end} of the current row of a partition. */
final class FramePointers {

    private final Partition partition;
    private final Frame frame;
    private final int startExpression;
    private final int endExpression;
    private final SortedRows.Cursor current;
    private final SortedRows.Cursor probe;
    private long start;
    private long end;
    private long startPointer;
    private long endPointer;

    /** The expressions are the numbers of those for the bounds, where they are values. */
    FramePointers(Partition partition, Frame frame, int startExpression, int endExpression) {
        this.partition = partition;
        this.frame = frame;
        this.startExpression = startExpression;
        this.endExpression = endExpression;
        this.current = partition.rows().cursor();
        this.probe = partition.rows().cursor();
        this.startPointer = partition.start();
        this.endPointer = partition.start();
    }

    void moveTo(long row) {
        boolean rowsUnit = frame.unit() == Unit.ROWS;
        start = switch (frame.start().kind()) {
            case UNBOUNDED_PRECEDING -> partition.start();
            case CURRENT_ROW -> rowsUnit ? row : partition.peerStart();
            case PRECEDING -> rowsUnit ? back(row, frame.start()) : startByValue(row);
            case FOLLOWING -> rowsUnit ? ahead(row, frame.start()) : startByValue(row);
            case UNBOUNDED_FOLLOWING -> partition.end();
        };
        end = switch (frame.end().kind()) {
            case UNBOUNDED_PRECEDING -> partition.start();
            case CURRENT_ROW -> rowsUnit ? row + 1 : partition.peerEnd();
            case PRECEDING -> rowsUnit ? back(row + 1, frame.end()) : endByValue(row);
            case FOLLOWING -> rowsUnit ? ahead(row + 1, frame.end()) : endByValue(row);
            case UNBOUNDED_FOLLOWING -> partition.end();
        };
        end = Math.max(start, end);
    }

    private long back(long row, Bound bound) {
        return row - partition.start() < bound.rows() ? partition.start() : row - bound.rows();
    }

    private long ahead(long row, Bound bound) {
        return partition.end() - row < bound.rows() ? partition.end() : row + bound.rows();
    }

    /** The first row that is not before the bound; a null is only near other nulls. */
    private long startByValue(long row) {
        current.to(row);
        if (current.column(0).isNull(current.offset())) {
            return partition.peerStart();
        }
        Column bound = current.column(startExpression);
        while (startPointer < partition.end() && compare(startPointer, bound) < 0) {
            startPointer++;
        }
        return startPointer;
    }

    private long endByValue(long row) {
        current.to(row);
        if (current.column(0).isNull(current.offset())) {
            return partition.peerEnd();
        }
        Column bound = current.column(endExpression);
        while (endPointer < partition.end() && compare(endPointer, bound) <= 0) {
            endPointer++;
        }
        return endPointer;
    }

    /** Where a row lies from a bound of the current row, in the direction of the order. */
    private int compare(long row, Column bound) {
        SortKey key = partition.order().get(0);
        probe.to(row);
        if (probe.column(0).isNull(probe.offset())) {
            return key.nullsFirst() ? -1 : 1;
        }
        int order = ValueOrder.compare(probe.column(0), probe.offset(), bound, current.offset());
        return key.descending() ? -order : order;
    }

    long start() {
        return start;
    }

    long end() {
        return end;
    }
}
