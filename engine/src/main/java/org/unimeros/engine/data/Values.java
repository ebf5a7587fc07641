package org.unimeros.engine.data;

import java.math.BigDecimal;
import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalTime;
import java.time.ZoneOffset;
import java.time.format.DateTimeFormatter;
import java.time.format.DateTimeFormatterBuilder;
import java.time.temporal.ChronoField;
import java.util.ArrayList;
import java.util.Collections;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.stream.Collectors;

/** Single values as Java objects and as text. For the edges (results, messages, literals), never for hot paths. */
public final class Values {

    private static final long MICROS = 1_000_000L;
    private static final DateTimeFormatter TIMESTAMP = new DateTimeFormatterBuilder()
            .appendPattern("uuuu-MM-dd HH:mm:ss")
            .appendFraction(ChronoField.MICRO_OF_SECOND, 0, 6, true)
            .toFormatter();
    private static final DateTimeFormatter TIME = new DateTimeFormatterBuilder()
            .appendPattern("HH:mm:ss")
            .appendFraction(ChronoField.MICRO_OF_SECOND, 0, 6, true)
            .toFormatter();

    private Values() {}

    /**
     * The value of a row: Boolean, Integer, Long, Float, Double, BigDecimal, String, {@link Bytes}, LocalDate, LocalTime,
     * Instant, a List, a Map of the fields of a struct in their order, or null. Lists and maps cannot be changed.
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
            case DoubleColumn c -> type == DataType.FLOAT ? (float) c.values()[row] : (Object) c.values()[row];
            case TextColumn c ->
                type == DataType.BYTES ? Bytes.of(c.bytes(), c.start(row), c.end(row)) : (Object) c.text(row);
            case WideColumn c -> new BigDecimal(c.value(row), ((DataType.Decimal) type).scale());
            case ListColumn c -> list(c, row, ((DataType.ListOf) type).element());
            case StructColumn c -> struct(c, row, (DataType.Struct) type);
        };
    }

    private static List<Object> list(ListColumn column, int row, DataType type) {
        List<Object> values = new ArrayList<>();
        for (int i = column.start(row); i < column.end(row); i++) {
            values.add(get(column.elements(), i, type));
        }
        return Collections.unmodifiableList(values);
    }

    private static Map<String, Object> struct(StructColumn column, int row, DataType.Struct type) {
        Map<String, Object> values = new LinkedHashMap<>();
        for (int i = 0; i < column.fieldCount(); i++) {
            DataType.Struct.Part part = type.parts().get(i);
            values.put(part.name(), get(column.field(i), row, part.type()));
        }
        return Collections.unmodifiableMap(values);
    }

    private static Object ofLong(long value, DataType type) {
        if (type == DataType.TIMESTAMP) {
            return instant(value);
        }
        if (type == DataType.TIME) {
            return LocalTime.ofNanoOfDay(value * 1000);
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
            case LocalTime time -> TIME.format(time);
            case List<?> list -> JsonText.write(list);
            case Map<?, ?> struct -> JsonText.write(struct);
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
            case LocalTime t -> "time '" + text(t) + "'";
            case Bytes b -> "X'" + b + "'";
            case List<?> list -> list.stream().map(Values::literal).collect(Collectors.joining(", ", "array[", "]"));
            case Map<?, ?> struct ->
                struct.entrySet().stream()
                        .map(e -> literal(e.getKey()) + ", " + literal(e.getValue()))
                        .collect(Collectors.joining(", ", "struct(", ")"));
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
            case Float f -> builder.appendDouble(f);
            case BigDecimal d -> builder.appendUnscaled(d.unscaledValue());
            case String s -> builder.appendText(s);
            case LocalDate d -> builder.appendInt(Math.toIntExact(d.toEpochDay()));
            case Instant i -> builder.appendLong(micros(i));
            case LocalTime t -> builder.appendLong(t.toNanoOfDay() / 1000);
            case Bytes b -> builder.appendText(b.toArray(), 0, b.length());
            case List<?> list -> {
                list.forEach(v -> append(builder.elements(), v));
                builder.endList();
            }
            case Map<?, ?> struct -> {
                int field = 0;
                for (Object v : struct.values()) {
                    append(builder.field(field++), v);
                }
                builder.endStruct();
            }
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
