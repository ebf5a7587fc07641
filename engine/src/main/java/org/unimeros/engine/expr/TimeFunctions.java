package org.unimeros.engine.expr;

import java.io.Serializable;
import java.time.DateTimeException;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.ZoneOffset;
import java.time.format.DateTimeFormatter;
import java.time.format.DateTimeFormatterBuilder;
import java.time.format.ResolverStyle;
import java.time.temporal.ChronoField;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.TreeMap;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.SpareArrays;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression.Call;
import org.unimeros.engine.expr.Functions.Resolver;
import org.unimeros.engine.expr.ScalarFunction.Kernel;
import org.unimeros.engine.expr.ScalarFunction.RowProblem;

/** Functions of dates and timestamps, all in UTC. */
final class TimeFunctions {

    private static final long DAY = Interval.MICROS_PER_DAY;
    /** The parts of formats and what they mean to the formatter; longer ones go first. */
    private static final Map<String, String> FORMAT_PARTS = formatParts();

    /** A 30th of February is no date, and not the last of that month. */
    private static final ResolverStyle STRICT = ResolverStyle.STRICT;

    private TimeFunctions() {}

    static void define(Functions.Table t) {
        t.define(
                "timestamp_of_millis(number)",
                "The instant so many milliseconds after 1970-01-01 UTC.",
                "timestamp_of_millis(1930000000000)",
                "2031-02-27 23:06:40",
                1,
                1,
                fromEpoch("timestamp_of_millis", 1000));
        t.define(
                "timestamp_of_seconds(number)",
                "The instant so many seconds after 1970-01-01 UTC.",
                "timestamp_of_seconds(1930000000)",
                "2031-02-27 23:06:40",
                1,
                1,
                fromEpoch("timestamp_of_seconds", 1_000_000));
        t.define(
                "millis_of(timestamp)",
                "Milliseconds since 1970-01-01 UTC.",
                "millis_of(timestamp '1970-01-01 00:00:01')",
                "1000",
                1,
                1,
                args -> TimeKernels.toEpoch("millis_of", args.get(0), 1000));
        t.define(
                "seconds_of(timestamp)",
                "Seconds since 1970-01-01 UTC, rounded down.",
                "seconds_of(timestamp '1970-01-01 00:01:00')",
                "60",
                1,
                1,
                args -> TimeKernels.toEpoch("seconds_of", args.get(0), 1_000_000));
        t.define(
                "date_trunc(unit, time)",
                "The start of the unit (year, quarter, month, week, day, hour, minute, second) that the time lies in.",
                "date_trunc('month', date '2031-03-14')",
                "2031-03-01",
                2,
                2,
                args -> TimeKernels.truncate(Functions.literal(args.get(0), "date_trunc", "unit"), args.get(1)));
        t.define(
                "date_diff(unit, from, to)",
                "How many starts of a unit (year, quarter, month, week, day, hour, minute, second) lie between.",
                "date_diff('day', date '2031-02-27', date '2031-03-02')",
                "3",
                3,
                3,
                TimeFunctions::difference);
        t.define(
                "make_date(year, month, day)",
                "The date of three numbers. Fails when there is no such day.",
                "make_date(2031, 3, 14)",
                "2031-03-14",
                3,
                3,
                args -> new Call(
                        ScalarFunction.failing("make_date", TimeFunctions::makeDate),
                        args.stream().map(a -> Functions.whole(a, "make_date")).toList(),
                        DataType.DATE));
        t.define(
                "last_day(date)",
                "The last day of the month.",
                "last_day(date '2031-02-03')",
                "2031-02-28",
                1,
                1,
                args -> new Call(
                        ScalarFunction.call("last_day", TimeFunctions::lastDay),
                        List.of(Types.coerce(TimeKernels.requireTime(args.get(0), "last_day"), DataType.DATE)),
                        DataType.DATE));
        t.define(
                "at_zone(timestamp, zone)",
                "What the clock of a zone shows at an instant; the zone is a name or an offset. The same as timestamp at"
                        + " time zone zone.",
                "at_zone(timestamp '2031-07-14 16:05:00', '+02:00')",
                "2031-07-14 18:05:00",
                2,
                2,
                args -> TimeKernels.zone("at_zone", args, false));
        t.define(
                "from_zone(timestamp, zone)",
                "The instant at which the clock of a zone shows a time; the earlier one where it shows it twice.",
                "from_zone(timestamp '2031-07-14 18:05:00', '+02:00')",
                "2031-07-14 16:05:00",
                2,
                2,
                args -> TimeKernels.zone("from_zone", args, true));
        t.define(
                "to_char(time, format)",
                "The time as text; the format knows YYYY, YY, MM, DD, HH24, HH12, MI, SS, MS, US, AM, Mon, Month, Dy, Day,"
                        + " DDD, Q, IW, IYYY; text in double quotes stays.",
                "to_char(date '2031-03-14', 'DD.MM.YYYY')",
                "14.03.2031",
                2,
                2,
                TimeFunctions::toChar);
        t.define(
                "to_date(text, format)",
                "The date that a text means in a format as of to_char. Fails where it means none.",
                "to_date('14.03.2031', 'DD.MM.YYYY')",
                "2031-03-14",
                2,
                2,
                args -> parsed("to_date", args, DataType.DATE));
        t.define(
                "to_timestamp(text, format)",
                "The timestamp that a text means in a format as of to_char. Fails where it means none.",
                "to_timestamp('14.03.2031 16:05', 'DD.MM.YYYY HH24:MI')",
                "2031-03-14 16:05:00",
                2,
                2,
                args -> parsed("to_timestamp", args, DataType.TIMESTAMP));
        Map<String, String> examples = Map.of(
                "year", "2031", "quarter", "1", "month", "3", "week", "11", "day", "14", "weekday", "5", "hour", "16",
                "minute", "5", "second", "9");
        new TreeMap<>(examples)
                .forEach((part, result) -> t.define(
                        part + "(time)",
                        "The " + part + " of a date or timestamp, as a number"
                                + (part.equals("weekday")
                                        ? "; Monday is 1."
                                        : part.equals("week") ? ", as in ISO 8601." : "."),
                        part + "(timestamp '2031-03-14 16:05:09')",
                        result,
                        1,
                        1,
                        args -> TimeKernels.wholePart(part, args.get(0))));
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

    private static Map<String, String> formatParts() {
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

    /** A format, made anew where it has travelled to. */
    private static final class TimeFormat implements Serializable {
        private final String format;
        private final boolean withTime;
        private final String where;
        private transient DateTimeFormatter made;

        private TimeFormat(String format, boolean withTime, String where) {
            this.format = format;
            this.withTime = withTime;
            this.where = where;
        }

        static TimeFormat of(String format, boolean withTime, String where) {
            TimeFormat checked = new TimeFormat(format, withTime, where);
            checked.get();
            return checked;
        }

        /** Tasks that make it at the same time make the same. */
        DateTimeFormatter get() {
            DateTimeFormatter formatter = made;
            if (formatter == null) {
                formatter = withTime ? timeFormatter(format, where) : formatter(format, where);
                made = formatter;
            }
            return formatter;
        }
    }

    private static DateTimeFormatter formatter(String format, String where) {
        DateTimeFormatterBuilder builder = new DateTimeFormatterBuilder();
        int at = 0;
        while (at < format.length()) {
            int end = at + 1;
            if (format.charAt(at) == '"') {
                end = format.indexOf('"', at + 1);
                if (end < 0) {
                    throw new UserMistake(where + ": the format '" + format + "' has a quote without its other one");
                }
                builder.appendLiteral(format.substring(at + 1, end));
                at = end + 1;
                continue;
            }
            String part = part(format, at);
            if (part == null && Character.isLetter(format.charAt(at))) {
                throw new UserMistake(
                        where + ": unknown part of a format at '" + format.substring(at) + "'; it can have "
                                + String.join(", ", FORMAT_PARTS.keySet()) + ", and other letters in double quotes");
            }
            if (part == null) {
                builder.appendLiteral(format.charAt(at));
            } else {
                builder.appendPattern(FORMAT_PARTS.get(part));
                end = at + part.length();
            }
            at = end;
        }
        return builder.parseDefaulting(ChronoField.NANO_OF_DAY, 0)
                .toFormatter(Locale.UK)
                .withResolverStyle(STRICT);
    }

    private static String part(String format, int at) {
        for (String part : FORMAT_PARTS.keySet()) {
            if (format.startsWith(part, at)) {
                return part;
            }
        }
        return null;
    }

    private static Expression toChar(List<Expression> args) {
        String format = Functions.literal(args.get(1), "to_char", "format");
        TimeFormat formatter = TimeFormat.of(format, false, "to_char");
        boolean isDate = args.get(0).type() == DataType.DATE;
        Expression time = isDate
                ? args.get(0)
                : Types.coerce(TimeKernels.requireTime(args.get(0), "to_char"), DataType.TIMESTAMP);
        Kernel ofDates = (columns, rows, nulls) -> Days.texts(
                ((IntColumn) columns[0]).values(),
                rows,
                nulls,
                day -> formatter
                        .get()
                        .format(LocalDate.ofEpochDay(day).atStartOfDay().atOffset(ZoneOffset.UTC)));
        Kernel ofTimestamps = (columns, rows, nulls) -> {
            long[] values = ((LongColumn) columns[0]).values();
            ColumnBuilder out = ColumnBuilder.of(DataType.TEXT);
            for (int i = 0; i < rows; i++) {
                out.appendText(
                        Arithmetic.isNull(nulls, i)
                                ? ""
                                : formatter
                                        .get()
                                        .format(Values.instant(values[i]).atOffset(ZoneOffset.UTC)));
            }
            return out.build().withNulls(nulls);
        };
        Kernel kernel = isDate ? ofDates : ofTimestamps;
        return new Call(
                ScalarFunction.pattern("to_char(%s, " + args.get(1) + ")", kernel), List.of(time), DataType.TEXT);
    }

    private static Expression parsed(String name, List<Expression> args, DataType type) {
        String format = Functions.literal(args.get(1), name, "format");
        boolean wholeDay = part(format, 0) != null && !format.contains("HH");
        TimeFormat formatter = TimeFormat.of(format, !wholeDay && type != DataType.DATE, name);
        Kernel kernel = (columns, rows, nulls) -> {
            ColumnBuilder out = ColumnBuilder.of(type);
            for (int i = 0; i < rows; i++) {
                if (Arithmetic.isNull(nulls, i)) {
                    out.appendNull();
                    continue;
                }
                String text = ((TextColumn) columns[0]).text(i);
                try {
                    Object value = type == DataType.DATE
                            ? LocalDate.parse(text, formatter.get())
                            : LocalDateTime.parse(text, formatter.get()).toInstant(ZoneOffset.UTC);
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

    /** A time of which parts are given must not default to midnight; what is missing behind is zero. */
    private static DateTimeFormatter timeFormatter(String format, String where) {
        DateTimeFormatterBuilder builder = new DateTimeFormatterBuilder();
        int at = 0;
        while (at < format.length()) {
            String part = part(format, at);
            if (part == null) {
                builder.appendLiteral(format.charAt(at));
                at++;
            } else {
                builder.appendPattern(FORMAT_PARTS.get(part));
                at += part.length();
            }
        }
        for (Map.Entry<String, ChronoField> field : Map.of(
                        "MI", ChronoField.MINUTE_OF_HOUR, "SS", ChronoField.SECOND_OF_MINUTE)
                .entrySet()) {
            if (!format.contains(field.getKey())) {
                builder.parseDefaulting(field.getValue(), 0);
            }
        }
        if (format.isEmpty()) {
            throw new UserMistake(where + " needs a format, as in 'YYYY-MM-DD HH24:MI:SS'");
        }
        return builder.toFormatter(Locale.UK).withResolverStyle(STRICT);
    }
}
