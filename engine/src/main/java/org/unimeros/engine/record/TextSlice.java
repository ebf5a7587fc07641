package org.unimeros.engine.record;

import static java.nio.charset.StandardCharsets.UTF_8;

import java.lang.invoke.MethodHandles;
import java.lang.invoke.VarHandle;
import java.nio.ByteOrder;
import java.util.Arrays;
import java.util.Objects;
import org.unimeros.engine.data.ColumnBuilder;

/**
 * Text as the bytes that it has in columns and files, for code that would otherwise spend its time on making strings: reading it, cutting
 * pieces out of it and handing these on copies nothing. Positions and lengths are those of bytes. Equal when the bytes are, ordered by unsigned bytes, which is the order of
 * Unicode code points. Immutable; a piece keeps all the bytes in memory that it is part of.
 */
public final class TextSlice implements Comparable<TextSlice> {

    /** Eight bytes at once, the first of them lowest. */
    private static final VarHandle WORD = MethodHandles.byteArrayViewVarHandle(long[].class, ByteOrder.LITTLE_ENDIAN);

    private static final long EVERY_BYTE = 0x0101010101010101L;
    private static final long HASH_FACTOR = 0x9E3779B97F4A7C15L;

    private final byte[] bytes;
    private final int start;
    private final int length;

    private TextSlice(byte[] bytes, int start, int length) {
        this.bytes = bytes;
        this.start = start;
        this.length = length;
    }

    public static TextSlice of(String text) {
        byte[] bytes = text.getBytes(UTF_8);
        return new TextSlice(bytes, 0, bytes.length);
    }

    /** A piece of an array that nobody changes any more. */
    public static TextSlice of(byte[] bytes, int start, int length) {
        Objects.checkFromIndexSize(start, length, bytes.length);
        return new TextSlice(bytes, start, length);
    }

    /** How many bytes there are. */
    public int length() {
        return length;
    }

    public boolean isEmpty() {
        return length == 0;
    }

    public byte byteAt(int index) {
        return bytes[start + Objects.checkIndex(index, length)];
    }

    /**
     * Where an ASCII character comes next, from a position on; -1 where it does not. Eight bytes are looked at together: of their difference to the
     * character, the first byte that is zero sets the lowest high bit.
     */
    public int indexOf(char ascii, int from) {
        int end = start + length;
        int at = start + Math.max(0, from);
        long pattern = ascii * EVERY_BYTE;
        for (; at <= end - Long.BYTES; at += Long.BYTES) {
            long difference = (long) WORD.get(bytes, at) ^ pattern;
            long zero = difference - EVERY_BYTE & ~difference & EVERY_BYTE << 7;
            if (zero != 0) {
                return at + (Long.numberOfTrailingZeros(zero) >>> 3) - start;
            }
        }
        for (; at < end; at++) {
            if (bytes[at] == ascii) {
                return at - start;
            }
        }
        return -1;
    }

    /** Where another text comes next, from a position on; -1 where it does not. */
    public int indexOf(TextSlice other, int from) {
        for (int i = Math.max(0, from); i <= length - other.length; i++) {
            if (slice(i, i + other.length).equals(other)) {
                return i;
            }
        }
        return -1;
    }

    /** The bytes from one position to before another, which should not part a character. */
    public TextSlice slice(int from, int to) {
        Objects.checkFromToIndex(from, to, length);
        return new TextSlice(bytes, start + from, to - from);
    }

    /** Copies all bytes to a place in an array. */
    public void copyTo(byte[] target, int at) {
        System.arraycopy(bytes, start, target, at, length);
    }

    /** Whether an array has the same bytes from a position on, and zeros behind them up to a multiple of eight. */
    public boolean isAt(byte[] other, int from) {
        for (int i = 0; i < length; i += Long.BYTES) {
            if (word(i) != (long) WORD.get(other, from + i)) {
                return false;
            }
        }
        return true;
    }

    void appendTo(ColumnBuilder builder) {
        builder.appendText(bytes, start, length);
    }

    @Override
    public int compareTo(TextSlice other) {
        return Arrays.compareUnsigned(
                bytes, start, start + length, other.bytes, other.start, other.start + other.length);
    }

    @Override
    public boolean equals(Object object) {
        if (!(object instanceof TextSlice other) || other.length != length) {
            return false;
        }
        for (int i = 0; i < length; i += Long.BYTES) {
            if (word(i) != other.word(i)) {
                return false;
            }
        }
        return true;
    }

    @Override
    public int hashCode() {
        long hash = length;
        for (int i = 0; i < length; i += Long.BYTES) {
            hash = (hash ^ word(i)) * HASH_FACTOR;
            hash ^= hash >>> 32;
        }
        return (int) hash;
    }

    /** The eight bytes from a position on; zeros behind the last one. */
    private long word(int from) {
        int at = start + from;
        int left = length - from;
        if (at > bytes.length - Long.BYTES) {
            long word = 0;
            for (int i = Math.min(left, Long.BYTES) - 1; i >= 0; i--) {
                word = word << 8 | bytes[at + i] & 0xFF;
            }
            return word;
        }
        long word = (long) WORD.get(bytes, at);
        return left >= Long.BYTES ? word : word & (1L << 8 * left) - 1;
    }

    @Override
    public String toString() {
        return new String(bytes, start, length, UTF_8);
    }
}
