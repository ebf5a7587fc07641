package org.unimeros.engine.key;

import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;

/** Numbers the keys of one column of whole numbers. */
final class WholeNumberTable extends WholeNumberLookUp implements KeyTable {

    private final WholeNumbering numbers;
    /** The keys by number; null where they are never taken. */
    private final ColumnBuilder keys;

    private final boolean isInt;
    private int size;

    WholeNumberTable(WholeNumbering numbers, DataType type, boolean keepsKeys) {
        super(numbers, NONE);
        this.numbers = numbers;
        this.keys = keepsKeys ? ColumnBuilder.of(type) : null;
        this.isInt = type.physical() == DataType.Physical.INTS;
    }

    @Override
    public int size() {
        return size;
    }

    @Override
    public void number(Column[] columns, int rows, int[] out) {
        ask(columns[0], rows, out, this::number, this::numberOfNull);
    }

    private int numberOfNull() {
        if (nullKey() == NONE) {
            setNullKey(size++);
            if (keys != null) {
                keys.appendNull();
            }
        }
        return nullKey();
    }

    /** What is new has got the numbers from the size on, in the order in which it came. */
    private void number(long[] values, int rows, int[] out) {
        int end = size + numbers.number(values, rows, out, size);
        if (keys == null) {
            size = end;
            return;
        }
        for (int i = 0; size < end; i++) {
            if (out[i] == size) {
                size++;
                keep(values[i]);
            }
        }
    }

    private void keep(long key) {
        if (isInt) {
            keys.appendInt((int) key);
        } else {
            keys.appendLong(key);
        }
    }

    /** Which rows have which number is not known here. */
    @Override
    public RowsByGroup rowsByKey() {
        return null;
    }

    @Override
    public void expect(int more) {
        numbers.expect(more);
    }

    @Override
    public Column[] takeKeys() {
        if (keys == null) {
            throw new UnsupportedOperationException("the keys of a table that is looked up in are not kept by number");
        }
        Column[] taken = {keys.build()};
        numbers.clear();
        size = 0;
        setNullKey(NONE);
        return taken;
    }

    @Override
    public long sizeInBytes() {
        return super.sizeInBytes() + (keys == null ? 0 : keys.sizeInBytes());
    }
}
