package org.unimeros.engine.key;

import java.lang.invoke.MethodHandles;
import java.lang.invoke.VarHandle;
import java.nio.ByteOrder;
import org.unimeros.engine.data.TextColumn;

/**
 * Texts of up to seven bytes as whole numbers: the length in the upper byte, the text in the others. So they are hashed and compared by one
 * instruction each, which suits codes, postcodes and the like. Scratch space of one thread.
 */
final class ShortTexts {

    private static final VarHandle LONGS = MethodHandles.byteArrayViewVarHandle(long[].class, ByteOrder.LITTLE_ENDIAN);
    private static final int MOST_BYTES = 7;
    private static final int LENGTH_SHIFT = 56;
    /** No text has this length. */
    private static final long NULL = -1L << LENGTH_SHIFT;

    private long[] words = new long[0];
    private int[] shortRows = new int[0];
    private int[] longRows = new int[0];
    private int shortCount;
    private int longCount;

    /** Divides the rows of a column into short and long texts; null is a short one. */
    void divide(TextColumn column, int rows) {
        if (words.length < rows) {
            words = new long[rows];
            shortRows = new int[rows];
            longRows = new int[rows];
        }
        byte[] bytes = column.bytes();
        boolean hasNulls = column.nulls() != null;
        int shorts = 0;
        int longs = 0;
        for (int i = 0; i < rows; i++) {
            int start = column.start(i);
            int length = column.end(i) - start;
            if (hasNulls && column.isNull(i)) {
                shortRows[shorts] = i;
                words[shorts++] = NULL;
            } else if (length <= MOST_BYTES) {
                shortRows[shorts] = i;
                words[shorts++] = word(bytes, start, length);
            } else {
                longRows[longs++] = i;
            }
        }
        shortCount = shorts;
        longCount = longs;
    }

    private static long word(byte[] bytes, int start, int length) {
        if (start + Long.BYTES <= bytes.length) {
            long mask = (1L << Byte.SIZE * length) - 1;
            return (long) LONGS.get(bytes, start) & mask | (long) length << LENGTH_SHIFT;
        }
        long word = length;
        for (int i = MOST_BYTES - 1; i >= 0; i--) {
            word = word << Byte.SIZE | (i < length ? bytes[start + i] & 0xFF : 0);
        }
        return word;
    }

    int shortCount() {
        return shortCount;
    }

    int longCount() {
        return longCount;
    }

    /** The short texts, in the order of {@link #shortRows}. */
    long[] words() {
        return words;
    }

    int[] shortRows() {
        return shortRows;
    }

    int[] longRows() {
        return longRows;
    }
}
