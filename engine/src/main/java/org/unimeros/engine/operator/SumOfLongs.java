package org.unimeros.engine.operator;

import java.math.BigInteger;
import java.util.Arrays;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.WideColumn;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.expr.Aggregate;

/**
 * Exact sums of whole numbers and of decimals that are held as longs, in 128 bits so that only the result can be out of
 * range. Sums of decimals are decimals of the greatest precision.
 */
final class SumOfLongs extends Sum {

    private final Aggregate aggregate;
    /** The sum of a group is that of {@code lows} as a signed number and {@code highs} times 2 to the power of 64. */
    private long[] lows = new long[16];

    private long[] highs = new long[16];
    private boolean[] seen = new boolean[16];

    SumOfLongs(Aggregate aggregate) {
        this.aggregate = aggregate;
    }

    @Override
    void reserve(int groups) {
        if (groups > lows.length) {
            int length = Math.max(groups, lows.length * 2);
            lows = Arrays.copyOf(lows, length);
            highs = Arrays.copyOf(highs, length);
            seen = Arrays.copyOf(seen, length);
        }
    }

    @Override
    void add(int[] groups, int rows, Column argument) {
        long[] nulls = argument.nulls();
        if (argument instanceof IntColumn ints) {
            int[] values = ints.values();
            for (int i = 0; i < rows; i++) {
                if (nulls == null || !Bits.get(nulls, i)) {
                    add(groups[i], values[i]);
                }
            }
            return;
        }
        long[] values = ((LongColumn) argument).values();
        if (nulls == null) {
            addAll(groups, rows, values);
            return;
        }
        for (int i = 0; i < rows; i++) {
            if (!Bits.get(nulls, i)) {
                add(groups[i], values[i]);
            }
        }
    }

    /** The usual case by itself: whether a lower half overflows is asked once for all rows; if so, what was added is taken back. */
    private void addAll(int[] groups, int rows, long[] values) {
        long[] sums = lows;
        boolean[] filled = seen;
        long overflow = 0;
        for (int i = 0; i < rows; i++) {
            int group = groups[i];
            long value = values[i];
            long before = sums[group];
            long after = before + value;
            sums[group] = after;
            filled[group] = true;
            overflow |= (before ^ after) & (value ^ after);
        }
        if (overflow < 0) {
            for (int i = 0; i < rows; i++) {
                sums[groups[i]] -= values[i];
            }
            for (int i = 0; i < rows; i++) {
                add(groups[i], values[i]);
            }
        }
    }

    /** The upper half is touched in the rare case only that the lower one overflows. */
    private void add(int group, long value) {
        long before = lows[group];
        long after = before + value;
        lows[group] = after;
        seen[group] = true;
        if (((before ^ after) & (value ^ after)) < 0) {
            highs[group] += value < 0 ? -1 : 1;
        }
    }

    /** Partial sums are two halves of 128 bits, the lower one without a sign. */
    @Override
    void merge(int[] groups, int rows, Column[] partial) {
        long[] low = ((LongColumn) partial[0]).values();
        long[] high = ((LongColumn) partial[1]).values();
        long[] nulls = partial[0].nulls();
        for (int i = 0; i < rows; i++) {
            if (nulls == null || !Bits.get(nulls, i)) {
                add(groups[i], low[i]);
                long rest = high[i] - (low[i] >> 63);
                if (rest != 0) {
                    highs[groups[i]] += rest;
                }
            }
        }
    }

    private long low(int group) {
        return lows[group];
    }

    /** The upper half where the lower one has no sign. */
    private long high(int group) {
        return highs[group] + (lows[group] >> 63);
    }

    private long[] highs(int groups) {
        long[] out = new long[groups];
        for (int i = 0; i < groups; i++) {
            out[i] = high(i);
        }
        return out;
    }

    @Override
    Column[] partial(int groups) {
        long[] empty = empty(groups);
        return new Column[] {new LongColumn(Arrays.copyOf(lows, groups), empty), new LongColumn(highs(groups), empty)};
    }

    @Override
    Column result(int groups) {
        if (aggregate.type() instanceof DataType.Decimal) {
            return new WideColumn(highs(groups), Arrays.copyOf(lows, groups), empty(groups));
        }
        for (int i = 0; i < groups; i++) {
            if (highs[i] != 0) {
                throw outOfRange(WideColumn.value(high(i), low(i)), aggregate);
            }
        }
        return new LongColumn(Arrays.copyOf(lows, groups), empty(groups));
    }

    static BadData outOfRange(BigInteger sum, Aggregate aggregate) {
        return new BadData("the sum " + sum + " in " + aggregate + " is out of range for " + aggregate.type()
                + "; sum a cast to double, or group by more columns");
    }

    @Override
    double total(int group) {
        return highs[group] == 0
                ? low(group)
                : WideColumn.value(high(group), low(group)).doubleValue();
    }

    /** The groups without a value, as bits; null when there are none. */
    private long[] empty(int groups) {
        long[] empty = null;
        for (int i = 0; i < groups; i++) {
            if (!seen[i]) {
                empty = empty == null ? Bits.make(groups) : empty;
                Bits.set(empty, i);
            }
        }
        return empty;
    }

    @Override
    long sizeInBytes() {
        return 17L * lows.length;
    }

    @Override
    void clear() {
        Arrays.fill(lows, 0);
        Arrays.fill(highs, 0);
        Arrays.fill(seen, false);
    }
}
