package org.unimeros.engine.data;

import java.util.Arrays;

/** A column over {@code long[]}: long, timestamp and decimal. */
public final class LongColumn extends Column {

    private final long[] values;

    public LongColumn(long[] values, long[] nulls) {
        super(nulls);
        this.values = values;
    }

    public long[] values() {
        return values;
    }

    @Override
    public LongColumn gather(int[] rows, int n) {
        long[] from = values;
        long[] out = new long[n];
        for (int i = 0; i < n; i++) {
            out[i] = from[rows[i]];
        }
        return new LongColumn(out, Bits.gather(nulls(), rows, n));
    }

    @Override
    public LongColumn slice(int from, int n) {
        return new LongColumn(Arrays.copyOfRange(values, from, from + n), Bits.slice(nulls(), from, n));
    }

    @Override
    public LongColumn repeat(int row, int n) {
        long[] out = new long[n];
        Arrays.fill(out, values[row]);
        return new LongColumn(out, Bits.repeat(nulls(), row, n));
    }

    @Override
    public LongColumn withNulls(long[] newNulls) {
        return new LongColumn(values, newNulls);
    }

    @Override
    public long sizeInBytes(int rows) {
        return 8L * rows;
    }
}
