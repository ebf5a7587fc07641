package org.unimeros.engine.expr;

import java.time.DateTimeException;
import java.time.LocalDate;
import java.util.List;
import java.util.Locale;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.SpareArrays;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.expr.Expression.Call;
import org.unimeros.engine.expr.Functions.Resolver;
import org.unimeros.engine.expr.ScalarFunction.Kernel;
import org.unimeros.engine.expr.ScalarFunction.RowProblem;

/** Functions of dates and timestamps, all in UTC. */
final class TimeFunctions {

    private static final long DAY = Interval.MICROS_PER_DAY;

    private TimeFunctions() {}

    private static final List<String> PARTS =
            List.of("year", "quarter", "month", "week", "day", "weekday", "hour", "minute", "second");

    static void define(Functions.Table t) {
        t.define("timestamp_of_millis", 1, 1, fromEpoch("timestamp_of_millis", 1000));
        t.define("timestamp_of_seconds", 1, 1, fromEpoch("timestamp_of_seconds", 1_000_000));
        t.define("millis_of", 1, 1, args -> TimeKernels.toEpoch("millis_of", args.get(0), 1000));
        t.define("seconds_of", 1, 1, args -> TimeKernels.toEpoch("seconds_of", args.get(0), 1_000_000));
        t.define(
                "date_trunc",
                2,
                2,
                args -> TimeKernels.truncate(Functions.literal(args.get(0), "date_trunc", "unit"), args.get(1)));
        t.define("date_diff", 3, 3, TimeFunctions::difference);
        t.define(
                "make_date",
                3,
                3,
                args -> new Call(
                        ScalarFunction.failing("make_date", TimeFunctions::makeDate),
                        args.stream().map(a -> Functions.whole(a, "make_date")).toList(),
                        DataType.DATE));
        t.define(
                "last_day",
                1,
                1,
                args -> new Call(
                        ScalarFunction.call("last_day", TimeFunctions::lastDay),
                        List.of(Types.coerce(TimeKernels.requireTime(args.get(0), "last_day"), DataType.DATE)),
                        DataType.DATE));
        t.define("at_zone", 2, 2, args -> TimeKernels.zone("at_zone", args, false));
        t.define("from_zone", 2, 2, args -> TimeKernels.zone("from_zone", args, true));
        t.define("to_char", 2, 2, TimeFunctions::toChar);
        t.define("to_date", 2, 2, args -> parsed("to_date", args, DataType.DATE));
        t.define("to_timestamp", 2, 2, args -> parsed("to_timestamp", args, DataType.TIMESTAMP));
        for (String part : PARTS) {
            t.define(part, 1, 1, args -> TimeKernels.wholePart(part, args.get(0)));
        }
    }

    private static Resolver fromEpoch(String name, long factor) {
        return args -> TimeKernels.fromEpoch(name, Functions.number(args.get(0), name), factor);
    }

    private static Expression difference(List<Expression> args) {
        String unit = Functions.literal(args.get(0), "date_diff", "unit").toLowerCase(Locale.ROOT);
        Expression from = Types.coerce(TimeKernels.requireTime(args.get(1), "date_diff"), DataType.TIMESTAMP);
        Expression to = Types.coerce(TimeKernels.requireTime(args.get(2), "date_diff"), DataType.TIMESTAMP);
        Expression first = TimeKernels.truncate(unit, from);
        Expression last = TimeKernels.truncate(unit, to);
        Kernel kernel = (columns, rows, nulls) -> {
            long[] a = ((LongColumn) columns[0]).values();
            long[] b = ((LongColumn) columns[1]).values();
            return new LongColumn(units(unit, a, b, rows), nulls);
        };
        String name = "date_diff of " + unit;
        return new Call(ScalarFunction.call(name, kernel), List.of(first, last), DataType.LONG);
    }

    private static long[] units(String unit, long[] from, long[] to, int rows) {
        long micros = switch (unit) {
            case "second" -> 1_000_000;
            case "minute" -> 60_000_000;
            case "hour" -> 3_600_000_000L;
            case "day" -> DAY;
            case "week" -> 7 * DAY;
            default -> 0;
        };
        int months = unit.equals("year") ? 12 : unit.equals("quarter") ? 3 : 1;
        long[] out = SpareArrays.forLongs(rows);
        for (int i = 0; i < rows; i++) {
            out[i] = micros > 0 ? (to[i] - from[i]) / micros : months(from[i], to[i]) / months;
        }
        return out;
    }

