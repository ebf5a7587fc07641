package org.unimeros.engine.data;

import java.util.Arrays;

/** Collects truth values. */
final class BitBuilder extends ColumnBuilder {
    private long[] bits = new long[2];

    @Override
    public void appendBoolean(boolean value) {
        int row = grow();
        if (row >>> 6 >= bits.length) {
            bits = Arrays.copyOf(bits, larger(bits.length));
        }
        if (value) {
            Bits.set(bits, row);
        } else {
            Bits.clear(bits, row);
        }
    }

    @Override
    void appendDefault() {
        appendBoolean(false);
    }

    @Override
    void appendValue(Column from, int row) {
        appendBoolean(((BooleanColumn) from).value(row));
    }

    @Override
    Column buildValues(int rows, long[] nullRows) {
        return new BooleanColumn(Arrays.copyOf(bits, Math.max(1, Bits.words(rows))), nullRows);
    }

    @Override
    Column view(long[] nullRows) {
        return new BooleanColumn(bits, nullRows);
    }

    @Override
    public long sizeInBytes() {
        return size() / 8;
    }
}
