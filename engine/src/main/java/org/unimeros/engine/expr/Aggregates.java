package org.unimeros.engine.expr;

import java.math.BigDecimal;
import java.util.ArrayList;
import java.util.Collection;
import java.util.Collections;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DataType.Decimal;
import org.unimeros.engine.error.NameSuggestions;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Aggregate.Kind;
import org.unimeros.engine.expr.Aggregate.PairSummary;
import org.unimeros.engine.expr.Expression.Case;
import org.unimeros.engine.expr.Expression.Literal;

/** The aggregates that expressions can call by name, each with the lines that document it. */
public final class Aggregates {

    private static final Map<String, FunctionDoc> ALL = all();

    private Aggregates() {}

    /**
     * A call as it was written.
     *
     * @param arguments without those of {@code count(*)}
     * @param order of {@code (… order by …)} or {@code within group (order by …)}
     * @param onlyWhere the condition of {@code filter (where …)}
     */
    public record Call(
            String name,
            List<Expression> arguments,
            boolean distinct,
            List<SortKey> order,
            Optional<Expression> onlyWhere) {

        /** A call without order. */
        public static Call of(String name, List<Expression> arguments) {
            return new Call(name, arguments, false, List.of(), Optional.empty());
        }

        /** The same call for the rows for which a condition is true. */
        public Call where(Expression condition) {
            return new Call(name, arguments, distinct, order, Optional.of(condition));
        }
    }

    /** What is known of each, by name. */
    public static Collection<FunctionDoc> entries() {
        return Collections.unmodifiableCollection(ALL.values());
    }

    public static boolean isName(String name) {
        return ALL.containsKey(name.toLowerCase(Locale.ROOT));
    }

    /** Whether there is an aggregate of a name, here or among those of a job. */
    public static boolean isName(String name, OwnFunctions own) {
        return isName(name) || own.isAggregate(name);
    }

    /**
     * The aggregate that a call means, one of the job perhaps.
     *
     * @throws UserMistake when its arguments do not fit
     */
    public static Aggregate of(Call call, OwnFunctions own) {
        return own.isAggregate(call.name) ? own.aggregate(call) : of(call);
    }

