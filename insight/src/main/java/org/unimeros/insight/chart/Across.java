package org.unimeros.insight.chart;

import java.math.BigDecimal;
import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalTime;
import java.time.ZoneOffset;
import java.time.format.DateTimeFormatter;
import java.util.List;
import java.util.Locale;
import org.unimeros.engine.data.DataType;

/**
 * What runs from left to right below lines.
 *
 * @param kind what its values are
 * @param words the values of text, in the order in which they first came; a point stands at the number of its word
 */
public record Across(Kind kind, List<String> words) {

    private static final DateTimeFormatter DAY_AND_MINUTE = DateTimeFormatter.ofPattern("MM-dd HH:mm", Locale.ROOT);
    private static final DateTimeFormatter MINUTE = DateTimeFormatter.ofPattern("HH:mm", Locale.ROOT);
    private static final long DAY_MILLIS = 86_400_000L;
    private static final int FEW_DAYS = 3;

    public Across {
        words = List.copyOf(words);
    }

    /** How values are placed: numbers as they are, dates and times in milliseconds. */
    public enum Kind {
        NUMBER,
        DATE,
        TIMESTAMP,
        TIME,
        TEXT;

        static Kind of(DataType type) {
            if (type.isNumeric()) {
                return NUMBER;
            }
            return type == DataType.DATE
                    ? DATE
                    : type == DataType.TIMESTAMP ? TIMESTAMP : type == DataType.TIME ? TIME : TEXT;
        }
    }

    /** Where a value stands that is neither null nor text. */
    static double place(Object value) {
        return switch (value) {
            case LocalDate date -> date.toEpochDay() * (double) DAY_MILLIS;
            case Instant instant -> instant.toEpochMilli();
            case LocalTime time -> time.toNanoOfDay() / 1e6;
            default -> ((Number) value).doubleValue();
        };
    }

    /** The value at a place, as short as the width of the picture allows to tell the values apart. */
    String write(double place, double span) {
        return switch (kind) {
            case NUMBER -> number(place, span);
            case DATE -> LocalDate.ofEpochDay(Math.round(place / DAY_MILLIS)).toString();
            case TIMESTAMP -> {
                var time = Instant.ofEpochMilli(Math.round(place)).atOffset(ZoneOffset.UTC);
                yield span > FEW_DAYS * DAY_MILLIS ? time.toLocalDate().toString() : DAY_AND_MINUTE.format(time);
            }
            case TIME -> MINUTE.format(LocalTime.ofNanoOfDay(Math.round(place * 1e6)));
            case TEXT -> words.get((int) Math.round(place));
        };
    }

    private static String number(double value, double span) {
        if (value == Math.rint(value) && Math.abs(value) < 1e15) {
            return Long.toString((long) value);
        }
        int after = span <= 0 ? 3 : Math.max(0, 3 - (int) Math.floor(Math.log10(span)));
        return after > 9
                ? Double.toString(value)
                : new BigDecimal(value)
                        .setScale(after, java.math.RoundingMode.HALF_UP)
                        .toPlainString();
    }
}
