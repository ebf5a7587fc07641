package org.unimeros.engine.data;

import java.util.Arrays;

/** Collects values of the type double. */
final class DoubleBuilder extends ArrayBuilder {
    private double[] values = new double[LEAST];

    @Override
    public void appendDouble(double value) {
        int row = grow();
        if (row == values.length) {
            values = Arrays.copyOf(values, larger(row));
        }
        values[row] = value;
    }

    @Override
    void appendDefault() {
        appendDouble(0);
    }

    @Override
    void appendValue(Column from, int row) {
        appendDouble(((DoubleColumn) from).values()[row]);
    }

    @Override
    void appendValues(Column from, int[] rows, int start, int end) {
        double[] source = ((DoubleColumn) from).values();
        int first = grow(end - start);
        reserve(first + end - start);
        double[] to = values;
        for (int i = start; i < end; i++) {
            to[first + i - start] = source[rows[i]];
        }
    }

    @Override
    void appendValues(Column[] from, int[] which, int[] rows, int n) {
        double[][] sources = new double[from.length][];
        for (int i = 0; i < sources.length; i++) {
            sources[i] = ((DoubleColumn) from[i]).values();
        }
        int first = grow(n);
        reserve(first + n);
        double[] to = values;
        for (int i = 0; i < n; i++) {
            to[first + i] = sources[which[i]][rows[i]];
        }
    }

    @Override
    Column view(long[] nullRows) {
        return new DoubleColumn(values, nullRows);
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
        return ((DoubleColumn) column).values();
    }

    @Override
    void restart(int capacity) {
        values = new double[capacity];
    }

    @Override
    void enlarge(int capacity) {
        values = Arrays.copyOf(values, capacity);
    }

    @Override
    Column column(Object array, int rows, long[] nullRows) {
        double[] all = (double[]) array;
        return new DoubleColumn(rows < all.length ? Arrays.copyOf(all, rows) : all, nullRows);
    }
}
