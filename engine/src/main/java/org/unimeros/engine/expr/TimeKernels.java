package org.unimeros.engine.expr;

import java.time.DateTimeException;
import java.time.DayOfWeek;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.ZoneId;
import java.time.ZoneOffset;
import java.time.temporal.IsoFields;
import java.util.List;
import java.util.Locale;
import java.util.function.IntUnaryOperator;
import java.util.function.LongUnaryOperator;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.SpareArrays;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.error.NameSuggestions;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression.Call;

/** Parts, truncation and conversions of dates and timestamps, all in UTC. */
final class TimeKernels {

    private static final long SECOND = 1_000_000L;
    private static final long DAY = Interval.MICROS_PER_DAY;
    private static final List<String> PARTS = List.of(
            "year", "quarter", "month", "week", "day", "weekday", "isodow", "dow", "doy", "hour", "minute", "second",
            "epoch");
    private static final List<String> UNITS =
            List.of("year", "quarter", "month", "week", "day", "hour", "minute", "second");

    private TimeKernels() {}

    private static final DataType SECONDS_OF_MINUTE = new DataType.Decimal(8, 6);
    /** Seconds to microseconds, as differences of timestamps are. */
    static final DataType.Decimal SECONDS = new DataType.Decimal(18, 6);

    /**
     * {@code extract(part from time)}: an int, or a decimal with microseconds for second and epoch. The epoch of a number of seconds is that number.
     * Weekdays count from Monday = 1.
     */
    static Expression extract(String part, Expression time) {
        if (part.equalsIgnoreCase("epoch") && time.type().equals(SECONDS)) {
            return time;
        }
        if (part.equalsIgnoreCase("second") && (time.type() == DataType.TIMESTAMP || time.type() == DataType.TIME)) {
            return new Call(
                    ScalarFunction.pattern(
                            "extract(second from %s)",
                            (args, rows, nulls) -> longs(args[0], rows, nulls, v -> Math.floorMod(v, 60 * SECOND))),
                    List.of(time),
                    SECONDS_OF_MINUTE);
        }
        if (part.equalsIgnoreCase("epoch") && time.type() == DataType.TIMESTAMP) {
            return new Call(
                    ScalarFunction.pattern(
                            "extract(epoch from %s)", (args, rows, nulls) -> longs(args[0], rows, nulls, v -> v)),
                    List.of(time),
                    SECONDS);
        }
        return wholePart(part, time);
    }

    /** A part of a time as a whole number: an int, or a long for epoch. */
    static Expression wholePart(String part, Expression time) {
        String name = part.toLowerCase(Locale.ROOT);
        if (!PARTS.contains(name)) {
            throw new UserMistake("unknown part of a time " + part + NameSuggestions.hint(part, PARTS));
        }
        boolean ofDay = time.type() == DataType.TIME && ofDay(name) == null;
        Expression instant = ofDay ? time : Types.coerce(requireTime(time, "extract"), DataType.TIMESTAMP);
        ScalarFunction.Kernel kernel = name.equals("epoch")
                ? (args, rows, nulls) -> longs(args[0], rows, nulls, v -> Math.floorDiv(v, SECOND))
                : (args, rows, nulls) -> part(name, args[0], rows, nulls);
        DataType type = name.equals("epoch") ? DataType.LONG : DataType.INT;
        return new Call(ScalarFunction.pattern("extract(" + name + " from %s)", kernel), List.of(instant), type);
    }

    private static Column part(String name, Column column, int rows, long[] nulls) {
        long[] values = ((LongColumn) column).values();
        IntUnaryOperator ofDay = ofDay(name);
        if (ofDay != null) {
            return new IntColumn(Days.numbers(Days.of(values, rows), rows, nulls, ofDay), nulls);
        }
        int[] out = SpareArrays.forInts(rows);
        for (int i = 0; i < rows; i++) {
            out[i] = ofTime(name, (int) (Math.floorMod(values[i], DAY) / SECOND));
        }
        return new IntColumn(out, nulls);
    }

    private static IntUnaryOperator ofDay(String name) {
        return switch (name) {
            case "year" -> day -> LocalDate.ofEpochDay(day).getYear();
            case "quarter" -> day -> LocalDate.ofEpochDay(day).get(IsoFields.QUARTER_OF_YEAR);
            case "month" -> day -> LocalDate.ofEpochDay(day).getMonthValue();
            case "week" -> day -> LocalDate.ofEpochDay(day).get(IsoFields.WEEK_OF_WEEK_BASED_YEAR);
            case "day" -> day -> LocalDate.ofEpochDay(day).getDayOfMonth();
            case "weekday", "isodow" ->
                day -> LocalDate.ofEpochDay(day).getDayOfWeek().getValue();
            case "dow" -> day -> LocalDate.ofEpochDay(day).getDayOfWeek().getValue() % 7;
            case "doy" -> day -> LocalDate.ofEpochDay(day).getDayOfYear();
            default -> null;
        };
    }

    private static int ofTime(String name, int secondOfDay) {
        return switch (name) {
            case "hour" -> secondOfDay / 3600;
            case "minute" -> secondOfDay / 60 % 60;
            default -> secondOfDay % 60;
        };
    }

    /** {@code date_trunc(unit, time)}: the start of the unit that the time lies in; the type stays. */
    static Expression truncate(String unit, Expression time) {
        String name = unit.toLowerCase(Locale.ROOT);
        if (!UNITS.contains(name)) {
            throw new UserMistake("unknown unit of time " + unit + NameSuggestions.hint(unit, UNITS));
        }
        requireTime(time, "date_trunc");
        ScalarFunction.Kernel kernel = time.type() == DataType.DATE
                ? (args, rows, nulls) -> truncateDates(name, args[0], rows, nulls)
                : (args, rows, nulls) -> truncateTimestamps(name, args[0], rows, nulls);
        return new Call(ScalarFunction.pattern("date_trunc('" + name + "', %s)", kernel), List.of(time), time.type());
    }

