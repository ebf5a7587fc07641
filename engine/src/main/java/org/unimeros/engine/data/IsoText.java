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

    /** Of a part of a text; so that with another part it is negative still. */
    private static final long NONE = Long.MIN_VALUE / 4;

    private static final int DATE_LENGTH = 10;
    private static final int MINUTES_LENGTH = 16;
    private static final int SECONDS_LENGTH = 19;
    private static final VarHandle LONGS = MethodHandles.byteArrayViewVarHandle(long[].class, ByteOrder.LITTLE_ENDIAN);

    /** The characters {@code 0000-00-}, and what takes a number beyond 9, and anything where the dashes are, into the upper half of its byte. */
    private static final long YEAR_AND_MONTH = 0x2D30_302D_3030_3030L;

    private static final long NOT_YEAR_AND_MONTH = 0x0F06_060F_0606_0606L;

    /** The same for {@code 00:00:00}. */
    private static final long TIME = 0x3030_3A30_303A_3030L;

    private static final long NOT_TIME = 0x0606_0F06_060F_0606L;

    private static final long UPPER_HALVES = 0xF0F0_F0F0_F0F0_F0F0L;
    private static final long MICROS_PER_DAY = 86_400_000_000L;
    private static final int[] FRACTIONS = {0, 100_000, 10_000, 1_000, 100, 10, 1};

    private static final int FIRST_YEAR = 1900;
    private static final int YEARS = 256;

    /** The first day of each month of some years, with sixteen places a year, of which the first and the last ones are no months. */
    private static final int[] FIRST_DAYS = new int[YEARS << 4];

    /** How many days each of these months has; 0 where there is none. */
    private static final byte[] LENGTHS = new byte[YEARS << 4];

    static {
        for (int year = 0; year < YEARS; year++) {
            for (int month = 1; month <= 12; month++) {
                FIRST_DAYS[year << 4 | month] = (int) epochDay(FIRST_YEAR + year, month, 1);
                LENGTHS[year << 4 | month] = (byte) lastDay(FIRST_YEAR + year, month);
            }
        }
    }

    private IsoText() {}

    /** Days since 1970 of a date such as {@code 2031-03-02}; {@link #UNKNOWN} for all else, impossible days included. */
    static long date(byte[] bytes, int start, int length) {
        return length == DATE_LENGTH ? date(bytes, start) : UNKNOWN;
    }

    private static long date(byte[] bytes, int start) {
        // Digits become their values, and dashes zeros.
        long word = (long) LONGS.get(bytes, start) ^ YEAR_AND_MONTH;
        int tens = bytes[start + 8] ^ '0';
        int ones = bytes[start + 9] ^ '0';
        if (((word | word + NOT_YEAR_AND_MONTH) & UPPER_HALVES) != 0 || tens > 3 || tens < 0 || ones > 9 || ones < 0) {
            return UNKNOWN;
        }
        long pairs = pairs(word);
        int year = at(pairs, 0) * 100 + at(pairs, 2);
        int month = at(pairs, 5);
        int day = tens * 10 + ones;
        int place = (year - FIRST_YEAR << 4) + month;
        if (place >= 0 && place < LENGTHS.length && month < 16) {
            return day > 0 && day <= LENGTHS[place] ? FIRST_DAYS[place] + day - 1 : UNKNOWN;
        }
        boolean isDay = month > 0 && month <= 12 && day > 0 && day <= lastDay(year, month);
        return isDay ? epochDay(year, month, day) : UNKNOWN;
    }

    /** Ten times each byte and the one behind it, for bytes up to 9. */
    private static long pairs(long word) {
        return word * 10 + (word >>> Byte.SIZE);
    }

    private static int at(long pairs, int index) {
        return (int) (pairs >>> Byte.SIZE * index) & 0xFF;
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
        if (bare < MINUTES_LENGTH || bytes[start + DATE_LENGTH] != 'T' && bytes[start + DATE_LENGTH] != ' ') {
            return UNKNOWN;
        }
        long day = date(bytes, start);
        long time = bare == MINUTES_LENGTH
                ? minutes(bytes, start + DATE_LENGTH + 1)
                : bare < SECONDS_LENGTH
                        ? NONE
                        : seconds(bytes, start + DATE_LENGTH + 1)
                                + fraction(bytes, start + SECONDS_LENGTH, bare - SECONDS_LENGTH);
        return day == UNKNOWN || time < 0 ? UNKNOWN : day * MICROS_PER_DAY + time;
    }

    /** Microseconds of a text such as {@code 08:15}; {@link #NONE} when it is not one. */
    private static long minutes(byte[] bytes, int start) {
        int hour = digits(bytes, start, 2);
        int minute = digits(bytes, start + 3, 2);
        boolean fits = bytes[start + 2] == ':' && hour >= 0 && hour < 24 && minute >= 0 && minute < 60;
        return fits ? (hour * 60L + minute) * 60_000_000 : NONE;
    }

    /** Microseconds of a text such as {@code 08:15:05}; {@link #NONE} when it is not one. */
    private static long seconds(byte[] bytes, int start) {
        long word = (long) LONGS.get(bytes, start) ^ TIME;
        long pairs = pairs(word);
        int hour = at(pairs, 0);
        int minute = at(pairs, 3);
        int second = at(pairs, 6);
        boolean fits = ((word | word + NOT_TIME) & UPPER_HALVES) == 0 && hour < 24 && minute < 60 && second < 60;
        return fits ? ((hour * 60L + minute) * 60 + second) * 1_000_000 : NONE;
    }

    /** Microseconds of nothing, or of a text such as {@code .25}; {@link #NONE} for other texts. */
    private static long fraction(byte[] bytes, int start, int length) {
        if (length == 0) {
            return 0;
        }
        int digits = length - 1;
        if (bytes[start] != '.' || digits == 0 || digits >= FRACTIONS.length) {
            return NONE;
        }
        int value = digits(bytes, start + 1, digits);
        return value < 0 ? NONE : (long) value * FRACTIONS[digits];
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
