package org.unimeros.engine.data;

import java.lang.invoke.MethodHandles;
import java.lang.invoke.VarHandle;
import java.nio.ByteOrder;
import java.util.Arrays;

/**
 * Keeps the texts of a column when the bytes that they were cut from are given up: as a dictionary while a batch has few different ones, else one after
 * the other. Not thread-safe.
 */
public final class TextKeeper {

    private static final VarHandle LONGS = MethodHandles.byteArrayViewVarHandle(long[].class, ByteOrder.LITTLE_ENDIAN);
    private static final int SLOTS = 2 * TextCodes.MOST;
    private static final int SLOT_BITS = Integer.numberOfTrailingZeros(SLOTS);
    /** The fractional part of the golden ratio. */
    private static final long SPREAD = 0x9E37_79B9_7F4A_7C15L;

    /** By slot the first bytes of a text, and its number plus one; 0 for none. */
    private final long[] firstBytes = new long[SLOTS];

    private final int[] numbers = new int[SLOTS];

    /** Where each text stands for the first time in the batch. */
    private final int[] starts = new int[TextCodes.MOST];

    private final int[] ends = new int[TextCodes.MOST];
    private int size;
    private int untried;

    /** The first rows of a column that has no dictionary, with bytes of their own. */
    public TextColumn keep(TextColumn text, int rows) {
        if (untried > 0) {
            untried--;
            return text.packed(rows);
        }
        int[] ids = new int[rows];
        if (!areFew(text, rows, ids)) {
            untried = TextCodes.PATIENCE;
            return text.packed(rows);
        }
        if (size == 0) {
            return text.packed(rows);
        }
        TextColumn dictionary =
                TextColumn.slices(text.bytes(), starts, ends, null).packed(size);
        return TextColumn.encoded(ids, dictionary, size, text.nulls());
    }

    /** Numbers the texts; false when too many of them differ. */
    private boolean areFew(TextColumn text, int rows, int[] ids) {
        byte[] bytes = text.bytes();
        boolean hasNulls = text.nulls() != null;
        Arrays.fill(numbers, 0);
        size = 0;
        for (int i = 0; i < rows; i++) {
            if (hasNulls && text.isNull(i)) {
                continue;
            }
            int number = number(bytes, text.startOf(i), text.endOf(i));
            if (number < 0) {
                return false;
            }
            ids[i] = number;
        }
        return true;
    }

    private int number(byte[] bytes, int start, int end) {
        int length = end - start;
        long first = first(bytes, start, length);
        int slot = (int) ((first + length) * SPREAD >>> Long.SIZE - SLOT_BITS);
        for (int known = numbers[slot] - 1; known >= 0; known = numbers[slot] - 1) {
            if (firstBytes[slot] == first && isSame(bytes, known, start, length)) {
                return known;
            }
            slot = slot + 1 & SLOTS - 1;
        }
        if (size == TextCodes.MOST) {
            return -1;
        }
        firstBytes[slot] = first;
        starts[size] = start;
        ends[size] = end;
        numbers[slot] = ++size;
        return size - 1;
    }

    /** The first eight bytes; of shorter texts all, with zeros before them. */
    private static long first(byte[] bytes, int start, int length) {
        if (length == 0) {
            return 0;
        }
        int missing = Math.max(0, Long.BYTES - length);
        if (start + Long.BYTES <= bytes.length) {
            return (long) LONGS.get(bytes, start) << Byte.SIZE * missing;
        }
        long word = 0;
        for (int i = Long.BYTES - missing - 1; i >= 0; i--) {
            word = word << Byte.SIZE | bytes[start + i] & 0xFF;
        }
        return word << Byte.SIZE * missing;
    }

    /** Whether a text whose first bytes are the same is the same. */
    private boolean isSame(byte[] bytes, int known, int start, int length) {
        int from = starts[known];
        return ends[known] - from == length
                && (length <= Long.BYTES
                        || Arrays.equals(
                                bytes, from + Long.BYTES, ends[known], bytes, start + Long.BYTES, start + length));
    }
}