    private static Column truncateDates(String unit, Column column, int rows, long[] nulls) {
        int[] days = ((IntColumn) column).values();
        return new IntColumn(Days.numbers(days, rows, nulls, day -> startOf(unit, day)), nulls);
    }

    private static Column truncateTimestamps(String unit, Column column, int rows, long[] nulls) {
        LongUnaryOperator within = truncation(unit);
        if (within != null) {
            return longs(column, rows, nulls, within);
        }
        int[] days = Days.of(((LongColumn) column).values(), rows);
        int[] starts = Days.numbers(days, rows, nulls, day -> startOf(unit, day));
        long[] out = SpareArrays.forLongs(rows);
        for (int i = 0; i < rows; i++) {
            out[i] = starts[i] * DAY;
        }
        return new LongColumn(out, nulls);
    }

    /** For units up to a day; null for longer ones. */
    private static LongUnaryOperator truncation(String unit) {
        return switch (unit) {
            case "second" -> v -> v - Math.floorMod(v, SECOND);
            case "minute" -> v -> v - Math.floorMod(v, 60 * SECOND);
            case "hour" -> v -> v - Math.floorMod(v, 3600 * SECOND);
            case "day" -> v -> v - Math.floorMod(v, DAY);
            default -> null;
        };
    }

    private static int startOf(String unit, int epochDay) {
        LocalDate day = LocalDate.ofEpochDay(epochDay);
        LocalDate start = switch (unit) {
            case "year" -> day.withDayOfYear(1);
            case "quarter" -> day.withDayOfMonth(1).withMonth((day.getMonthValue() - 1) / 3 * 3 + 1);
            case "month" -> day.withDayOfMonth(1);
            case "week" -> day.with(DayOfWeek.MONDAY);
            default -> day;
        };
        return (int) start.toEpochDay();
    }

    /** Epoch numbers to timestamps and back; {@code factor} is microseconds per unit. */
    static Expression fromEpoch(String name, Expression number, long factor) {
        Expression value = Types.coerce(number, DataType.LONG);
        ScalarFunction.Kernel kernel = (args, rows, nulls) -> {
            long[] from = ((LongColumn) args[0]).values();
            long[] out = new long[rows];
            for (int i = 0; i < rows; i++) {
                out[i] = from[i] * factor;
                if (out[i] / factor != from[i] && !Arithmetic.isNull(nulls, i)) {
                    throw Arithmetic.overflow(i, String.valueOf(from[i]), "timestamp");
                }
            }
            return new LongColumn(out, nulls);
        };
        return new Call(ScalarFunction.failing(name, kernel), List.of(value), DataType.TIMESTAMP);
    }

    static Expression toEpoch(String name, Expression time, long factor) {
        Expression instant = Types.coerce(requireTime(time, name), DataType.TIMESTAMP);
        ScalarFunction.Kernel kernel =
                (args, rows, nulls) -> longs(args[0], rows, nulls, v -> Math.floorDiv(v, factor));
        return new Call(ScalarFunction.call(name, kernel), List.of(instant), DataType.LONG);
    }

    /** What the clock of a zone shows at an instant, or with {@code back} the instant at which it shows that. */
    static Expression zone(String name, List<Expression> args, boolean back) {
        Expression time = Types.coerce(requireTime(args.get(0), name), DataType.TIMESTAMP);
        ZoneId zone = zoneOf(Functions.literal(args.get(1), name, "zone"));
        ScalarFunction.Kernel kernel = (columns, rows, nulls) -> longs(columns[0], rows, nulls, v -> {
            if (!back) {
                return v + zone.getRules().getOffset(Values.instant(v)).getTotalSeconds() * SECOND;
            }
            LocalDateTime shown = LocalDateTime.ofInstant(Values.instant(v), ZoneOffset.UTC);
            return Values.micros(shown.atZone(zone).toInstant());
        });
        return new Call(ScalarFunction.call(name, kernel), List.of(time, args.get(1)), DataType.TIMESTAMP);
    }

    private static ZoneId zoneOf(String name) {
        try {
            return ZoneId.of(name);
        } catch (DateTimeException e) {
            throw new UserMistake(
                    "unknown time zone " + name + NameSuggestions.hint(name, ZoneId.getAvailableZoneIds()), e);
        }
    }

    static int plusMonths(int epochDay, int months) {
        return (int) LocalDate.ofEpochDay(epochDay).plusMonths(months).toEpochDay();
    }

    private static Column longs(Column column, int rows, long[] nulls, LongUnaryOperator each) {
        long[] values = ((LongColumn) column).values();
        long[] out = new long[rows];
        for (int i = 0; i < rows; i++) {
            out[i] = Arithmetic.isNull(nulls, i) ? 0 : each.applyAsLong(values[i]);
        }
        return new LongColumn(out, nulls);
    }

    static Expression requireTime(Expression e, String where) {
        if (e.type() == DataType.NULL) {
            return Types.coerce(e, DataType.TIMESTAMP);
        }
        if (e.type() != DataType.DATE && e.type() != DataType.TIMESTAMP) {
            throw new UserMistake(where + " needs a date or a timestamp, but found " + e.type() + " (" + e + ")");
        }
        return e;
    }
}
