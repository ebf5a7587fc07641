package org.unimeros.engine.expr;

import java.math.BigDecimal;
import java.math.RoundingMode;
import java.util.ArrayList;
import java.util.Collection;
import java.util.Collections;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.TreeMap;
import java.util.function.DoubleUnaryOperator;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DataType.Decimal;
import org.unimeros.engine.data.DoubleColumn;
import org.unimeros.engine.error.Near;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression.Call;
import org.unimeros.engine.expr.Expression.Case;
import org.unimeros.engine.expr.Expression.IsNull;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.ScalarFunction.Kernel;

/** The scalar functions that expressions can call by name, each with the line that documents it. */
public final class Functions {

    /** Builds the call of a function for resolved arguments. */
    private interface Resolver {
        Expression resolve(List<Expression> args);
    }

    /**
     * What is known of a function.
     *
     * @param usage how it is called, such as {@code substring(text, from [, length])}
     */
    public record Entry(String name, String usage, String description, int least, int most, Object resolver) {
        private Expression resolve(List<Expression> args) {
            return ((Resolver) resolver).resolve(args);
        }
    }

    private static final Map<String, Entry> ALL = all();

    private Functions() {}

    /** Every function, by name. */
    public static Collection<Entry> entries() {
        return Collections.unmodifiableCollection(ALL.values());
    }

    /**
     * The call of a function by name.
     *
     * @throws UserMistake when there is no such function, or the arguments do not fit it
     */
    public static Expression call(String name, List<Expression> args) {
        Entry entry = ALL.get(name.toLowerCase(Locale.ROOT));
        if (entry == null) {
            throw new UserMistake("unknown function " + name + Near.hint(name, ALL.keySet()));
        }
        if (args.size() < entry.least || args.size() > entry.most) {
            throw new UserMistake("function " + entry.name + " is called as " + entry.usage + ", but found "
                    + args.size() + (args.size() == 1 ? " argument" : " arguments"));
        }
        return entry.resolve(args);
    }

    public static Expression extract(String part, Expression time) {
        return TimeKernels.extract(part, time);
    }

    /** {@code text like pattern}. */
    public static Expression like(Expression text, Expression pattern) {
        List<Expression> args = List.of(text(text, "like"), text(pattern, "like"));
        return new Call(ScalarFunction.infix("like", false, TextKernels::like), args, DataType.BOOLEAN);
    }

    private static Map<String, Entry> all() {
        Map<String, Entry> map = new TreeMap<>();
        texts(map);
        numbers(map);
        times(map);
        choices(map);
        return map;
    }

    private static void add(
            Map<String, Entry> map, String usage, String description, int least, int most, Resolver resolver) {
        String name = usage.substring(0, usage.indexOf('('));
        map.put(name, new Entry(name, usage, description, least, most, resolver));
    }

    private static void texts(Map<String, Entry> map) {
        add(
                map,
                "lower(text)",
                "The text in lower case.",
                1,
                1,
                ofText("lower", DataType.TEXT, TextKernels.each(TextKernels::lower)));
        add(
                map,
                "upper(text)",
                "The text in upper case.",
                1,
                1,
                ofText("upper", DataType.TEXT, TextKernels.each(TextKernels::upper)));
        add(
                map,
                "trim(text)",
                "The text without blanks at its ends.",
                1,
                1,
                ofText("trim", DataType.TEXT, TextKernels.each(String::strip)));
        add(
                map,
                "length(text)",
                "The number of characters.",
                1,
                1,
                ofText("length", DataType.INT, TextKernels.measure(s -> s.codePointCount(0, s.length()))));
        add(
                map,
                "concat(value, …)",
                "The values as text, one after the other; null when one of them is.",
                1,
                99,
                args -> new Call(
                        ScalarFunction.call("concat", TextKernels::concat),
                        args.stream().map(Functions::asText).toList(),
                        DataType.TEXT));
        add(
                map,
                "replace(text, what, by)",
                "The text with every occurrence of what replaced.",
                3,
                3,
                ofText("replace", DataType.TEXT, TextKernels::replace));
        add(
                map,
                "position(part, text)",
                "Where part first occurs, counted from 1; 0 when it does not.",
                2,
                2,
                ofText("position", DataType.INT, TextKernels::position));
        add(
                map,
                "starts_with(text, prefix)",
                "Whether the text begins with the prefix.",
                2,
                2,
                args -> like(args.get(0), new Literal(prefix(args.get(1)), DataType.TEXT)));
        add(
                map,
                "substring(text, from [, length])",
                "The characters from a position on, counted from 1.",
                2,
                3,
                args -> {
                    List<Expression> typed = new ArrayList<>(List.of(text(args.get(0), "substring")));
                    args.subList(1, args.size()).forEach(a -> typed.add(whole(a, "substring")));
                    return new Call(ScalarFunction.failing("substring", TextKernels::substring), typed, DataType.TEXT);
                });
    }

