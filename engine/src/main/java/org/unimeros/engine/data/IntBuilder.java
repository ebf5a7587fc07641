package org.unimeros.engine.data;

import java.util.Arrays;

/** Collects values of the type int. */
final class IntBuilder extends ArrayBuilder {
    private int[] values = new int[LEAST];

    @Override
    public void appendInt(int value) {
        int row = grow();
        if (row == values.length) {
            values = Arrays.copyOf(values, larger(row));
        }
        values[row] = value;
    }

    @Override
    void appendDefault() {
        appendInt(0);
    }

    @Override
    void appendValue(Column from, int row) {
        appendInt(((IntColumn) from).values()[row]);
    }

    @Override
    void appendValues(Column from, int[] rows, int start, int end) {
        int[] source = ((IntColumn) from).values();
        int first = grow(end - start);
        reserve(first + end - start);
        int[] to = values;
        for (int i = start; i < end; i++) {
            to[first + i - start] = source[rows[i]];
        }
    }

    @Override
    void appendValues(Column[] from, int[] which, int[] rows, int n) {
        int[][] sources = new int[from.length][];
        for (int i = 0; i < sources.length; i++) {
            sources[i] = ((IntColumn) from[i]).values();
        }
        int first = grow(n);
        reserve(first + n);
        int[] to = values;
        for (int i = 0; i < n; i++) {
            to[first + i] = sources[which[i]][rows[i]];
        }
    }

    @Override
    Column view(long[] nullRows) {
        return new IntColumn(values, nullRows);
    }

    @Override
    public long sizeInBytes() {
        return 4L * size();
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
        return ((IntColumn) column).values();
    }

    @Override
    void restart(int capacity) {
        values = new int[capacity];
    }

    @Override
    void enlarge(int capacity) {
        values = Arrays.copyOf(values, capacity);
    }

    @Override
    Column column(Object array, int rows, long[] nullRows) {
        int[] all = (int[]) array;
        return new IntColumn(rows < all.length ? Arrays.copyOf(all, rows) : all, nullRows);
    }
}
