package org.unimeros.engine.data;

import java.util.Arrays;

/** A column over {@code int[]}: int and date. */
public final class IntColumn extends Column {

    private final int[] values;
    /** For gathering, where the column was made ready for it; else null. */
    private final Narrow narrow;

    public IntColumn(int[] values, long[] nulls) {
        this(values, nulls, null);
    }

    private IntColumn(int[] values, long[] nulls, Narrow narrow) {
        super(nulls);
        this.values = values;
        this.narrow = narrow;
    }

    public int[] values() {
        return values;
    }

    @Override
    public IntColumn gather(int[] rows, int n) {
        return gather(rows, n, new int[n]);
    }

    @Override
    IntColumn gather(int[] rows, int n, SpareArrays spare) {
        return gather(rows, n, spare.ints(n));
    }

    private IntColumn gather(int[] rows, int n, int[] out) {
        if (narrow != null) {
            narrow.gather(rows, n, out);
        } else {
            int[] from = values;
            for (int i = 0; i < n; i++) {
                out[i] = from[rows[i]];
            }
        }
        return new IntColumn(out, Bits.gather(nulls(), rows, n));
    }

    @Override
    public IntColumn slice(int from, int n) {
        return new IntColumn(Arrays.copyOfRange(values, from, from + n), Bits.slice(nulls(), from, n));
    }

    @Override
    public IntColumn repeat(int row, int n) {
        return repeat(row, n, new int[n]);
    }

    @Override
    IntColumn repeat(int row, int n, SpareArrays spare) {
        return repeat(row, n, spare.ints(n));
    }

    private IntColumn repeat(int row, int n, int[] out) {
        Arrays.fill(out, 0, n, values[row]);
        return new IntColumn(out, Bits.repeat(nulls(), row, n));
    }

    @Override
    public IntColumn withNulls(long[] newNulls) {
        return new IntColumn(values, newNulls, narrow);
    }

    @Override
    public IntColumn forGathering(int rows) {
        return new IntColumn(values, nulls(), Narrow.of(values, rows));
    }

    @Override
    public long sizeInBytes(int rows) {
        return 4L * rows;
    }
}
