package org.unimeros.engine.data;

import java.lang.invoke.MethodHandles;
import java.lang.invoke.VarHandle;
import java.nio.ByteOrder;
import java.time.LocalDate;

/**
 * The usual forms of dates and timestamps in UTF-8, read without an object for each. What is
 * not in these forms may still be a date or timestamp: {@link Parse} knows all forms.
 */
final class IsoText {

    /** Not in one of the forms that are known here. */
    static final long UNKNOWN = Long.MIN_VALUE;

    private static final int DATE_LENGTH = 10;
    private static final int MINUTES_LENGTH = 16;
    private static final int SECONDS_LENGTH = 19;
    private static final VarHandle LONGS = MethodHandles.byteArrayViewVarHandle(long[].class, ByteOrder.LITTLE_ENDIAN);
    /** The characters {@code 0000-00-}. */
    private static final long YEAR_AND_MONTH = 0x2D30_302D_3030_3030L;

    /** What takes a number beyond 9, and anything where the dashes are, into the upper half of its byte. */
    private static final long BEYOND = 0x0F06_060F_0606_0606L;

    private static final long UPPER_HALVES = 0xF0F0_F0F0_F0F0_F0F0L;
    private static final long MICROS_PER_DAY = 86_400_000_000L;
    private static final int[] FRACTIONS = {0, 100_000, 10_000, 1_000, 100, 10, 1};

    private IsoText() {}

    /** Days since 1970 of a date such as {@code 2031-03-02}; {@link #UNKNOWN} for all else, impossible days included. */
    static long date(byte[] bytes, int start, int length) {
        if (length != DATE_LENGTH) {
            return UNKNOWN;
        }
        // Digits become their values and dashes zeros; whatever else stands there, and what is more than 9, reaches the
        // upper half of its byte.
        long word = (long) LONGS.get(bytes, start) ^ YEAR_AND_MONTH;
        int tens = bytes[start + 8] ^ '0';
        int ones = bytes[start + 9] ^ '0';
        if (((word | word + BEYOND) & UPPER_HALVES) != 0 || tens > 3 || tens < 0 || ones > 9 || ones < 0) {
            return UNKNOWN;
        }
        int year = ((at(word, 0) * 10 + at(word, 1)) * 10 + at(word, 2)) * 10 + at(word, 3);
        int month = at(word, 5) * 10 + at(word, 6);
        int day = tens * 10 + ones;
        if (month < 1 || month > 12 || day < 1 || day > 28 && day > lastDay(year, month)) {
            return UNKNOWN;
        }
        return epochDay(year, month, day);
    }

    private static int at(long word, int index) {
        return (int) (word >>> Byte.SIZE * index) & 0xF;
    }

    private static int lastDay(int year, int month) {
        boolean isLeap = year % 4 == 0 && (year % 100 != 0 || year % 400 == 0);
        return month == 2 ? isLeap ? 29 : 28 : 30 + (month + (month >> 3) & 1);
    }

    /** Days since 1970 of a day that exists, by counting years from March (as {@link LocalDate#toEpochDay} does). */
    private static long epochDay(int year, int month, int day) {
        int shifted = month <= 2 ? year + 399 : year + 400;
        int fromMarch = (153 * (month > 2 ? month - 3 : month + 9) + 2) / 5 + day - 1;
        return 365L * shifted + shifted / 4 - shifted / 100 + shifted / 400 + fromMarch - 719_468 - 146_097;
    }

    /**
     * Microseconds since 1970 of a timestamp such as {@code 2031-03-02T08:15}, with seconds and up to six digits of them if
     * any, a blank or T between date and time, and nothing or Z behind it; {@link #UNKNOWN} for all else.
     */
    static long timestamp(byte[] bytes, int start, int length) {
        int bare = length > 0 && bytes[start + length - 1] == 'Z' ? length - 1 : length;
        if (bare < MINUTES_LENGTH
                || bytes[start + DATE_LENGTH] != 'T' && bytes[start + DATE_LENGTH] != ' '
                || bytes[start + 13] != ':') {
            return UNKNOWN;
        }
        long day = date(bytes, start, DATE_LENGTH);
        int hour = digits(bytes, start + 11, 2);
        int minute = digits(bytes, start + 14, 2);
        long seconds = bare == MINUTES_LENGTH ? 0 : seconds(bytes, start + MINUTES_LENGTH, bare - MINUTES_LENGTH);
        if (day == UNKNOWN || hour < 0 || hour > 23 || minute < 0 || minute > 59 || seconds < 0) {
            return UNKNOWN;
        }
        return day * MICROS_PER_DAY + (hour * 60L + minute) * 60_000_000 + seconds;
    }

    /** Microseconds of a text such as {@code :05.25}; negative when it is not one. */
    private static long seconds(byte[] bytes, int start, int length) {
        int behind = length - 4;
        boolean fits = length == SECONDS_LENGTH - MINUTES_LENGTH
                || behind > 0 && behind < FRACTIONS.length && bytes[start + 3] == '.';
        if (!fits || bytes[start] != ':') {
            return -1;
        }
        int whole = digits(bytes, start + 1, 2);
        int fraction = behind > 0 ? digits(bytes, start + 4, behind) : 0;
        if (whole < 0 || whole > 59 || fraction < 0) {
            return -1;
        }
        return whole * 1_000_000L + (behind > 0 ? (long) fraction * FRACTIONS[behind] : 0);
    }

    /** The number that some digits make; -1 when one of them is no digit. */
    private static int digits(byte[] bytes, int start, int length) {
        int value = 0;
        for (int i = start; i < start + length; i++) {
            int digit = bytes[i] - '0';
            if (digit < 0 || digit > 9) {
                return -1;
            }
            value = value * 10 + digit;
        }
        return value;
    }
}
