package org.unimeros.engine.data;

import java.lang.invoke.MethodHandles;
import java.lang.invoke.VarHandle;
import java.nio.ByteOrder;

/**
 * Where characters, which are Unicode code points, stand in UTF-8. A character is one byte that begins it and those of the form {@code
 * 10xxxxxx} that follow, so what is not well-formed is counted as well, and nothing reads beyond the given end.
 */
public final class Utf8 {

    private static final VarHandle LONGS = MethodHandles.byteArrayViewVarHandle(long[].class, ByteOrder.LITTLE_ENDIAN);
    private static final long ONES = 0x0101_0101_0101_0101L;
    private static final long SIGNS = 0x8080_8080_8080_8080L;

    private Utf8() {}

    /** Whether all bytes are characters of their own. */
    public static boolean isAscii(byte[] bytes, int start, int end) {
        long signs = 0;
        int at = start;
        for (; at + Long.BYTES <= end; at += Long.BYTES) {
            signs |= (long) LONGS.get(bytes, at);
        }
        for (; at < end; at++) {
            signs |= bytes[at];
        }
        return (signs & SIGNS) == 0;
    }

    private static boolean continues(byte b) {
        return (b & 0xC0) == 0x80;
    }

    /** The number of characters. */
    public static int count(byte[] bytes, int start, int end) {
        int count = 0;
        for (int i = start; i < end; i++) {
            count += continues(bytes[i]) ? 0 : 1;
        }
        return count;
    }

    /** The place behind so many characters, or the end where there are fewer. */
    public static int skip(byte[] bytes, int start, int end, long characters) {
        int at = start;
        for (long left = characters; left > 0 && at < end; left--) {
            at++;
            while (at < end && continues(bytes[at])) {
                at++;
            }
        }
        return at;
    }

    /** The place before the last so many characters, or the start where there are fewer. */
    public static int skipBack(byte[] bytes, int start, int end, long characters) {
        int at = end;
        for (long left = characters; left > 0 && at > start; left--) {
            at--;
            while (at > start && continues(bytes[at])) {
                at--;
            }
        }
        return at;
    }

    /** The first place of a byte, or -1; eight bytes are looked at together (H. S. Warren, "Hacker's Delight", 6-1). */
    public static int indexOf(byte[] bytes, int start, int end, byte wanted) {
        long pattern = (wanted & 0xFF) * ONES;
        int at = start;
        // The last eight may reach beyond the end, as far as the array does.
        int most = Math.min(end, bytes.length - Long.BYTES + 1);
        for (; at < most; at += Long.BYTES) {
            long differing = (long) LONGS.get(bytes, at) ^ pattern;
            long zeros = differing - ONES & ~differing & SIGNS;
            if (zeros != 0) {
                int found = at + (Long.numberOfTrailingZeros(zeros) >>> 3);
                return found < end ? found : -1;
            }
        }
        for (; at < end; at++) {
            if (bytes[at] == wanted) {
                return at;
            }
        }
        return -1;
    }

    /** The first place of a byte, or the end; mostly within eight bytes, as parts of lines are short. */
    public static int endOfPart(byte[] bytes, int start, int end, byte separator) {
        int at = start;
        if (at + Long.BYTES <= bytes.length) {
            long differing = (long) LONGS.get(bytes, at) ^ (separator & 0xFF) * ONES;
            long zeros = differing - ONES & ~differing & SIGNS;
            at += Long.numberOfTrailingZeros(zeros) >>> 3;
            if (zeros != 0 || at >= end) {
                return Math.min(at, end);
            }
        }
        int found = indexOf(bytes, at, end, separator);
        return found < 0 ? end : found;
    }

    /**
     * Writes the places of a byte behind the first {@code n} of {@code out}, as far as there is room. That is faster than to look for one after
     * the other: no word is waited for to know which one to read next, and nothing depends on which of them have the byte.
     *
     * @return how many places there are then
     */
    public static int indexesOf(byte[] bytes, int start, int end, byte wanted, int[] out, int n) {
        long pattern = (wanted & 0xFF) * ONES;
        int size = n;
        int at = start;
        // A word may have eight.
        int most = out.length - Long.BYTES;
        for (; at <= end - Long.BYTES && size <= most; at += Long.BYTES) {
            long differing = (long) LONGS.get(bytes, at) ^ pattern;
            // The sign of each byte that is zero, and of no other, which is more than the first of them needs.
            long zeros = ~((differing & ~SIGNS) + ~SIGNS | differing | ~SIGNS);
            out[size] = at + (Long.numberOfTrailingZeros(zeros) >>> 3);
            size += (int) ((zeros | -zeros) >>> Long.SIZE - 1);
            for (zeros &= zeros - 1; zeros != 0; zeros &= zeros - 1) {
                out[size++] = at + (Long.numberOfTrailingZeros(zeros) >>> 3);
            }
        }
        for (at = indexOf(bytes, at, end, wanted);
                at >= 0 && size < out.length;
                at = indexOf(bytes, at + 1, end, wanted)) {
            out[size++] = at;
        }
        return size;
    }

    /** The first place of some bytes, or -1; that of no bytes is the start. */
    public static int indexOf(byte[] bytes, int start, int end, byte[] part, int from, int to) {
        int length = to - from;
        if (length == 0) {
            return start;
        }
        int last = end - length + 1;
        int at = start;
        while (at < last) {
            at = indexOf(bytes, at, last, part[from]);
            if (at < 0 || isAt(bytes, at, part, from, to)) {
                return at;
            }
            at++;
        }
        return -1;
    }

    /** Whether some bytes stand at a place, with room for them. */
    public static boolean isAt(byte[] bytes, int at, byte[] part, int from, int to) {
        for (int i = from; i < to; i++) {
            if (bytes[at + i - from] != part[i]) {
                return false;
            }
        }
        return true;
    }
}