    private static Map<String, FunctionDoc> all() {
        Map<String, FunctionDoc> map = new TreeMap<>();
        add(
                map,
                "count(*), count([distinct] value)",
                "The number of rows, or of values that are not null.",
                "select count(*), count(x), count(distinct x) from (values (1), (1), (null)) t(x)",
                "3 | 2 | 1");
        add(
                map,
                "sum([distinct] number)",
                "The exact sum; null without any value. Fails when it is out of range.",
                "select sum(x), sum(distinct x) from (values (1), (1), (2)) t(x)",
                "4 | 3");
        add(
                map,
                "avg([distinct] number)",
                "The mean, as a double; null without any value.",
                "select avg(x) from (values (1), (2), (null)) t(x)",
                "1.5");
        add(
                map,
                "min(value)",
                "The least value; null without any.",
                "select min(x) from (values ('b'), ('a')) t(x)",
                "a");
        add(
                map,
                "any_value(value)",
                "One of the values that are not null; always the same one, the least.",
                "select any_value(x) from (values ('b'), ('a')) t(x)",
                "a");
        add(
                map,
                "max(value)",
                "The greatest value; null without any.",
                "select max(x) from (values ('b'), ('a')) t(x)",
                "b");
        add(
                map,
                "share(condition)",
                "The share of rows for which the condition is true, among those for which it is not null.",
                "select share(x > 1) from (values (1), (2), (null)) t(x)",
                "0.5");
        add(
                map,
                "bool_or(condition)",
                "Whether some condition is true; null without any.",
                "select bool_or(x > 1) from (values (1), (2)) t(x)",
                "true");
        add(
                map,
                "bool_and(condition)",
                "Whether every condition is true; null without any.",
                "select bool_and(x > 1) from (values (1), (2)) t(x)",
                "false");
        add(
                map,
                "var_pop(number)",
                "The variance of all values, as a double; null without any.",
                "select var_pop(x) from (values (1), (3)) t(x)",
                "1.0");
        add(
                map,
                "var_samp(number)",
                "The variance of a sample, as a double; null with fewer than two values.",
                "select var_samp(x) from (values (1), (3)) t(x)",
                "2.0");
        add(map, "variance(number)", "The same as var_samp.", "select variance(x) from (values (1), (3)) t(x)", "2.0");
        add(
                map,
                "stddev_pop(number)",
                "The standard deviation of all values, as a double; null without any.",
                "select stddev_pop(x) from (values (1), (3)) t(x)",
                "1.0");
        add(
                map,
                "stddev_samp(number)",
                "The standard deviation of a sample, as a double; null with fewer than two values.",
                "select stddev_samp(x) from (values (1), (5), (9)) t(x)",
                "4.0");
        add(
                map,
                "stddev(number)",
                "The same as stddev_samp.",
                "select stddev(x) from (values (1), (5), (9)) t(x)",
                "4.0");
        add(
                map,
                "corr(y, x)",
                "How closely two numbers go together, from -1 to 1, as a double; null where one of them is always the same.",
                "select corr(y, x) from (values (1, 2), (2, 4), (3, 6)) t(x, y)",
                "1.0");
        add(
                map,
                "covar_pop(y, x)",
                "The covariance of all pairs, as a double; null without any.",
                "select covar_pop(y, x) from (values (1, 2), (3, 6)) t(x, y)",
                "2.0");
        add(
                map,
                "covar_samp(y, x)",
                "The covariance of a sample of pairs, as a double; null with fewer than two.",
                "select covar_samp(y, x) from (values (1, 2), (3, 6)) t(x, y)",
                "4.0");
        add(
                map,
                "regr_slope(y, x)",
                "The slope of the line of least squares through all pairs; null where x is always the same.",
                "select regr_slope(y, x) from (values (1, 3), (2, 5)) t(x, y)",
                "2.0");
        add(
                map,
                "regr_intercept(y, x)",
                "Where the line of least squares is at x = 0; null where x is always the same.",
                "select regr_intercept(y, x) from (values (1, 3), (2, 5)) t(x, y)",
                "1.0");
        add(
                map,
                "regr_r2(y, x)",
                "The square of the correlation; null where x is always the same, 1 where y is.",
                "select regr_r2(y, x) from (values (1, 3), (2, 5)) t(x, y)",
                "1.0");
        add(
                map,
                "list_agg([distinct] value [order by …])",
                "The values that are not null as a list, in the order given; null without any.",
                "select list_agg(x order by x desc) from (values (1), (null), (2)) t(x)",
                "[2,1]");
        add(
                map,
                "array_agg([distinct] value [order by …])",
                "The values as a list, nulls included, in the order given; null without any row.",
                "select array_agg(x order by x) from (values (2), (null), (1)) t(x)",
                "[1,2,null]");
        add(
                map,
                "percentile_cont(fraction) within group (order by number)",
                "The value at a fraction (0 to 1) of the order, as a double, interpolated; null without any value.",
                "select percentile_cont(0.5) within group (order by x) from (values (1), (2)) t(x)",
                "1.5");
        add(
                map,
                "percentile_disc(fraction) within group (order by value)",
                "The first value that is not below a fraction (0 to 1) of all; null without any value.",
                "select percentile_disc(0.5) within group (order by x) from (values (1), (2)) t(x)",
                "1");
        add(
                map,
                "median(number)",
                "The same as percentile_cont(0.5).",
                "select median(x) from (values (1), (2), (9)) t(x)",
                "2.0");
        add(
                map,
                "mode() within group (order by value)",
                "The value that occurs most often, the first in order among equals; null without any value.",
                "select mode() within group (order by x) from (values (1), (2), (2)) t(x)",
                "2");
        add(
                map,
                "string_agg([distinct] text, separator [order by …])",
                "The texts that are not null, with a separator between them; null without any.",
                "select string_agg(x, '-' order by x desc) from (values ('a'), ('b')) t(x)",
                "b-a");
        add(
                map,
                "first_by(value, key)",
                "The value of the row with the least key, null included; rows whose key is null are left out.",
                "select first_by(x, y) from (values ('a', 2), ('b', 1)) t(x, y)",
                "b");
        add(
                map,
                "last_by(value, key)",
                "The value of the row with the greatest key, null included; rows whose key is null are left out.",
                "select last_by(x, y) from (values ('a', 2), ('b', 1)) t(x, y)",
                "a");
        add(
                map,
                "top_values(value, count)",
                "As many values as asked for, most frequent first, as text: value (times), …; null without any.",
                "select top_values(x, 1) from (values ('a'), ('b'), ('b')) t(x)",
                "b (2)");
        add(
                map,
                "approx_count_distinct(value)",
                "About how many different values there are, in little memory; exact up to 256, then within about 5 %.",
                "select approx_count_distinct(x) from (values (1), (1), (2), (null)) t(x)",
                "2");
        add(
                map,
                "approx_percentile(number, fraction)",
                "About which number lies at a fraction (0 to 1) of all, within half a per cent; null without any.",
                "select round(approx_percentile(x, 0.5)) from (values (1), (100), (200)) t(x)",
                "100.0");
        return map;
    }

