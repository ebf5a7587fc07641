package org.unimeros.engine.expr;

import java.io.Serializable;
import java.time.DateTimeException;
import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.ZoneOffset;
import java.time.format.DateTimeFormatter;
import java.time.format.DateTimeFormatterBuilder;
import java.time.format.ResolverStyle;
import java.time.temporal.ChronoField;
import java.util.Locale;
import java.util.Map;
import java.util.TreeMap;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.error.UserMistake;

/**
 * A form of dates and timestamps as texts, with the parts that {@code to_char} documents: {@code DD.MM.YYYY HH24:MI}. What it holds is made anew
 * where it has travelled to. Immutable.
 */
public final class TimeFormat implements Serializable {

    private static final long serialVersionUID = 1;

    /** The parts of formats and what they mean to the formatter; longer ones go first. */
    private static final Map<String, String> PARTS = parts();

    private final String format;
    private final String where;
    private final DataType type;
    private transient DateTimeFormatter made;

    private TimeFormat(String format, DataType type, String where) {
        this.format = format;
        this.type = type;
        this.where = where;
    }

    /**
     * A form in which times are written.
     *
     * @param where what the form was given to, for messages
     * @throws UserMistake when it is none
     */
    public static TimeFormat toWrite(String format, String where) {
        return toRead(format, DataType.TIMESTAMP, where);
    }

    /**
     * A form in which times are read; parts of a time that it does not have are zero.
     *
     * @param type date or timestamp
     * @param where what the form was given to, for messages
     * @throws UserMistake when it is none
     */
    public static TimeFormat toRead(String format, DataType type, String where) {
        TimeFormat checked = new TimeFormat(format, type, where);
        checked.get();
        return checked;
    }

    /**
     * The date or instant that a text means.
     *
     * @return a {@link LocalDate}, or an {@link Instant}
     * @throws DateTimeException when it means none
     */
    public Object value(String text) {
        return type == DataType.DATE
                ? LocalDate.parse(text, get())
                : LocalDateTime.parse(text, get()).toInstant(ZoneOffset.UTC);
    }

    /** A day as text, at midnight where the form has a time. */
    public String text(LocalDate day) {
        return get().format(day.atStartOfDay().atOffset(ZoneOffset.UTC));
    }

    /** An instant as text, in UTC. */
    public String text(Instant instant) {
        return get().format(instant.atOffset(ZoneOffset.UTC));
    }

    @Override
    public String toString() {
        return format;
    }

    /** Tasks that make it at the same time make the same. */
    private DateTimeFormatter get() {
        DateTimeFormatter formatter = made;
        if (formatter == null) {
            formatter = formatter();
            made = formatter;
        }
        return formatter;
    }

    private DateTimeFormatter formatter() {
        if (format.isEmpty()) {
            throw new UserMistake(where + " needs a format, as in 'YYYY-MM-DD HH24:MI:SS'");
        }
        DateTimeFormatterBuilder builder = new DateTimeFormatterBuilder();
        int at = 0;
        while (at < format.length()) {
            at = append(builder, at);
        }
        if (format.contains("HH")) {
            // What is missing behind is zero.
            builder.parseDefaulting(ChronoField.MINUTE_OF_HOUR, 0).parseDefaulting(ChronoField.SECOND_OF_MINUTE, 0);
        } else {
            builder.parseDefaulting(ChronoField.NANO_OF_DAY, 0);
        }
        // A 30th of February is no date, and not the last of that month.
        return builder.toFormatter(Locale.UK).withResolverStyle(ResolverStyle.STRICT);
    }

    /** Adds the part at a place, and returns where the next one begins. */
    private int append(DateTimeFormatterBuilder builder, int at) {
        if (format.charAt(at) == '"') {
            int end = format.indexOf('"', at + 1);
            if (end < 0) {
                throw new UserMistake(where + ": the format '" + format + "' has a quote without its other one");
            }
            builder.appendLiteral(format.substring(at + 1, end));
            return end + 1;
        }
        for (Map.Entry<String, String> part : PARTS.entrySet()) {
            if (format.startsWith(part.getKey(), at)) {
                builder.appendPattern(part.getValue());
                return at + part.getKey().length();
            }
        }
        boolean isMark = !Character.isLetter(format.charAt(at)) || format.charAt(at) == 'T';
        if (!isMark) {
            throw new UserMistake(where + ": unknown part of a format at '" + format.substring(at) + "'; it can have "
                    + String.join(", ", PARTS.keySet()) + ", and other letters in double quotes");
        }
        builder.appendLiteral(format.charAt(at));
        return at + 1;
    }

    private static Map<String, String> parts() {
        Map<String, String> parts = new TreeMap<>(
                (a, b) -> a.length() != b.length() ? Integer.compare(b.length(), a.length()) : a.compareTo(b));
        parts.put("YYYY", "uuuu");
        parts.put("IYYY", "YYYY");
        parts.put("YY", "uu");
        parts.put("MM", "MM");
        parts.put("DDD", "DDD");
        parts.put("DD", "dd");
        parts.put("HH24", "HH");
        parts.put("HH12", "hh");
        parts.put("MI", "mm");
        parts.put("SS", "ss");
        parts.put("MS", "SSS");
        parts.put("US", "SSSSSS");
        parts.put("AM", "a");
        parts.put("Month", "MMMM");
        parts.put("Mon", "MMM");
        parts.put("Day", "EEEE");
        parts.put("Dy", "EEE");
        parts.put("Q", "Q");
        parts.put("IW", "ww");
        return parts;
    }
}
