package org.unimeros.engine.aggregate;

import java.math.BigDecimal;
import java.math.BigInteger;
import java.util.Arrays;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType.Decimal;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.WideColumn;
import org.unimeros.engine.expr.Aggregate;

/** Exact sums of decimals of up to 38 digits, in 192 bits so that only the result can be out of range. */
final class SumOfWides extends Sum {

    static final int WORDS = 3;

    private final Aggregate aggregate;
    private final int scale;
    private long[] low = new long[16];
    private long[] middle = new long[16];
    private long[] high = new long[16];

    SumOfWides(Aggregate aggregate) {
        this.aggregate = aggregate;
        this.scale = ((Decimal) aggregate.arguments().get(0).type()).scale();
    }

    @Override
    public void reserve(int groups) {
        seen.reserve(groups);
        if (groups > low.length) {
            int length = Math.max(groups, low.length * 2);
            low = Arrays.copyOf(low, length);
            middle = Arrays.copyOf(middle, length);
            high = Arrays.copyOf(high, length);
        }
    }

    @Override
    public void add(int[] groups, int rows, Column argument) {
        WideColumn wide = (WideColumn) argument;
        for (int i = 0; i < rows; i++) {
            if (!argument.isNull(i)) {
                add(groups[i], wide.low()[i], wide.high()[i], wide.high()[i] >> 63);
            }
        }
    }

    private void add(int group, long valueLow, long valueMiddle, long valueHigh) {
        long sumLow = low[group] + valueLow;
        long carry = Long.compareUnsigned(sumLow, valueLow) < 0 ? 1 : 0;
        long sumMiddle = middle[group] + valueMiddle;
        long more = Long.compareUnsigned(sumMiddle, valueMiddle) < 0 ? 1 : 0;
        long carried = sumMiddle + carry;
        more += carried == 0 && carry == 1 ? 1 : 0;
        low[group] = sumLow;
        middle[group] = carried;
        high[group] += valueHigh + more;
        seen.add(group);
    }

    @Override
    public void merge(int[] groups, int rows, Column[] partial) {
        long[] lows = ((LongColumn) partial[0]).values();
        long[] middles = ((LongColumn) partial[1]).values();
        long[] highs = ((LongColumn) partial[2]).values();
        for (int i = 0; i < rows; i++) {
            if (!partial[0].isNull(i)) {
                add(groups[i], lows[i], middles[i], highs[i]);
            }
        }
    }

    @Override
    public Column[] partial(int groups) {
        long[] empty = seen.empty(groups);
        return new Column[] {
            new LongColumn(Arrays.copyOf(low, groups), empty),
            new LongColumn(Arrays.copyOf(middle, groups), empty),
            new LongColumn(Arrays.copyOf(high, groups), empty)
        };
    }

    @Override
    public Column result(int groups) {
        for (int i = 0; i < groups; i++) {
            if (high[i] != middle[i] >> 63 || WideColumn.isLonger(middle[i], low[i], Decimal.MAX_PRECISION)) {
                throw SumOfLongs.outOfRange(exact(i), aggregate);
            }
        }
        return new WideColumn(Arrays.copyOf(middle, groups), Arrays.copyOf(low, groups), seen.empty(groups));
    }

    @Override
    double total(int group) {
        return new BigDecimal(exact(group), scale).doubleValue();
    }

    private BigInteger exact(int group) {
        BigInteger lower = new BigInteger(Long.toUnsignedString(low[group]));
        return WideColumn.value(high[group], middle[group]).shiftLeft(64).add(lower);
    }

    @Override
    long sizeInBytes() {
        return 24L * low.length + seen.sizeInBytes();
    }

    @Override
    public void clear() {
        Arrays.fill(low, 0);
        Arrays.fill(middle, 0);
        Arrays.fill(high, 0);
        seen.clear();
    }
}
