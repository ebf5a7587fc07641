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
        FunctionTexts.of("aggregates")
                .forEach((name, t) -> map.put(
                        name, new FunctionDoc(name, t.usage(), "aggregate", t.description(), t.example(), t.result())));
        return map;
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
