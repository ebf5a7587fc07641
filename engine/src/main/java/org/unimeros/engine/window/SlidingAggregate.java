package org.unimeros.engine.window;

import java.util.ArrayDeque;
import java.util.Deque;
import org.unimeros.engine.aggregate.Accumulator;
import org.unimeros.engine.aggregate.SumOfLongs;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.ValueOrder;
import org.unimeros.engine.data.WideColumn;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Aggregate.Kind;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.sort.SortedRows;

/**
 * An aggregate over a frame that moves forward. Rows that enter are added; rows that leave are taken away again where
 * that is exact, and otherwise the frame is summed anew.
 */
abstract class SlidingAggregate {

    private final SortedRows.Cursor cursor;
    private final int argument;
    private long start;
    private long end;

    SlidingAggregate(SortedRows rows, int argument, long first) {
        this.cursor = rows.cursor();
        this.argument = argument;
        this.start = first;
        this.end = first;
    }

    /** An aggregate of an expression, by its number among those of the rows; -1 for {@code count(*)}. */
    static SlidingAggregate of(Evaluator evaluator, Aggregate a, SortedRows rows, int argument, long first) {
        DataType type = a.argument().map(e -> e.type()).orElse(DataType.LONG);
        boolean whole = !type.isFloating() && type.physical() != DataType.Physical.WIDE;
        return switch (a.kind()) {
            case COUNT -> new Counting(rows, argument, first);
            case MIN, MAX -> new Extreme(rows, argument, first, a.kind() == Kind.MAX);
            case SUM -> whole ? new Whole(a, rows, argument, first) : new Anew(evaluator, a, rows, argument, first);
            case AVG -> whole ? new Whole(a, rows, argument, first) : new Anew(evaluator, a, rows, argument, first);
            default -> new Anew(evaluator, a, rows, argument, first);
        };
    }

    /** Moves to the frame {@code from .. to}. */
    final void moveTo(long from, long to) {
        boolean apart = from >= end || to < end || from > start && !canRemove();
        if (apart) {
            clear();
            start = from;
            end = from;
        }
        while (end < to) {
            if (argument < 0) {
                add(end, null, 0);
            } else {
                cursor.to(end);
                add(end, cursor.column(argument), cursor.offset());
            }
            end++;
        }
        while (start < from) {
            if (argument < 0) {
                remove(start, null, 0);
            } else {
                cursor.to(start);
                remove(start, cursor.column(argument), cursor.offset());
            }
            start++;
        }
    }

    boolean canRemove() {
        return true;
    }

    abstract void add(long row, Column column, int offset);

    abstract void remove(long row, Column column, int offset);

    abstract void clear();

    abstract void append(ColumnBuilder out);

    private static final class Counting extends SlidingAggregate {
        private long count;

        Counting(SortedRows rows, int argument, long first) {
            super(rows, argument, first);
        }

        @Override
        void add(long row, Column column, int offset) {
            count += column == null || !column.isNull(offset) ? 1 : 0;
        }

        @Override
        void remove(long row, Column column, int offset) {
            count -= column == null || !column.isNull(offset) ? 1 : 0;
        }

        @Override
        void clear() {
            count = 0;
        }

        @Override
        void append(ColumnBuilder out) {
            out.appendLong(count);
        }
    }

    /** Sums and means of whole numbers and decimals, exact in 128 bits. */
    private static final class Whole extends SlidingAggregate {
        private final Aggregate aggregate;
        private final double divisor;
        private long low;
        private long high;
        private long count;

        Whole(Aggregate aggregate, SortedRows rows, int argument, long first) {
            super(rows, argument, first);
            this.aggregate = aggregate;
            DataType type = aggregate.arguments().get(0).type();
            this.divisor = type instanceof DataType.Decimal d ? Math.pow(10, d.scale()) : 1;
        }

