package org.unimeros.engine.aggregate;

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
import org.unimeros.engine.key.RowsByGroup;

/**
 * Exact sums of whole numbers and of decimals that are held as longs, in 128 bits so that only the result can be out of
 * range. Sums of decimals are decimals of the greatest precision.
 */
public final class SumOfLongs extends Sum {

    private final Aggregate aggregate;
    /** The sum of a group is that of {@code lows} as a signed number and {@code highs} times 2 to the power of 64. */
    private long[] lows = new long[16];

    private long[] highs = new long[16];
    /** No lower half is further from 0 than this. */
    private long reach;

    private long[] plain = new long[0];

    SumOfLongs(Aggregate aggregate) {
        this.aggregate = aggregate;
    }

    @Override
    public void reserve(int groups) {
        seen.reserve(groups);
        if (groups > lows.length) {
            int length = Math.max(groups, lows.length * 2);
            lows = Arrays.copyOf(lows, length);
            highs = Arrays.copyOf(highs, length);
        }
    }

    @Override
    public void add(int[] groups, int rows, Column argument) {
        seen.add(groups, rows, argument.nulls());
        addAll(groups, rows, plain(argument, rows), null);
    }

    @Override
    public void add(int[] groups, int rows, Column argument, RowsByGroup sorted) {
        seen.add(groups, rows, argument.nulls());
        addAll(groups, rows, plain(argument, rows), sorted);
    }

    /** The values as longs, with 0 in the place of nulls. */
    private long[] plain(Column argument, int rows) {
        long[] nulls = argument.nulls();
        if (nulls == null && argument instanceof LongColumn longs) {
            return longs.values();
        }
        if (plain.length < rows) {
            plain = new long[rows];
        }
        long[] values = plain;
        if (argument instanceof IntColumn ints) {
            int[] from = ints.values();
            for (int i = 0; i < rows; i++) {
                values[i] = from[i];
            }
        } else {
            System.arraycopy(((LongColumn) argument).values(), 0, values, 0, rows);
        }
        for (int i = 0; nulls != null && i < rows; i++) {
            values[i] &= (nulls[i >>> 6] >>> i & 1) - 1;
        }
        return values;
    }

    /** Whether a lower half can overflow is asked once for all rows, so that the usual loop has nothing to ask. */
    private void addAll(int[] groups, int rows, long[] values, RowsByGroup sorted) {
        long bits = 0;
        for (int i = 0; i < rows; i++) {
            bits |= values[i] ^ values[i] >> 63;
        }
        if (canOverflow(bits, rows)) {
            for (int i = 0; i < rows; i++) {
                add(groups[i], values[i]);
            }
            reach = Long.MAX_VALUE;
            return;
        }
        if (sorted != null) {
            sorted.sum(values, lows);
            return;
        }
        long[] sums = lows;
        for (int i = 0; i < rows; i++) {
            sums[groups[i]] += values[i];
        }
    }

    /** Whether adding values between {@code -most - 1} and {@code most} can lead out of the range of a long; if not, their reach is noted. */
    private boolean canOverflow(long most, int rows) {
        if (most >= (Long.MAX_VALUE - reach) / Math.max(1, rows) && lows.length <= rows) {
            // Only the greatest of what may have been added to each group was known.
            long bits = 0;
            for (long low : lows) {
                bits |= low ^ low >> 63;
            }
            reach = bits == Long.MAX_VALUE ? bits : bits + 1;
        }
        if (most >= (Long.MAX_VALUE - reach) / Math.max(1, rows)) {
            return true;
        }
        reach += (most + 1) * rows;
        return false;
    }

    /** The upper half is touched in the rare case only that the lower one overflows. */
    private void add(int group, long value) {
        long before = lows[group];
        long after = before + value;
        lows[group] = after;
        if (((before ^ after) & (value ^ after)) < 0) {
            highs[group] += value < 0 ? -1 : 1;
        }
    }

    /** Partial sums are two halves of 128 bits, the lower one without a sign. */
    @Override
    public void merge(int[] groups, int rows, Column[] partial) {
        long[] nulls = partial[0].nulls();
        seen.add(groups, rows, nulls);
        addAll(groups, rows, plain(partial[0], rows), null);
        long[] low = ((LongColumn) partial[0]).values();
        long[] high = ((LongColumn) partial[1]).values();
        for (int i = 0; i < rows; i++) {
            long rest = high[i] - (low[i] >> 63);
            if (rest != 0 && (nulls == null || !Bits.get(nulls, i))) {
                highs[groups[i]] += rest;
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
    public Column[] partial(int groups) {
        long[] empty = seen.empty(groups);
        return new Column[] {new LongColumn(Arrays.copyOf(lows, groups), empty), new LongColumn(highs(groups), empty)};
    }

    @Override
    public Column result(int groups) {
        if (aggregate.type() instanceof DataType.Decimal) {
            return new WideColumn(highs(groups), Arrays.copyOf(lows, groups), seen.empty(groups));
        }
        for (int i = 0; i < groups; i++) {
            if (highs[i] != 0) {
                throw outOfRange(WideColumn.value(high(i), low(i)), aggregate);
            }
        }
        return new LongColumn(Arrays.copyOf(lows, groups), seen.empty(groups));
    }

    public static BadData outOfRange(BigInteger sum, Aggregate aggregate) {
        return new BadData("the sum " + sum + " in " + aggregate + " is out of range for " + aggregate.type()
                + "; sum a cast to double, or group by more columns");
    }

    @Override
    double total(int group) {
        return highs[group] == 0
                ? low(group)
                : WideColumn.value(high(group), low(group)).doubleValue();
    }

    @Override
    long sizeInBytes() {
        return 16L * lows.length + seen.sizeInBytes();
    }

    @Override
    public void clear() {
        Arrays.fill(lows, 0);
        Arrays.fill(highs, 0);
        seen.clear();
        reach = 0;
    }
}
