package org.unimeros.engine.key;

import java.util.Arrays;
import java.util.function.IntSupplier;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.LongColumn;

/** Keys of one column of whole numbers, and null beside them, looked up. One thread. */
class WholeNumberLookUp implements KeyLookUp {

    /** No key is null. */
    static final int NONE = -1;

    private final WholeLookUp keys;
    /** The number of the key null. */
    private int nullKey;

    private long[] widened = new long[0];

    WholeNumberLookUp(WholeLookUp keys, int nullKey) {
        this.keys = keys;
        this.nullKey = nullKey;
    }

    /** How numbers that are not null are asked for. */
    @FunctionalInterface
    interface Question {
        void ask(long[] values, int rows, int[] out);
    }

    @Override
    public final KeyLookUp reader() {
        return new WholeNumberLookUp(keys.reader(), nullKey);
    }

    @Override
    public final void find(Column[] columns, int rows, int[] out) {
        ask(columns[0], rows, out, keys::find, () -> nullKey);
    }

    /**
     * Asks for runs of rows that are not null; null is a key beside them.
     *
     * @param nullNumber the number of rows with null
     */
    final void ask(Column column, int rows, int[] out, Question question, IntSupplier nullNumber) {
        long[] values = longs(column, rows);
        long[] nulls = column.nulls();
        if (nulls == null || !Bits.any(nulls, rows)) {
            question.ask(values, rows, out);
            return;
        }
        int from = 0;
        while (from < rows) {
            boolean isNull = Bits.get(nulls, from);
            int end = from + 1;
            while (end < rows && Bits.get(nulls, end) == isNull) {
                end++;
            }
            if (isNull) {
                Arrays.fill(out, from, end, nullNumber.getAsInt());
            } else {
                int[] found = new int[end - from];
                question.ask(Arrays.copyOfRange(values, from, end), found.length, found);
                System.arraycopy(found, 0, out, from, found.length);
            }
            from = end;
        }
    }

    final int nullKey() {
        return nullKey;
    }

    final void setNullKey(int number) {
        nullKey = number;
    }

    private long[] longs(Column column, int rows) {
        if (column instanceof LongColumn c) {
            return c.values();
        }
        int[] ints = ((IntColumn) column).values();
        if (widened.length < rows) {
            widened = new long[rows];
        }
        for (int i = 0; i < rows; i++) {
            widened[i] = ints[i];
        }
        return widened;
    }

    @Override
    public final void release() {
        keys.release();
    }

    @Override
    public long sizeInBytes() {
        return keys.sizeInBytes();
    }
}
