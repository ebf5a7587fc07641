package org.unimeros.engine.data;

import java.util.Arrays;

/** A column over {@code double[]}: double. */
public final class DoubleColumn extends Column {

    private final double[] values;

    public DoubleColumn(double[] values, long[] nulls) {
        super(nulls);
        this.values = values;
    }

    public double[] values() {
        return values;
    }

    @Override
    public DoubleColumn gather(int[] rows, int n) {
        return gather(rows, n, new double[n]);
    }

    @Override
    DoubleColumn gather(int[] rows, int n, SpareArrays spare) {
        return gather(rows, n, spare.doubles(n));
    }

    private DoubleColumn gather(int[] rows, int n, double[] out) {
        double[] from = values;
        for (int i = 0; i < n; i++) {
            out[i] = from[rows[i]];
        }
        return new DoubleColumn(out, Bits.gather(nulls(), rows, n));
    }

    @Override
    public DoubleColumn slice(int from, int n) {
        return new DoubleColumn(Arrays.copyOfRange(values, from, from + n), Bits.slice(nulls(), from, n));
    }

    @Override
    public DoubleColumn repeat(int row, int n) {
        return repeat(row, n, new double[n]);
    }

    @Override
    DoubleColumn repeat(int row, int n, SpareArrays spare) {
        return repeat(row, n, spare.doubles(n));
    }

    private DoubleColumn repeat(int row, int n, double[] out) {
        Arrays.fill(out, 0, n, values[row]);
        return new DoubleColumn(out, Bits.repeat(nulls(), row, n));
    }

    @Override
    public DoubleColumn withNulls(long[] newNulls) {
        return new DoubleColumn(values, newNulls);
    }

    @Override
    public long sizeInBytes(int rows) {
        return 8L * rows;
    }
}
