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
    private long[] low = new long[16];
    private long[] high = new long[16];
    private long[] seen = new long[1];

    SumOfLongs(Aggregate aggregate) {
        this.aggregate = aggregate;
    }

    @Override
    void reserve(int groups) {
        if (groups > low.length) {
            int length = Math.max(groups, low.length * 2);
            low = Arrays.copyOf(low, length);
            high = Arrays.copyOf(high, length);
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
        long before = low[group];
        long after = before + valueLow;
        long carry = (before & valueLow | (before | valueLow) & ~after) >>> 63;
        low[group] = after;
        high[group] += valueHigh + carry;
        seen[group >>> 6] |= 1L << group;
    }

    @Override
    void merge(int[] groups, int rows, Column[] partial) {
        long[] lows = ((LongColumn) partial[0]).values();
        long[] highs = ((LongColumn) partial[1]).values();
        for (int i = 0; i < rows; i++) {
            if (!partial[0].isNull(i)) {
                add(groups[i], lows[i], highs[i]);
            }
        }
    }

    @Override
    Column[] partial(int groups) {
        long[] empty = empty(groups);
        return new Column[] {
            new LongColumn(Arrays.copyOf(low, groups), empty), new LongColumn(Arrays.copyOf(high, groups), empty)
        };
    }

    @Override
    Column result(int groups) {
        if (aggregate.type() instanceof DataType.Decimal) {
            return new WideColumn(Arrays.copyOf(high, groups), Arrays.copyOf(low, groups), empty(groups));
        }
        for (int i = 0; i < groups; i++) {
            if (high[i] != low[i] >> 63) {
                throw outOfRange(WideColumn.value(high[i], low[i]), aggregate);
            }
        }
        return new LongColumn(Arrays.copyOf(low, groups), empty(groups));
    }

    static BadData outOfRange(BigInteger sum, Aggregate aggregate) {
        return new BadData("the sum " + sum + " in " + aggregate + " is out of range for " + aggregate.type()
                + "; sum a cast to double, or group by more columns");
    }

    @Override
    double total(int group) {
        return high[group] == low[group] >> 63
                ? low[group]
                : WideColumn.value(high[group], low[group]).doubleValue();
    }

    private long[] empty(int groups) {
        long[] nulls = Bits.make(groups);
        for (int i = 0; i < nulls.length; i++) {
            nulls[i] = ~seen[i];
        }
        return Bits.any(nulls, groups) ? nulls : null;
    }

    @Override
    long sizeInBytes() {
        return 16L * low.length + 8L * seen.length;
    }

    @Override
    void clear() {
        Arrays.fill(low, 0);
        Arrays.fill(high, 0);
        Arrays.fill(seen, 0);
    }
}
