package org.unimeros.engine.group;

import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ValueOrder;
import org.unimeros.engine.sort.SortedRows;

/** The rows of one group in their order, of which one is looked at. They can be more than fit into memory. */
abstract class GroupRows {

    /** Takes the place of the first row of a run of equal values, and its length. */
    @FunctionalInterface
    interface RunConsumer {
        void accept(long row, long length);
    }

    abstract long size();

    /** Looks at a row. Places that are near to each other, or ascend, are cheap. */
    abstract void to(long row);

    /** The column that has an argument's value of the row, which is at {@link #offset}. */
    abstract Column column(int argument);

    abstract int offset();

    /** Calls for each run of equal first arguments. */
    final void runs(RunConsumer consumer) {
        long start = 0;
        to(0);
        Column first = column(0);
        int firstOffset = offset();
        for (long i = 1; i < size(); i++) {
            to(i);
            if (ValueOrder.compare(first, firstOffset, column(0), offset()) != 0) {
                consumer.accept(start, i - start);
                start = i;
                first = column(0);
                firstOffset = offset();
            }
        }
        consumer.accept(start, size() - start);
    }

    /** Rows of columns in memory. */
    static final class InMemory extends GroupRows {
        private final Column[] arguments;
        private int[] rows;
        private int from;
        private int end;
        private int at;

        InMemory(Column... arguments) {
            this.arguments = arguments;
        }

        /** The rows whose numbers are {@code rows[from .. end)}. */
        InMemory of(int[] newRows, int newFrom, int newEnd) {
            rows = newRows;
            from = newFrom;
            end = newEnd;
            return this;
        }

        @Override
        long size() {
            return end - from;
        }

        @Override
        void to(long row) {
            at = rows[from + (int) row];
        }

        @Override
        Column column(int argument) {
            return arguments[argument];
        }

        @Override
        int offset() {
            return at;
        }
    }

    /** Rows that may lie in a file. */
    static final class Stored extends GroupRows {
        private final SortedRows rows;
        private final SortedRows.Cursor cursor;

        Stored(SortedRows rows) {
            this.rows = rows;
            this.cursor = rows.cursor();
        }

        @Override
        long size() {
            return rows.end();
        }

        @Override
        void to(long row) {
            cursor.to(row);
        }

        @Override
        Column column(int argument) {
            return cursor.column(argument);
        }

        @Override
        int offset() {
            return cursor.offset();
        }
    }
}