    private static String prefix(Expression e) {
        if (e instanceof Literal l && l.value() instanceof String s && s.indexOf('%') < 0 && s.indexOf('_') < 0) {
            return s + "%";
        }
        throw new UserMistake("starts_with needs a text literal without % and _ as its prefix, but found " + e);
    }

    private static void numbers(Map<String, Entry> map) {
        add(map, "abs(number)", "The number without its sign.", 1, 1, args -> {
            Expression n = number(args.get(0), "abs");
            Expression negative = Operators.compare("<", n, new Literal(0, DataType.INT));
            return Operators.choose(List.of(new Case.Branch(negative, Operators.negate(n))), n);
        });
        add(map, "floor(number)", "The greatest whole number that is not above.", 1, 1, ofDouble("floor", Math::floor));
        add(map, "ceil(number)", "The least whole number that is not below.", 1, 1, ofDouble("ceil", Math::ceil));
        add(map, "sqrt(number)", "The square root; NaN of a negative number.", 1, 1, ofDouble("sqrt", Math::sqrt));
        add(
                map,
                "round(number [, digits])",
                "Rounded half away from zero to digits behind the point (0 unless given).",
                1,
                2,
                Functions::round);
        add(
                map,
                "mod(number, by)",
                "The remainder of a division, with the sign of the number.",
                2,
                2,
                args -> Operators.arithmetic("%", args.get(0), args.get(1)));
    }

    private static Expression round(List<Expression> args) {
        Expression n = number(args.get(0), "round");
        int digits = 0;
        if (args.size() == 2) {
            if (!(args.get(1) instanceof Literal l) || !(l.value() instanceof Integer d)) {
                throw new UserMistake("round needs a whole literal as its digits, but found " + args.get(1));
            }
            digits = d;
        }
        int places = digits;
        if (n.type() == DataType.INT || n.type() == DataType.LONG) {
            return n;
        }
        if (n.type() instanceof Decimal d) {
            return Operators.cast(n, new Decimal(d.precision(), Math.clamp(places, 0, d.scale())), false);
        }
        Kernel kernel = (a, rows, nulls) -> doubles(a[0], rows, nulls, v -> rounded(v, places));
        return new Call(
                ScalarFunction.pattern(places == 0 ? "round(%s)" : "round(%s, " + places + ")", kernel),
                List.of(n),
                DataType.DOUBLE);
    }

    private static double rounded(double value, int places) {
        return Double.isNaN(value) || Double.isInfinite(value)
                ? value
                : BigDecimal.valueOf(value)
                        .setScale(places, RoundingMode.HALF_UP)
                        .doubleValue();
    }

    private static void times(Map<String, Entry> map) {
        add(
                map,
                "timestamp_of_millis(number)",
                "The instant that is so many milliseconds after 1970-01-01 UTC.",
                1,
                1,
                args -> TimeKernels.fromEpoch("timestamp_of_millis", number(args.get(0), "timestamp_of_millis"), 1000));
        add(
                map,
                "timestamp_of_seconds(number)",
                "The instant that is so many seconds after 1970-01-01 UTC.",
                1,
                1,
                args -> TimeKernels.fromEpoch(
                        "timestamp_of_seconds", number(args.get(0), "timestamp_of_seconds"), 1_000_000));
        add(
                map,
                "millis_of(timestamp)",
                "Milliseconds since 1970-01-01 UTC.",
                1,
                1,
                args -> TimeKernels.toEpoch("millis_of", args.get(0), 1000));
        add(
                map,
                "seconds_of(timestamp)",
                "Seconds since 1970-01-01 UTC.",
                1,
                1,
                args -> TimeKernels.toEpoch("seconds_of", args.get(0), 1_000_000));
        add(
                map,
                "date_trunc(unit, time)",
                "The start of the unit (year, quarter, month, week, day, hour, minute, second) that the time lies in.",
                2,
                2,
                args -> {
                    if (!(args.get(0) instanceof Literal l) || !(l.value() instanceof String unit)) {
                        throw new UserMistake("date_trunc needs a text literal as its unit, but found " + args.get(0));
                    }
                    return TimeKernels.truncate(unit, args.get(1));
                });
        for (String part : List.of("year", "quarter", "month", "week", "day", "weekday", "hour", "minute", "second")) {
            add(
                    map,
                    part + "(time)",
                    "The " + part + " of a date or timestamp, as a number"
                            + (part.equals("weekday") ? "; Monday is 1." : "."),
                    1,
                    1,
                    args -> TimeKernels.extract(part, args.get(0)));
        }
    }

