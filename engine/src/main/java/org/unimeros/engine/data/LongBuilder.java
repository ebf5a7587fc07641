package org.unimeros.engine.data;

import java.math.BigInteger;
import java.util.Arrays;

/** Collects values of the type long. */
final class LongBuilder extends ArrayBuilder {
    private long[] values = new long[LEAST];

    @Override
    public void appendLong(long value) {
        int row = grow();
        if (row == values.length) {
            values = Arrays.copyOf(values, larger(row));
        }
        values[row] = value;
    }

    @Override
    void appendDefault() {
        appendLong(0);
    }

    @Override
    public void appendUnscaled(BigInteger value) {
        appendLong(value.longValueExact());
    }

    @Override
    void appendValue(Column from, int row) {
        appendLong(((LongColumn) from).values()[row]);
    }

    @Override
    void appendValues(Column from, int[] rows, int start, int end) {
        long[] source = ((LongColumn) from).values();
        int first = grow(end - start);
        reserve(first + end - start);
        long[] to = values;
        for (int i = start; i < end; i++) {
            to[first + i - start] = source[rows[i]];
        }
    }

    @Override
    void appendValues(Column[] from, int[] which, int[] rows, int n) {
        long[][] sources = new long[from.length][];
        for (int i = 0; i < sources.length; i++) {
            sources[i] = ((LongColumn) from[i]).values();
        }
        int first = grow(n);
        reserve(first + n);
        long[] to = values;
        for (int i = 0; i < n; i++) {
            to[first + i] = sources[which[i]][rows[i]];
        }
    }

    @Override
    Column view(long[] nullRows) {
        return new LongColumn(values, nullRows);
    }

    @Override
    public long sizeInBytes() {
        return 8L * size();
    }

    @Override
    Object array() {
        return values;
    }

    @Override
    int capacity() {
        return values.length;
    }

    @Override
    Object arrayOf(Column column) {
        return ((LongColumn) column).values();
    }

    @Override
    void restart(int capacity) {
        values = new long[capacity];
    }

    @Override
    void enlarge(int capacity) {
        values = Arrays.copyOf(values, capacity);
    }

    @Override
    Column column(Object array, int rows, long[] nullRows) {
        long[] all = (long[]) array;
        return new LongColumn(rows < all.length ? Arrays.copyOf(all, rows) : all, nullRows);
    }
}