    private static long months(long from, long to) {
        LocalDate a = LocalDate.ofEpochDay(Math.floorDiv(from, DAY));
        LocalDate b = LocalDate.ofEpochDay(Math.floorDiv(to, DAY));
        return (b.getYear() - a.getYear()) * 12L + b.getMonthValue() - a.getMonthValue();
    }

    private static Column makeDate(Column[] columns, int rows, long[] nulls) {
        int[] out = new int[rows];
        for (int i = 0; i < rows; i++) {
            if (Arithmetic.isNull(nulls, i)) {
                continue;
            }
            int year = ((IntColumn) columns[0]).values()[i];
            int month = ((IntColumn) columns[1]).values()[i];
            int day = ((IntColumn) columns[2]).values()[i];
            try {
                out[i] = Math.toIntExact(LocalDate.of(year, month, day).toEpochDay());
            } catch (DateTimeException | ArithmeticException e) {
                throw new RowProblem(i, "there is no day " + year + "-" + month + "-" + day);
            }
        }
        return new IntColumn(out, nulls);
    }

    private static Column lastDay(Column[] columns, int rows, long[] nulls) {
        int[] days = ((IntColumn) columns[0]).values();
        return new IntColumn(Days.numbers(days, rows, nulls, TimeFunctions::lastDay), nulls);
    }

    private static int lastDay(int epochDay) {
        LocalDate day = LocalDate.ofEpochDay(epochDay);
        return (int) day.withDayOfMonth(day.lengthOfMonth()).toEpochDay();
    }

    private static Expression toChar(List<Expression> args) {
        String format = Functions.literal(args.get(1), "to_char", "format");
        TimeFormat formatter = TimeFormat.toWrite(format, "to_char");
        boolean isDate = args.get(0).type() == DataType.DATE;
        Expression time = isDate
                ? args.get(0)
                : Types.coerce(TimeKernels.requireTime(args.get(0), "to_char"), DataType.TIMESTAMP);
        Kernel ofDates = (columns, rows, nulls) -> Days.texts(
                ((IntColumn) columns[0]).values(), rows, nulls, day -> formatter.text(LocalDate.ofEpochDay(day)));
        Kernel ofTimestamps = (columns, rows, nulls) -> {
            long[] values = ((LongColumn) columns[0]).values();
            ColumnBuilder out = ColumnBuilder.of(DataType.TEXT);
            for (int i = 0; i < rows; i++) {
                out.appendText(Arithmetic.isNull(nulls, i) ? "" : formatter.text(Values.instant(values[i])));
            }
            return out.build().withNulls(nulls);
        };
        Kernel kernel = isDate ? ofDates : ofTimestamps;
        return new Call(
                ScalarFunction.pattern("to_char(%s, " + args.get(1) + ")", kernel), List.of(time), DataType.TEXT);
    }

    private static Expression parsed(String name, List<Expression> args, DataType type) {
        String format = Functions.literal(args.get(1), name, "format");
        TimeFormat formatter = TimeFormat.toRead(format, type, name);
        Kernel kernel = (columns, rows, nulls) -> {
            ColumnBuilder out = ColumnBuilder.of(type);
            for (int i = 0; i < rows; i++) {
                if (Arithmetic.isNull(nulls, i)) {
                    out.appendNull();
                    continue;
                }
                String text = ((TextColumn) columns[0]).text(i);
                try {
                    Object value = formatter.value(text);
                    Values.append(out, value);
                } catch (DateTimeException e) {
                    throw new RowProblem(i, "'" + text + "' is no " + type + " in the format '" + format + "'");
                }
            }
            return out.build();
        };
        ScalarFunction f = new ScalarFunction(
                name + "(%s, " + args.get(1) + ")", ScalarFunction.Style.PATTERN, true, true, kernel);
        return new Call(f, List.of(Functions.text(args.get(0), name)), type);
    }
}
