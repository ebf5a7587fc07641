package org.unimeros.engine.sort;

import java.util.Arrays;
import org.unimeros.engine.data.BooleanColumn;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DoubleColumn;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.ListColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.StructColumn;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.data.WideColumn;

/**
 * Words of 64 bits that are ordered, unsigned, as the values of a key are. Numbers take one word, long decimals two. Of
 * text a word holds seven bytes and, below them, how many of them there are, so that the words of a text and of its
 * continuation differ; a last byte of 8 says that there is another word.
 */
final class SortWords {

    static final int TEXT_BYTES = 7;
    private static final int MORE = 8;

    private final Column column;
    private final boolean descending;

    SortWords(Column column, boolean descending) {
        this.column = column;
        this.descending = descending;
    }

    /** Whether the values can be told by words. */
    static boolean areFor(Column column) {
        return !(column instanceof ListColumn || column instanceof StructColumn);
    }

    /** Writes the words of the rows {@code order[from .. end)}, which are not null, to the same places of {@code out}. */
    void encode(int[] order, int from, int end, int level, long[] out) {
        switch (column) {
            case IntColumn c -> {
                int[] values = c.values();
                for (int i = from; i < end; i++) {
                    out[i] = encoded(values[order[i]]);
                }
            }
            case LongColumn c -> {
                long[] values = c.values();
                for (int i = from; i < end; i++) {
                    out[i] = encoded(values[order[i]]);
                }
            }
            case DoubleColumn c -> {
                double[] values = c.values();
                for (int i = from; i < end; i++) {
                    out[i] = ofDouble(values[order[i]]);
                }
            }
            case BooleanColumn c -> {
                for (int i = from; i < end; i++) {
                    out[i] = c.value(order[i]) ? 1 : 0;
                }
            }
            case WideColumn c -> {
                long[] half = level == 0 ? c.high() : c.low();
                long sign = level == 0 ? Long.MIN_VALUE : 0;
                for (int i = from; i < end; i++) {
                    out[i] = half[order[i]] ^ sign;
                }
            }
            case TextColumn c -> {
                for (int i = from; i < end; i++) {
                    out[i] = ofText(c, order[i], level * TEXT_BYTES);
                }
            }
            case ListColumn c -> throw new IllegalStateException("lists have no words");
            case StructColumn c -> throw new IllegalStateException("structs have no words");
        }
        if (descending) {
            for (int i = from; i < end; i++) {
                out[i] = ~out[i];
            }
        }
    }

    /** The first words of rows {@code from} to {@code end}, none of which is null. */
    long[] words(int from, int end) {
        int[] rows = new int[end - from];
        Arrays.setAll(rows, i -> from + i);
        long[] words = new long[rows.length];
        encode(rows, 0, rows.length, 0, words);
        return words;
    }

    /** Writes those of some rows behind the first {@code n} of {@code out} whose first words are not above another one, unsigned; returns how many there are then. */
    int upTo(long most, int from, int end, int[] out, int n) {
        int flip = descending ? -1 : 0;
        return switch (column) {
            case IntColumn c ->
                upTo((int) (most ^ flip) + Integer.MIN_VALUE ^ flip, flip, c.values(), from, end, out, n);
            case LongColumn c -> upTo(most ^ Long.MIN_VALUE, flip, c.values(), from, end, out, n);
            default -> {
                int size = upTo(most ^ Long.MIN_VALUE, Long.MIN_VALUE, words(from, end), 0, end - from, out, n);
                for (int i = n; i < size; i++) {
                    out[i] += from;
                }
                yield size;
            }
        };
    }

    private static int upTo(int most, int flip, int[] values, int from, int end, int[] out, int n) {
        int size = n;
        for (int row = from; row < end; row++) {
            out[size] = row;
            size += (values[row] ^ flip) <= most ? 1 : 0;
        }
        return size;
    }

    private static int upTo(long most, long flip, long[] values, int from, int end, int[] out, int n) {
        int size = n;
        for (int row = from; row < end; row++) {
            out[size] = row;
            size += (values[row] ^ flip) <= most ? 1 : 0;
        }
        return size;
    }

    /** The least of them, unsigned; at least one row. */
    long least(int from, int end) {
        // The complements of numbers are in the other order.
        int flip = descending ? -1 : 0;
        long word = switch (column) {
            case IntColumn c -> encoded(least(c.values(), flip, from, end) ^ flip);
            case LongColumn c -> encoded(least(c.values(), flip, from, end) ^ flip);
            default -> encoded(least(words(from, end), Long.MIN_VALUE, 0, end - from)) ^ flip;
        };
        return word ^ flip;
    }

    private static long encoded(int value) {
        return (long) value - Integer.MIN_VALUE;
    }

    private static long encoded(long value) {
        return value ^ Long.MIN_VALUE;
    }

    private static int least(int[] values, int flip, int from, int end) {
        int least = Integer.MAX_VALUE;
        for (int i = from; i < end; i++) {
            least = Math.min(least, values[i] ^ flip);
        }
        return least;
    }

    private static long least(long[] values, long flip, int from, int end) {
        long least = Long.MAX_VALUE;
        for (int i = from; i < end; i++) {
            least = Math.min(least, values[i] ^ flip);
        }
        return least;
    }

    /** Whether equal words of a level leave it open whether the values are equal. */
    boolean hasMore(long word, int level) {
        return switch (column) {
            case TextColumn c -> ((descending ? ~word : word) & 0xFF) == MORE;
            case WideColumn c -> level == 0;
            default -> false;
        };
    }

    /** The zeros are equal, and every NaN is above all numbers. */
    private static long ofDouble(double value) {
        long bits = Double.doubleToLongBits(value + 0.0);
        return bits ^ (bits >> 63 | Long.MIN_VALUE);
    }

    private static long ofText(TextColumn column, int row, int offset) {
        byte[] bytes = column.bytes();
        int start = column.start(row) + offset;
        int end = column.end(row);
        int n = Math.min(TEXT_BYTES, end - start);
        long word = 0;
        for (int i = 0; i < n; i++) {
            word |= (bytes[start + i] & 0xFFL) << 56 - 8 * i;
        }
        return word | (end - start > TEXT_BYTES ? MORE : n);
    }
}
