package org.unimeros.engine.data;

import java.lang.invoke.MethodHandles;
import java.lang.invoke.VarHandle;
import java.nio.ByteOrder;

/**
 * Decimal numbers of up to 18 digits with at most one point, read from bytes; those of up to eight characters behind their sign all at once (D.
 * Lemire, "Number parsing at a gigabyte per second", 2021, section 5). Not thread-safe.
 */
final class Digits {

    /** A long holds all numbers of so many digits. */
    private static final int MOST_DIGITS = 18;

    private static final int AT_ONCE = Long.BYTES;
    private static final VarHandle LONGS = MethodHandles.byteArrayViewVarHandle(long[].class, ByteOrder.LITTLE_ENDIAN);
    private static final long ZEROS = 0x3030_3030_3030_3030L;
    private static final long UPPER_HALVES = 0xF0F0_F0F0_F0F0_F0F0L;
    private static final long SIXES = 0x0606_0606_0606_0606L;
    /** A bit that digits have and a point does not. */
    private static final long IN_DIGITS = 0x1010_1010_1010_1010L;

    private static final long ALTERNATE = 0x0000_00FF_0000_00FFL;

    private long unscaled;
    private int count;
    private int behind;
    private boolean hasPoint;

    /** Reads the number that the bytes from {@code start} to {@code end} are; false when they are none, or a longer one. */
    boolean read(byte[] bytes, int start, int end) {
        if (start >= end) {
            return false;
        }
        // All bits of it are set where there is a minus: which numbers have one cannot be foreseen, so nothing should
        // branch on it.
        int minus = ((bytes[start] & 0xFF) ^ '-') - 1 >> 31;
        int first = start - minus;
        int length = end - first;
        if (length > AT_ONCE || first + AT_ONCE > bytes.length) {
            return readEach(bytes, first, end, minus);
        }
        if (length < 1) {
            return false;
        }
        // The last character stands in the highest byte, with zeros before the first.
        long before = length == AT_ONCE ? 0 : ZEROS >>> Byte.SIZE * length;
        long word = (long) LONGS.get(bytes, first) << Byte.SIZE * (AT_ONCE - length) | before;
        long others = ~word & IN_DIGITS;
        count = length;
        behind = 0;
        hasPoint = others != 0;
        if (hasPoint) {
            int point = Long.numberOfTrailingZeros(others) >>> 3;
            if ((word >>> Byte.SIZE * point & 0xFF) != '.' || length == 1) {
                return false;
            }
            long above = -1L << Byte.SIZE * point << Byte.SIZE;
            long below = (1L << Byte.SIZE * point) - 1;
            word = word & above | (word & below) << Byte.SIZE | '0';
            count = length - 1;
            behind = AT_ONCE - 1 - point;
        }
        if ((word & UPPER_HALVES) != ZEROS || (word + SIXES & UPPER_HALVES) != ZEROS) {
            return false;
        }
        long pairs = (word - ZEROS) * 10 + (word - ZEROS >>> 8);
        long value =
                (pairs & ALTERNATE) * (100 + (1_000_000L << 32)) + (pairs >>> 16 & ALTERNATE) * (1 + (10_000L << 32))
                        >>> 32;
        unscaled = (value ^ minus) - minus;
        return true;
    }

    /** Longer ones, and those at the end of the array. */
    private boolean readEach(byte[] bytes, int first, int end, int minus) {
        long value = 0;
        int point = end - 1;
        hasPoint = false;
        for (int at = first; at < end && end - first <= MOST_DIGITS + 1; at++) {
            int digit = bytes[at] - '0';
            if (digit >= 0 && digit <= 9) {
                value = value * 10 + digit;
            } else if (bytes[at] == '.' && !hasPoint) {
                hasPoint = true;
                point = at;
            } else {
                return false;
            }
        }
        count = end - first - (hasPoint ? 1 : 0);
        behind = end - 1 - point;
        unscaled = (value ^ minus) - minus;
        return count > 0 && count <= MOST_DIGITS;
    }

    /** The number that was read, without its point. */
    long unscaled() {
        return unscaled;
    }

    /** How many digits it has. */
    int count() {
        return count;
    }

    /** How many of them stand behind the point. */
    int behind() {
        return behind;
    }

    /** Whether there was a point, which can be the last character. */
    boolean hasPoint() {
        return hasPoint;
    }
}
