package org.unimeros.engine.data;

import java.util.Arrays;

/** A column over {@code int[]}: int and date. */
public final class IntColumn extends Column {

    private final int[] values;

    public IntColumn(int[] values, long[] nulls) {
        super(nulls);
        this.values = values;
    }

    public int[] values() {
        return values;
    }

    @Override
    public IntColumn gather(int[] rows, int n) {
        int[] from = values;
        int[] out = new int[n];
        for (int i = 0; i < n; i++) {
            out[i] = from[rows[i]];
        }
        return new IntColumn(out, Bits.gather(nulls(), rows, n));
    }

    @Override
    public IntColumn slice(int from, int n) {
        return new IntColumn(Arrays.copyOfRange(values, from, from + n), Bits.slice(nulls(), from, n));
    }

    @Override
    public IntColumn repeat(int row, int n) {
        int[] out = new int[n];
        Arrays.fill(out, values[row]);
        return new IntColumn(out, Bits.repeat(nulls(), row, n));
    }

    @Override
    public IntColumn withNulls(long[] newNulls) {
        return new IntColumn(values, newNulls);
    }

    @Override
    public long sizeInBytes(int rows) {
        return 4L * rows;
    }
}
