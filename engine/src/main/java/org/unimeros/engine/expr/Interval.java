package org.unimeros.engine.expr;

import java.io.Serializable;
import java.util.List;
import java.util.Locale;
import org.unimeros.engine.error.Near;
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
        String name = unit.toLowerCase(Locale.ROOT).replaceAll("s$", "");
        String text = "interval '" + n + "' " + name;
        return switch (name) {
            case "second" -> new Interval(0, n * SECOND, text);
            case "minute" -> new Interval(0, n * 60 * SECOND, text);
            case "hour" -> new Interval(0, n * 3600 * SECOND, text);
            case "day" -> new Interval(0, n * MICROS_PER_DAY, text);
            case "week" -> new Interval(0, n * 7 * MICROS_PER_DAY, text);
            case "month" -> new Interval(Math.toIntExact(n), 0, text);
            case "year" -> new Interval(Math.toIntExact(n * 12), 0, text);
            default ->
                throw new UserMistake("unknown unit of time " + unit
                        + Near.hint(unit, List.of("second", "minute", "hour", "day", "week", "month", "year")));
        };
    }

    Interval negated() {
        return new Interval(-months, -micros, text);
    }

    @Override
    public String toString() {
        return text;
    }
}
