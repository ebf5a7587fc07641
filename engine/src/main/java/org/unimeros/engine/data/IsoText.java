package org.unimeros.engine.data;

import java.time.DateTimeException;
import java.time.LocalDate;

/**
 * The usual forms of dates and timestamps in text, read character by character without an object for each. What is
 * not in these forms may still be a date or timestamp: {@link Parse} knows all forms.
 */
public final class IsoText {

    /** Not in one of the forms that are known here. */
    public static final long UNKNOWN = Long.MIN_VALUE;

    private static final int DATE_LENGTH = 10;
    private static final int MINUTES_LENGTH = 16;
    private static final int SECONDS_LENGTH = 19;
    private static final long MICROS_PER_DAY = 86_400_000_000L;
    private static final int[] FRACTIONS = {0, 100_000, 10_000, 1_000, 100, 10, 1};

    private IsoText() {}

    /** Days since 1970 of a date such as {@code 2031-03-02}; {@link #UNKNOWN} for all else, impossible days included. */
    public static long date(char[] chars, int offset, int length) {
        if (length != DATE_LENGTH || chars[offset + 4] != '-' || chars[offset + 7] != '-') {
            return UNKNOWN;
        }
        int year = digits(chars, offset, 4);
        int month = digits(chars, offset + 5, 2);
        int day = digits(chars, offset + 8, 2);
        if (year < 0 || month < 1 || month > 12 || day < 1 || day > 31) {
            return UNKNOWN;
        }
        if (day <= 28) {
            return epochDay(year, month, day);
        }
        try {
            return LocalDate.of(year, month, day).toEpochDay();
        } catch (DateTimeException e) {
            return UNKNOWN;
        }
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
    public static long timestamp(char[] chars, int offset, int length) {
        int bare = length > 0 && chars[offset + length - 1] == 'Z' ? length - 1 : length;
        if (bare < MINUTES_LENGTH
                || chars[offset + DATE_LENGTH] != 'T' && chars[offset + DATE_LENGTH] != ' '
                || chars[offset + 13] != ':') {
            return UNKNOWN;
        }
        long day = date(chars, offset, DATE_LENGTH);
        int hour = digits(chars, offset + 11, 2);
        int minute = digits(chars, offset + 14, 2);
        long seconds = bare == MINUTES_LENGTH ? 0 : seconds(chars, offset + MINUTES_LENGTH, bare - MINUTES_LENGTH);
        if (day == UNKNOWN || hour < 0 || hour > 23 || minute < 0 || minute > 59 || seconds < 0) {
            return UNKNOWN;
        }
        return day * MICROS_PER_DAY + (hour * 60L + minute) * 60_000_000 + seconds;
    }

    /** Microseconds of a text such as {@code :05.25}; negative when it is not one. */
    private static long seconds(char[] chars, int offset, int length) {
        int behind = length - 4;
        boolean fits = length == SECONDS_LENGTH - MINUTES_LENGTH
                || behind > 0 && behind < FRACTIONS.length && chars[offset + 3] == '.';
        if (!fits || chars[offset] != ':') {
            return -1;
        }
        int whole = digits(chars, offset + 1, 2);
        int fraction = behind > 0 ? digits(chars, offset + 4, behind) : 0;
        if (whole < 0 || whole > 59 || fraction < 0) {
            return -1;
        }
        return whole * 1_000_000L + (behind > 0 ? (long) fraction * FRACTIONS[behind] : 0);
    }

    /** The number that some digits make; -1 when one of them is no digit. */
    private static int digits(char[] chars, int offset, int length) {
        int value = 0;
        for (int i = offset; i < offset + length; i++) {
            int digit = chars[i] - '0';
            if (digit < 0 || digit > 9) {
                return -1;
            }
            value = value * 10 + digit;
        }
        return value;
    }
}