        private static long value(Column column, int offset) {
            return column instanceof IntColumn ints ? ints.values()[offset] : ((LongColumn) column).values()[offset];
        }

        @Override
        void add(long row, Column column, int offset) {
            if (!column.isNull(offset)) {
                long value = value(column, offset);
                long sum = low + value;
                high += (value >> 63) + (Long.compareUnsigned(sum, low) < 0 ? 1 : 0);
                low = sum;
                count++;
            }
        }

        @Override
        void remove(long row, Column column, int offset) {
            if (!column.isNull(offset)) {
                long value = value(column, offset);
                long difference = low - value;
                high -= (value >> 63) + (Long.compareUnsigned(low, value) < 0 ? 1 : 0);
                low = difference;
                count--;
            }
        }

        @Override
        void clear() {
            low = 0;
            high = 0;
            count = 0;
        }

        @Override
        void append(ColumnBuilder out) {
            boolean fits = high == low >> 63;
            if (count == 0) {
                out.appendNull();
            } else if (aggregate.kind() == Kind.AVG) {
                double sum = fits ? low : WideColumn.value(high, low).doubleValue();
                out.appendDouble(sum / divisor / count);
            } else {
                appendSum(fits, out);
            }
        }

        private void appendSum(boolean fits, ColumnBuilder out) {
            if (aggregate.type() instanceof DataType.Decimal) {
                out.appendWide(high, low);
            } else if (fits) {
                out.appendLong(low);
            } else {
                throw SumOfLongs.outOfRange(WideColumn.value(high, low), aggregate);
            }
        }
    }

    /** The least or greatest value: those that may still become it, best first (a monotonic queue). */
    private static final class Extreme extends SlidingAggregate {
        private final boolean greatest;
        private final Deque<Candidate> candidates = new ArrayDeque<>();

        private record Candidate(long row, Column column, int offset) {}

        Extreme(SortedRows rows, int argument, long first, boolean greatest) {
            super(rows, argument, first);
            this.greatest = greatest;
        }

        @Override
        void add(long row, Column column, int offset) {
            if (column.isNull(offset)) {
                return;
            }
            while (!candidates.isEmpty() && !isBetter(candidates.peekLast(), column, offset)) {
                candidates.removeLast();
            }
            candidates.addLast(new Candidate(row, column, offset));
        }

        private boolean isBetter(Candidate c, Column column, int offset) {
            int order = ValueOrder.compare(c.column, c.offset, column, offset);
            return greatest ? order > 0 : order < 0;
        }

        @Override
        void remove(long row, Column column, int offset) {
            if (!candidates.isEmpty() && candidates.peekFirst().row <= row) {
                candidates.removeFirst();
            }
        }

        @Override
        void clear() {
            candidates.clear();
        }

        @Override
        void append(ColumnBuilder out) {
            Candidate best = candidates.peekFirst();
            if (best == null) {
                out.appendNull();
            } else {
                out.append(best.column, best.offset);
            }
        }
    }

    /** Any other aggregate, from rows added only. */
    private static final class Anew extends SlidingAggregate {
        private final Accumulator accumulator;
        private final int[] group = new int[1];
        private final int[] one = new int[1];

        Anew(Evaluator evaluator, Aggregate aggregate, SortedRows rows, int argument, long first) {
            super(rows, argument, first);
            this.accumulator = Accumulator.of(aggregate, evaluator);
            accumulator.reserve(1);
        }

        @Override
        boolean canRemove() {
            return false;
        }

        @Override
        void add(long row, Column column, int offset) {
            one[0] = offset;
            accumulator.add(group, 1, column.gather(one, 1));
        }

        @Override
        void remove(long row, Column column, int offset) {
            throw new IllegalStateException("cannot take a row away");
        }

        @Override
        void clear() {
            accumulator.clear();
        }

        @Override
        void append(ColumnBuilder out) {
            out.append(accumulator.result(1), 0);
        }
    }
}
