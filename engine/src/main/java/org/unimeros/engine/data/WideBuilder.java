package org.unimeros.engine.data;

import java.math.BigInteger;
import java.util.Arrays;

/** Collects numbers of 128 bits. */
final class WideBuilder extends ColumnBuilder {
    private long[] high = new long[64];
    private long[] low = new long[64];

    @Override
    public void appendWide(long upper, long lower) {
        int row = grow();
        if (row == high.length) {
            high = Arrays.copyOf(high, larger(row));
            low = Arrays.copyOf(low, high.length);
        }
        high[row] = upper;
        low[row] = lower;
    }

    @Override
    public void appendUnscaled(BigInteger value) {
        appendWide(WideColumn.high(value), value.longValue());
    }

    @Override
    void appendDefault() {
        appendWide(0, 0);
    }

    @Override
    void appendValue(Column from, int row) {
        WideColumn wide = (WideColumn) from;
        appendWide(wide.high()[row], wide.low()[row]);
    }

    @Override
    Column buildValues(int rows, long[] nullRows) {
        return new WideColumn(Arrays.copyOf(high, rows), Arrays.copyOf(low, rows), nullRows);
    }

    @Override
    Column view(long[] nullRows) {
        return new WideColumn(high, low, nullRows);
    }

    @Override
    public long sizeInBytes() {
        return 16L * size();
    }
}