    private static void add(
            Map<String, FunctionDoc> map, String usage, String description, String example, String result) {
        String name = usage.substring(0, usage.indexOf('('));
        map.put(name, new FunctionDoc(name, usage, "aggregate", description, example, result));
    }

    /**
     * The aggregate of a call.
     *
     * @throws UserMistake when the arguments do not fit
     */
    public static Aggregate of(Call call) {
        String name = call.name.toLowerCase(Locale.ROOT);
        if (!ALL.containsKey(name)) {
            throw new UserMistake("unknown aggregate " + call.name + NameSuggestions.hint(name, ALL.keySet()));
        }
        return switch (name) {
            case "count" -> count(call);
            case "percentile_cont", "percentile_disc" -> percentile(call, name);
            case "median" -> median(call);
            case "mode" -> mode(call);
            case "string_agg" -> stringAgg(call);
            case "list_agg" -> listAgg(call, Kind.LIST_AGG);
            case "array_agg" -> listAgg(call, Kind.ARRAY_AGG);
            case "first_by" -> extremeRow(call, false);
            case "last_by" -> extremeRow(call, true);
            case "top_values" -> topValues(call);
            case "approx_count_distinct" ->
                new Aggregate(Kind.APPROX_COUNT_DISTINCT, limited(argument(call, name, 0, 1), call), DataType.LONG);
            case "approx_percentile" -> approxPercentile(call);
            case "covar_pop", "covar_samp", "corr", "regr_slope", "regr_intercept", "regr_r2" -> ofPairs(call, name);
            default -> simple(call, name);
        };
    }

    private static Aggregate count(Call call) {
        if (call.arguments.isEmpty() && call.onlyWhere.isEmpty()) {
            return Aggregate.countRows();
        }
        Expression value = call.arguments.isEmpty() ? new Literal(1, DataType.INT) : argument(call, "count", 0, 1);
        return new Aggregate(
                Kind.COUNT, List.of(limited(value, call)), List.of(), List.of(), call.distinct, DataType.LONG);
    }

    private static Aggregate simple(Call call, String name) {
        Expression arg = argument(call, name, 0, 1);
        if (name.equals("share")) {
            Expression truth = Operators.truth(arg, "share");
            arg = Operators.cast(Operators.cast(truth, DataType.INT, false), DataType.DOUBLE, false);
        }
        Expression value = limited(arg, call);
        Kind kind = switch (name) {
            case "sum" -> Kind.SUM;
            case "avg", "share" -> Kind.AVG;
            case "min", "any_value" -> Kind.MIN;
            case "max" -> Kind.MAX;
            case "bool_or" -> Kind.MAX;
            case "bool_and" -> Kind.MIN;
            case "var_pop" -> Kind.VAR_POP;
            case "var_samp", "variance" -> Kind.VAR_SAMP;
            case "stddev_pop" -> Kind.STDDEV_POP;
            default -> Kind.STDDEV_SAMP;
        };
        boolean extreme = kind == Kind.MIN || kind == Kind.MAX;
        if (name.startsWith("bool_")) {
            value = Operators.truth(value, name);
        } else if (!extreme) {
            value = number(value, name);
        }
        boolean spread = !extreme && kind != Kind.SUM && kind != Kind.AVG;
        if (spread) {
            value = Types.coerce(value, DataType.DOUBLE);
        }
        DataType type = extreme ? value.type() : kind == Kind.SUM ? sumType(value.type()) : DataType.DOUBLE;
        // The least of all values is the least of the distinct ones.
        return new Aggregate(kind, List.of(value), List.of(), List.of(), call.distinct && !extreme, type);
    }

