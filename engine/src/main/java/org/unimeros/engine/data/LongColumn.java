package org.unimeros.engine.data;

import java.util.Arrays;

/** A column over {@code long[]}: long, timestamp and decimal. */
public final class LongColumn extends Column {

    private final long[] values;
    /** For gathering, where the column was made ready for it; else null. */
    private final Narrow narrow;

    public LongColumn(long[] values, long[] nulls) {
        this(values, nulls, null);
    }

    private LongColumn(long[] values, long[] nulls, Narrow narrow) {
        super(nulls);
        this.values = values;
        this.narrow = narrow;
    }

    public long[] values() {
        return values;
    }

    @Override
    public LongColumn gather(int[] rows, int n) {
        return gather(rows, n, new long[n]);
    }

    @Override
    LongColumn gather(int[] rows, int n, SpareArrays spare) {
        return gather(rows, n, spare.longs(n));
    }

    private LongColumn gather(int[] rows, int n, long[] out) {
        if (narrow != null) {
            narrow.gather(rows, n, out);
        } else {
            long[] from = values;
            for (int i = 0; i < n; i++) {
                out[i] = from[rows[i]];
            }
        }
        return new LongColumn(out, Bits.gather(nulls(), rows, n));
    }

    @Override
    public LongColumn slice(int from, int n) {
        return new LongColumn(Arrays.copyOfRange(values, from, from + n), Bits.slice(nulls(), from, n));
    }

    @Override
    public LongColumn repeat(int row, int n) {
        return repeat(row, n, new long[n]);
    }

    @Override
    LongColumn repeat(int row, int n, SpareArrays spare) {
        return repeat(row, n, spare.longs(n));
    }

    private LongColumn repeat(int row, int n, long[] out) {
        Arrays.fill(out, 0, n, values[row]);
        return new LongColumn(out, Bits.repeat(nulls(), row, n));
    }

    @Override
    public LongColumn withNulls(long[] newNulls) {
        return new LongColumn(values, newNulls, narrow);
    }

    @Override
    public LongColumn forGathering(int rows) {
        return new LongColumn(values, nulls(), Narrow.of(values, rows));
    }

    @Override
    public long sizeInBytes(int rows) {
        return 8L * rows;
    }
}
