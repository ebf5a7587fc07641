package org.unimeros.engine.expr;

import java.io.Serializable;
import java.math.BigDecimal;
import java.util.List;
import java.util.Locale;
import org.unimeros.engine.error.NameSuggestions;
import org.unimeros.engine.error.UserMistake;

/** A span of time as SQL writes it: {@code interval '45' minute}. Months and microseconds are kept apart. */
public record Interval(int months, long micros, String text) implements Serializable {

    static final long MICROS_PER_DAY = 86_400_000_000L;
    private static final long SECOND = 1_000_000L;

    /** Reads amount and unit. */
    public static Interval of(String amount, String unit) {
        long n;
        try {
            n = Long.parseLong(amount.strip());
        } catch (NumberFormatException e) {
            throw new UserMistake(
                    "an interval needs a whole number, as in interval '45' minute, but found '" + amount + "'");
        }
        try {
            return of(n, unit);
        } catch (ArithmeticException e) {
            throw new UserMistake("the interval '" + amount.strip() + "' " + unit + " is too long", e);
        }
    }

    private static Interval of(long n, String unit) {
        String name = unit.toLowerCase(Locale.ROOT).replaceAll("s$", "");
        String text = "interval '" + n + "' " + name;
        return switch (name) {
            case "second" -> new Interval(0, Math.multiplyExact(n, SECOND), text);
            case "minute" -> new Interval(0, Math.multiplyExact(n, 60 * SECOND), text);
            case "hour" -> new Interval(0, Math.multiplyExact(n, 3600 * SECOND), text);
            case "day" -> new Interval(0, Math.multiplyExact(n, MICROS_PER_DAY), text);
            case "week" -> new Interval(0, Math.multiplyExact(n, 7 * MICROS_PER_DAY), text);
            case "month" -> new Interval(Math.toIntExact(n), 0, text);
            case "year" -> new Interval(Math.toIntExact(Math.multiplyExact(n, 12)), 0, text);
            default ->
                throw new UserMistake("unknown unit of time " + unit
                        + NameSuggestions.hint(
                                unit, List.of("second", "minute", "hour", "day", "week", "month", "year")));
        };
    }

    /**
     * Its seconds, as the time between two timestamps is.
     *
     * @throws UserMistake for months and years, which are not all as long
     */
    public Expression seconds() {
        if (months != 0) {
            throw new UserMistake("the time between two timestamps is in seconds, and " + text
                    + " has no fixed number of them; compare with one of days");
        }
        return new Expression.Literal(BigDecimal.valueOf(micros, 6), TimeKernels.SECONDS);
    }

    Interval negated() {
        return new Interval(-months, -micros, text);
    }

    @Override
    public String toString() {
        return text;
    }
}