    private static Aggregate percentile(Call call, String name) {
        if (call.order.size() != 1) {
            throw new UserMistake(name + " needs an order, as in: " + name + "(0.5) within group (order by weight_g)");
        }
        double fraction = fraction(argument(call, name, 0, 1), name);
        boolean interpolates = name.equals("percentile_cont");
        SortKey key = call.order.get(0);
        Expression value = limited(key.expression(), call);
        if (interpolates) {
            value = Types.coerce(number(value, name), DataType.DOUBLE);
        }
        Kind kind = interpolates ? Kind.PERCENTILE_CONT : Kind.PERCENTILE_DISC;
        return new Aggregate(
                kind, List.of(value), List.of(key.with(value)), List.of(fraction), call.distinct, value.type());
    }

    private static Aggregate approxPercentile(Call call) {
        String name = "approx_percentile";
        Expression value = limited(number(argument(call, name, 0, 2), name), call);
        double fraction = fraction(argument(call, name, 1, 2), name);
        return new Aggregate(
                Kind.APPROX_PERCENTILE,
                List.of(Types.coerce(value, DataType.DOUBLE)),
                List.of(),
                List.of(fraction),
                false,
                DataType.DOUBLE);
    }

    private static Aggregate ofPairs(Call call, String name) {
        if (call.distinct) {
            throw new UserMistake(name + "(distinct …) is not supported; make the pairs distinct in an inner query");
        }
        List<Expression> pair = new ArrayList<>();
        List<Expression> bothThere = new ArrayList<>();
        for (int i = 0; i < 2; i++) {
            Expression value = number(argument(call, name, i, 2), name);
            bothThere.add(Operators.not(new Expression.IsNull(value)));
            pair.add(new Literal(i == 0 ? "y" : "x", DataType.TEXT));
            pair.add(Types.coerce(value, DataType.DOUBLE));
        }
        call.onlyWhere.ifPresent(bothThere::add);
        Expression struct = Functions.call("struct", pair);
        Expression value = Operators.choose(
                List.of(new Case.Branch(Operators.and(bothThere), struct)), new Literal(null, struct.type()));
        PairSummary summary = PairSummary.valueOf(name.toUpperCase(Locale.ROOT));
        return new Aggregate(Kind.OF_PAIRS, List.of(value), List.of(), List.of(summary), false, DataType.DOUBLE);
    }

    private static double fraction(Expression e, String name) {
        if (e instanceof Literal l && l.value() instanceof Number n) {
            double fraction = n instanceof BigDecimal d ? d.doubleValue() : n.doubleValue();
            if (fraction >= 0 && fraction <= 1) {
                return fraction;
            }
        }
        throw new UserMistake(name + " needs a fraction from 0 to 1, as a number, but found " + e);
    }

    private static Aggregate median(Call call) {
        Expression value = argument(call, "median", 0, 1);
        return percentile(
                new Call(
                        "percentile_cont",
                        List.of(new Literal(0.5, DataType.DOUBLE)),
                        call.distinct,
                        List.of(SortKey.ascending(value)),
                        call.onlyWhere),
                "percentile_cont");
    }

    private static Aggregate mode(Call call) {
        if (call.order.size() != 1 || !call.arguments.isEmpty()) {
            throw new UserMistake("mode is called as: mode() within group (order by kind)");
        }
        SortKey key = call.order.get(0);
        Expression value = limited(key.expression(), call);
        return new Aggregate(Kind.MODE, List.of(value), List.of(key.with(value)), List.of(), false, value.type());
    }

