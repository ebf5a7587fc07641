package org.unimeros.engine.data;

import java.math.BigDecimal;
import java.time.Instant;
import java.time.LocalDate;
import java.time.ZoneOffset;
import java.time.format.DateTimeFormatter;
import java.time.format.DateTimeFormatterBuilder;
import java.time.temporal.ChronoField;

/** Single values as Java objects and as text. For the edges (results, messages, literals), never for hot paths. */
public final class Values {

    private static final long MICROS = 1_000_000L;
    private static final DateTimeFormatter TIMESTAMP = new DateTimeFormatterBuilder()
            .appendPattern("uuuu-MM-dd HH:mm:ss")
            .appendFraction(ChronoField.MICRO_OF_SECOND, 0, 6, true)
            .toFormatter();

    private Values() {}

    /**
     * The value of a row: Boolean, Integer, Long, Double, BigDecimal, String, LocalDate, Instant, or null.
     */
    public static Object get(Column column, int row, DataType type) {
        if (column.isNull(row)) {
            return null;
        }
        return switch (column) {
            case BooleanColumn c -> c.value(row);
            case IntColumn c ->
                type == DataType.DATE ? LocalDate.ofEpochDay(c.values()[row]) : (Object) c.values()[row];
            case LongColumn c -> ofLong(c.values()[row], type);
            case DoubleColumn c -> c.values()[row];
            case TextColumn c -> c.text(row);
        };
    }

    private static Object ofLong(long value, DataType type) {
        if (type == DataType.TIMESTAMP) {
            return instant(value);
        }
        return type instanceof DataType.Decimal d ? BigDecimal.valueOf(value, d.scale()) : (Object) value;
    }

    /** The value of a row as text, or null. */
    public static String text(Column column, int row, DataType type) {
        Object value = get(column, row, type);
        return value == null ? null : text(value);
    }

    /** A value as query results and CSV files show it. */
    public static String text(Object value) {
        return switch (value) {
            case Instant instant -> TIMESTAMP.format(instant.atOffset(ZoneOffset.UTC));
            case BigDecimal decimal -> decimal.toPlainString();
            default -> value.toString();
        };
    }

    /** A value as an SQL literal. */
    public static String literal(Object value) {
        return switch (value) {
            case null -> "null";
            case String s -> "'" + s.replace("'", "''") + "'";
            case LocalDate d -> "date '" + d + "'";
            case Instant i -> "timestamp '" + text(i) + "'";
            default -> text(value);
        };
    }

    /** Appends a value as returned by {@link #get}. */
    public static void append(ColumnBuilder builder, Object value) {
        switch (value) {
            case null -> builder.appendNull();
            case Boolean b -> builder.appendBoolean(b);
            case Integer i -> builder.appendInt(i);
            case Long l -> builder.appendLong(l);
            case Double d -> builder.appendDouble(d);
            case BigDecimal d -> builder.appendLong(d.unscaledValue().longValueExact());
            case String s -> builder.appendText(s);
            case LocalDate d -> builder.appendInt(Math.toIntExact(d.toEpochDay()));
            case Instant i -> builder.appendLong(micros(i));
            default -> throw new IllegalArgumentException("not a value: " + value.getClass());
        }
    }

    public static long micros(Instant instant) {
        return Math.addExact(Math.multiplyExact(instant.getEpochSecond(), MICROS), instant.getNano() / 1000);
    }

    public static Instant instant(long micros) {
        return Instant.ofEpochSecond(Math.floorDiv(micros, MICROS), Math.floorMod(micros, MICROS) * 1000);
    }
}
