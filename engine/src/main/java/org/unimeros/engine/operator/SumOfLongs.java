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
    /** Lower and upper half of each group side by side, so that they are in one line of the cache. */
    private long[] halves = new long[32];

    private long[] seen = new long[1];

    SumOfLongs(Aggregate aggregate) {
        this.aggregate = aggregate;
    }

    @Override
    void reserve(int groups) {
        if (2 * groups > halves.length) {
            int length = Math.max(groups, halves.length);
            halves = Arrays.copyOf(halves, 2 * length);
            seen = Arrays.copyOf(seen, Bits.words(length));
        }
    }

    @Override
    void add(int[] groups, int rows, Column argument) {
        long[] nulls = argument.nulls();
        if (argument instanceof IntColumn ints) {
            int[] values = ints.values();
            for (int i = 0; i < rows; i++) {
                if (nulls == null || !Bits.get(nulls, i)) {
                    add(groups[i], values[i], values[i] >> 31);
                }
            }
            return;
        }
        long[] values = ((LongColumn) argument).values();
        for (int i = 0; i < rows; i++) {
            if (nulls == null || !Bits.get(nulls, i)) {
                add(groups[i], values[i], values[i] >> 63);
            }
        }
    }

    private void add(int group, long valueLow, long valueHigh) {
        int at = 2 * group;
        long before = halves[at];
        long after = before + valueLow;
        long carry = (before & valueLow | (before | valueLow) & ~after) >>> 63;
        halves[at] = after;
        halves[at + 1] += valueHigh + carry;
        seen[group >>> 6] |= 1L << group;
    }

    @Override
    void merge(int[] groups, int rows, Column[] partial) {
        long[] lows = ((LongColumn) partial[0]).values();
        long[] highs = ((LongColumn) partial[1]).values();
        long[] nulls = partial[0].nulls();
        for (int i = 0; i < rows; i++) {
            if (nulls == null || !Bits.get(nulls, i)) {
                add(groups[i], lows[i], highs[i]);
            }
        }
    }

    private long low(int group) {
        return halves[2 * group];
    }

    private long high(int group) {
        return halves[2 * group + 1];
    }

    private long[] half(int groups, int which) {
        long[] out = new long[groups];
        for (int i = 0; i < groups; i++) {
            out[i] = halves[2 * i + which];
        }
        return out;
    }

    @Override
    Column[] partial(int groups) {
        long[] empty = empty(groups);
        return new Column[] {new LongColumn(half(groups, 0), empty), new LongColumn(half(groups, 1), empty)};
    }

    @Override
    Column result(int groups) {
        if (aggregate.type() instanceof DataType.Decimal) {
            return new WideColumn(half(groups, 1), half(groups, 0), empty(groups));
        }
        for (int i = 0; i < groups; i++) {
            if (high(i) != low(i) >> 63) {
                throw outOfRange(WideColumn.value(high(i), low(i)), aggregate);
            }
        }
        return new LongColumn(half(groups, 0), empty(groups));
    }

    static BadData outOfRange(BigInteger sum, Aggregate aggregate) {
        return new BadData("the sum " + sum + " in " + aggregate + " is out of range for " + aggregate.type()
                + "; sum a cast to double, or group by more columns");
    }

    @Override
    double total(int group) {
        return high(group) == low(group) >> 63
                ? low(group)
                : WideColumn.value(high(group), low(group)).doubleValue();
    }

    private long[] empty(int groups) {
        return empty(seen, groups);
    }

    @Override
    long sizeInBytes() {
        return 8L * halves.length + 8L * seen.length;
    }

    @Override
    void clear() {
        Arrays.fill(halves, 0);
        Arrays.fill(seen, 0);
    }
}