    private static Aggregate stringAgg(Call call) {
        Expression value = limited(Functions.asText(argument(call, "string_agg", 0, 2)), call);
        Expression separator = argument(call, "string_agg", 1, 2);
        if (!(separator instanceof Literal l) || !(l.value() instanceof String text)) {
            throw new UserMistake("string_agg needs a text literal as its separator, but found " + separator);
        }
        if (call.distinct && call.order.stream().anyMatch(k -> !k.expression().equals(call.arguments.get(0)))) {
            throw new UserMistake("string_agg(distinct …) can only be ordered by the value itself");
        }
        return new Aggregate(Kind.STRING_AGG, List.of(value), call.order, List.of(text), call.distinct, DataType.TEXT);
    }

    private static Aggregate listAgg(Call call, Kind kind) {
        String name = kind.name().toLowerCase(Locale.ROOT);
        Expression value = limited(argument(call, name, 0, 1), call);
        if (call.distinct && call.order.stream().anyMatch(k -> !k.expression().equals(call.arguments.get(0)))) {
            throw new UserMistake(name + "(distinct …) can only be ordered by the value itself");
        }
        if (kind.keepsNulls() && call.onlyWhere.isPresent()) {
            throw new UserMistake("array_agg with filter is not supported, since nulls count in it; use list_agg, or a"
                    + " where in an inner query");
        }
        return new Aggregate(
                kind, List.of(value), call.order, List.of(), call.distinct, new DataType.ListOf(value.type()));
    }

    private static Aggregate extremeRow(Call call, boolean last) {
        String name = last ? "last_by" : "first_by";
        Expression value = argument(call, name, 0, 2);
        Expression key = limited(argument(call, name, 1, 2), call);
        return new Aggregate(
                Kind.FIRST,
                List.of(key, value),
                List.of(new SortKey(key, last, false)),
                List.of(),
                false,
                value.type());
    }

    private static Aggregate topValues(Call call) {
        Expression value = limited(argument(call, "top_values", 0, 2), call);
        Expression count = argument(call, "top_values", 1, 2);
        if (!(count instanceof Literal l) || !(l.value() instanceof Integer n) || n < 1) {
            throw new UserMistake("top_values needs a whole number of at least 1 as its count, but found " + count);
        }
        return new Aggregate(
                Kind.TOP_VALUES, List.of(value), List.of(SortKey.ascending(value)), List.of(n), false, DataType.TEXT);
    }

    private static Expression argument(Call call, String name, int index, int wanted) {
        if (call.arguments.size() != wanted) {
            throw new UserMistake(
                    "aggregate " + name + " is called as " + ALL.get(name).usage() + ", but found "
                            + call.arguments.size() + (call.arguments.size() == 1 ? " argument" : " arguments"));
        }
        return call.arguments.get(index);
    }

    /** The value, null where the condition of the call does not hold. */
    static Expression limited(Expression value, Call call) {
        return call.onlyWhere
                .map(c -> Operators.choose(List.of(new Case.Branch(c, value)), new Literal(null, value.type())))
                .orElse(value);
    }

    private static Expression number(Expression e, String name) {
        if (!e.type().isNumeric()) {
            throw new UserMistake(name + " needs a number, but found " + e.type() + " (" + e + ")");
        }
        return e;
    }

    private static DataType sumType(DataType type) {
        return switch (type) {
            case DataType.Simple.INT -> DataType.LONG;
            case DataType.Simple.FLOAT -> DataType.DOUBLE;
            case Decimal d -> new Decimal(Decimal.MAX_PRECISION, d.scale());
            default -> type;
        };
    }

    /** The arguments, then the order, of several aggregates, without repetitions. */
    public static List<Expression> expressions(Collection<Aggregate> aggregates) {
        List<Expression> all = new ArrayList<>();
        for (Aggregate a : aggregates) {
            for (Expression e : a.expressions()) {
                if (!all.contains(e)) {
                    all.add(e);
                }
            }
        }
        return all;
    }
}