    private static void choices(Map<String, Entry> map) {
        add(map, "coalesce(value, …)", "The first value that is not null.", 1, 99, args -> {
            Expression rest = args.get(args.size() - 1);
            for (int i = args.size() - 2; i >= 0; i--) {
                Expression present = Operators.not(new IsNull(args.get(i)));
                rest = Operators.choose(List.of(new Case.Branch(present, args.get(i))), rest);
            }
            return rest;
        });
        add(
                map,
                "nullif(value, other)",
                "Null when both are equal, else the value.",
                2,
                2,
                args -> Operators.choose(
                        List.of(new Case.Branch(
                                Operators.compare("=", args.get(0), args.get(1)),
                                new Literal(null, args.get(0).type()))),
                        args.get(0)));
        add(
                map,
                "greatest(value, other)",
                "The larger of two values; null when one of them is.",
                2,
                2,
                args -> extreme(">=", args));
        add(
                map,
                "least(value, other)",
                "The smaller of two values; null when one of them is.",
                2,
                2,
                args -> extreme("<=", args));
    }

    private static Expression extreme(String op, List<Expression> args) {
        Expression first = args.get(0);
        Expression second = args.get(1);
        return Operators.choose(
                List.of(
                        new Case.Branch(Operators.compare(op, first, second), first),
                        new Case.Branch(Operators.not(Operators.compare(op, first, second)), second)),
                new Literal(null, DataType.NULL));
    }

    private static Resolver ofText(String name, DataType result, Kernel kernel) {
        return args -> new Call(
                ScalarFunction.call(name, kernel),
                args.stream().map(a -> text(a, name)).toList(),
                result);
    }

    private static Resolver ofDouble(String name, DoubleUnaryOperator each) {
        Kernel kernel = (args, rows, nulls) -> doubles(args[0], rows, nulls, each);
        return args -> new Call(
                ScalarFunction.call(name, kernel),
                List.of(Types.coerce(number(args.get(0), name), DataType.DOUBLE)),
                DataType.DOUBLE);
    }

    private static Column doubles(Column column, int rows, long[] nulls, DoubleUnaryOperator each) {
        double[] values = ((DoubleColumn) column).values();
        double[] out = new double[rows];
        for (int i = 0; i < rows; i++) {
            out[i] = each.applyAsDouble(values[i]);
        }
        return new DoubleColumn(out, nulls);
    }

    static Expression asText(Expression e) {
        return e.type() == DataType.TEXT ? e : Operators.cast(e, DataType.TEXT, false);
    }

    private static Expression text(Expression e, String where) {
        if (e.type() != DataType.TEXT && e.type() != DataType.NULL) {
            throw new UserMistake(where + " needs text, but found " + e.type() + " (" + e + "); use cast(… as text)");
        }
        return Types.coerce(e, DataType.TEXT);
    }

    private static Expression number(Expression e, String where) {
        if (!e.type().isNumeric()) {
            throw new UserMistake(where + " needs a number, but found " + e.type() + " (" + e + ")");
        }
        return e;
    }

    private static Expression whole(Expression e, String where) {
        if (e.type() != DataType.INT && e.type() != DataType.LONG) {
            throw new UserMistake(where + " needs a whole number, but found " + e.type() + " (" + e + ")");
        }
        return Types.coerce(e, DataType.INT);
    }
}
