package org.unimeros.engine.model;

import java.math.BigDecimal;
import java.math.MathContext;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.And;
import org.unimeros.engine.expr.Expression.Call;
import org.unimeros.engine.expr.Expression.Case;
import org.unimeros.engine.expr.Expression.Cast;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.Expression.InList;
import org.unimeros.engine.expr.Expression.IsNull;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.Expression.Not;
import org.unimeros.engine.expr.Expression.Or;
import org.unimeros.engine.expr.SortKey;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Plan.JoinKind;
import org.unimeros.engine.plan.Plan.NamedAggregate;

/** What plans and expressions mean, row by row, as obvious as it can be and without regard to speed. */
public final class RowModel {

    /** The model does not know this. */
    static final class Missing extends RuntimeException {
        private static final long serialVersionUID = 1;

        Missing(Object what) {
            super("the model does not know " + what);
        }
    }

    private RowModel() {}

    public static List<List<Object>> rows(Plan plan) {
        return switch (plan) {
            case Plan.Scan s -> scan(s);
            case Plan.Inline i -> TestTable.toRows(i.schema(), i.batches());
            case Plan.Filter f ->
                rows(f.input()).stream()
                        .filter(r -> Boolean.TRUE.equals(value(f.condition(), r)))
                        .toList();
            case Plan.Project p ->
                rows(p.input()).stream()
                        .map(r -> list(p.outputs().stream()
                                .map(o -> value(o.expression(), r))
                                .toArray()))
                        .toList();
            case Plan.Join j -> join(j);
            case Plan.Group g -> group(g);
            case Plan.Sort s -> sort(s);
            case Plan.Limit l ->
                rows(l.input()).stream().skip(l.offset()).limit(l.count()).toList();
            case Plan.Expand e ->
                rows(e.input()).stream()
                        .flatMap(r -> e.variants().stream()
                                .map(v -> list(v.stream()
                                        .map(o -> value(o.expression(), r))
                                        .toArray())))
                        .toList();
            case Plan.Apply a -> throw new Missing(a);
            case Plan.Reduce r -> throw new Missing(r);
            case Plan.Unnest u ->
                rows(u.input()).stream().flatMap(r -> unnest(u, r)).toList();
            case Plan.Window w -> WindowModel.rows(w);
            case Plan.Union u ->
                u.inputs().stream().flatMap(i -> rows(i).stream()).toList();
        };
    }

    private static Stream<List<Object>> unnest(Plan.Unnest u, List<Object> row) {
        List<?> values = (List<?>) value(u.list(), row);
        List<List<Object>> out = new ArrayList<>();
        for (int i = 0; values != null && i < values.size(); i++) {
            List<Object> element = new ArrayList<>(row);
            boolean isStruct = ((DataType.ListOf) u.list().type()).element() instanceof DataType.Struct;
            if (isStruct && values.get(i) instanceof Map<?, ?> struct) {
                element.addAll(struct.values());
            } else if (isStruct) {
                u.elements().forEach(f -> element.add(null));
            } else {
                element.add(values.get(i));
            }
            if (u.position().isPresent()) {
                element.add(i + 1L);
            }
            out.add(element);
        }
        if (out.isEmpty() && u.keepsEmpty()) {
            out.add(with(row, list(new Object[u.schema().size() - row.size()])));
        }
        return out.stream();
    }

    private static List<Object> list(Object... values) {
        return Arrays.asList(values);
    }

    private static List<List<Object>> scan(Plan.Scan s) {
        List<List<Object>> all = new ArrayList<>();
        for (List<Object> row : ((TestTable) s.source()).rows()) {
            List<Object> picked = list(s.columns().stream().map(row::get).toArray());
            if (s.conditions().stream().allMatch(c -> Boolean.TRUE.equals(value(c, picked)))) {
                all.add(picked);
            }
        }
        return all;
    }

    private static List<List<Object>> join(Plan.Join j) {
        List<List<Object>> out = new ArrayList<>();
        List<List<Object>> right = rows(j.right());
        boolean[] rightMatched = new boolean[right.size()];
        for (List<Object> l : rows(j.left())) {
            boolean matched = false;
            for (int i = 0; i < right.size(); i++) {
                List<Object> r = right.get(i);
                List<Object> both = new ArrayList<>(l);
                both.addAll(r);
                if (keysEqual(j, l, r)
                        && j.condition()
                                .map(c -> Boolean.TRUE.equals(value(c, both)))
                                .orElse(true)) {
                    matched = true;
                    rightMatched[i] = true;
                    if (j.kind().hasRight()) {
                        out.add(both);
                    }
                }
            }
            switch (j.kind()) {
                case INNER -> {}
                case LEFT, FULL -> {
                    if (!matched) {
                        out.add(with(l, nulls(j.right())));
                    }
                }
                case SEMI, ANTI -> {
                    if (matched == (j.kind() == JoinKind.SEMI)) {
                        out.add(l);
                    }
                }
                case MARK -> out.add(with(l, list(matched)));
            }
        }
        for (int i = 0; i < right.size(); i++) {
            if (j.kind() == JoinKind.FULL && !rightMatched[i]) {
                out.add(with(nulls(j.left()), right.get(i)));
            }
        }
        return out;
    }

    private static List<Object> nulls(Plan side) {
        return list(new Object[side.schema().size()]);
    }

    private static List<Object> with(List<Object> first, List<Object> second) {
        List<Object> both = new ArrayList<>(first);
        both.addAll(second);
        return both;
    }

    private static boolean keysEqual(Plan.Join j, List<Object> l, List<Object> r) {
        for (int i = 0; i < j.leftKeys().size(); i++) {
            Object a = value(j.leftKeys().get(i), l);
            Object b = value(j.rightKeys().get(i), r);
            if (a == null || b == null || order(a, b) != 0) {
                return false;
            }
        }
        return true;
    }

    private static List<List<Object>> group(Plan.Group g) {
        Map<List<Object>, List<List<Object>>> groups = new LinkedHashMap<>();
        for (List<Object> row : rows(g.input())) {
            List<Object> key = list(g.keys().stream()
                    .map(k -> canonical(value(k.expression(), row)))
                    .toArray());
            groups.computeIfAbsent(key, k -> new ArrayList<>()).add(row);
        }
        if (g.keys().isEmpty() && groups.isEmpty()) {
            groups.put(List.of(), List.of());
        }
        List<List<Object>> out = new ArrayList<>();
        groups.forEach((key, members) -> {
            List<Object> row = new ArrayList<>(key);
            for (NamedAggregate a : g.aggregates()) {
                row.add(aggregate(a.aggregate(), members));
            }
            out.add(row);
        });
        return out;
    }

    /** The two zeros are equal, inside of lists too. */
    static Object canonical(Object value) {
        return switch (value) {
            case null -> null;
            case Double d -> d + 0.0;
            case Float f -> f + 0.0f;
            case List<?> list -> {
                List<Object> all = new ArrayList<>();
                list.forEach(v -> all.add(canonical(v)));
                yield all;
            }
            default -> value;
        };
    }

    static Object aggregate(Aggregate a, List<List<Object>> members) {
        if (a.argument().isEmpty()) {
            return (long) members.size();
        }
        List<List<Object>> sorted = members.stream()
                .filter(m -> a.kind().keepsNulls() || value(a.argument().get(), m) != null)
                .sorted(by(a.order()))
                .toList();
        List<Object> values =
                sorted.stream().map(m -> value(a.argument().get(), m)).toList();
        if (a.distinct()) {
            Map<Object, Object> seen = new LinkedHashMap<>();
            values.forEach(v -> seen.putIfAbsent(canonical(v), v));
            values = new ArrayList<>(seen.values());
        }
        if (values.isEmpty()) {
            return a.kind() == Aggregate.Kind.COUNT ? (Object) 0L : null;
        }
        int n = values.size();
        return switch (a.kind()) {
            case COUNT -> (long) n;
            case SUM -> sum(values);
            case AVG -> exact(values).doubleValue() / n;
            case MIN -> values.stream().min(RowModel::order).orElse(null);
            case MAX -> values.stream().max(RowModel::order).orElse(null);
            case VAR_POP -> variance(values, n);
            case VAR_SAMP -> n < 2 ? null : variance(values, n - 1);
            case STDDEV_POP -> Math.sqrt(variance(values, n));
            case STDDEV_SAMP -> n < 2 ? null : (Object) Math.sqrt(variance(values, n - 1));
            case ONLY -> values.get(0);
            case PERCENTILE_DISC ->
                values.get(Math.max(0, (int) Math.ceil((double) a.parameters().get(0) * n) - 1));
            case PERCENTILE_CONT -> interpolated(values, (double) a.parameters().get(0) * (n - 1));
            case MODE -> mode(values);
            case STRING_AGG ->
                values.stream().map(Object::toString).collect(Collectors.joining((String)
                        a.parameters().get(0)));
            case LIST_AGG, ARRAY_AGG -> values;
            case FIRST -> value(a.arguments().get(1), sorted.get(0));
            case OF_PAIRS, TOP_VALUES, APPROX_COUNT_DISTINCT, APPROX_PERCENTILE, OWN -> throw new Missing(a);
        };
    }

    private static double interpolated(List<Object> values, double place) {
        double low = (Double) values.get((int) Math.floor(place));
        double high = (Double) values.get((int) Math.ceil(place));
        return low == high ? low : low + (place - Math.floor(place)) * (high - low);
    }

    private static Object mode(List<Object> values) {
        Object best = null;
        long most = 0;
        for (Object v : values) {
            long times = values.stream().filter(other -> order(v, other) == 0).count();
            if (times > most) {
                best = v;
                most = times;
            }
        }
        return best;
    }

    private static double variance(List<Object> values, int divisor) {
        BigDecimal mean = exact(values).divide(BigDecimal.valueOf(values.size()), new MathContext(60));
        BigDecimal squares =
                values.stream().map(v -> exact(v).subtract(mean).pow(2)).reduce(BigDecimal.ZERO, BigDecimal::add);
        return squares.divide(BigDecimal.valueOf(divisor), MathContext.DECIMAL128)
                .doubleValue();
    }

    private static BigDecimal exact(Object value) {
        return value instanceof Double || value instanceof Float
                ? new BigDecimal(((Number) value).doubleValue())
                : new BigDecimal(value.toString());
    }

    private static BigDecimal exact(List<Object> values) {
        return values.stream().map(RowModel::exact).reduce(BigDecimal.ZERO, BigDecimal::add);
    }

    private static Object sum(List<Object> values) {
        BigDecimal exact = exact(values);
        return switch (values.get(0)) {
            case Double d -> exact.doubleValue();
            case Float f -> exact.doubleValue();
            case BigDecimal d -> exact;
            default -> exact.longValueExact();
        };
    }

    private static List<List<Object>> sort(Plan.Sort s) {
        return rows(s.input()).stream().sorted(by(s.keys())).toList();
    }

    static Comparator<List<Object>> by(List<SortKey> keys) {
        Comparator<List<Object>> order = (a, b) -> 0;
        for (SortKey key : keys) {
            order = order.thenComparing((a, b) -> compare(key, value(key.expression(), a), value(key.expression(), b)));
        }
        return order;
    }

    static int compare(SortKey key, Object a, Object b) {
        if (a == null || b == null) {
            int nullSide = key.nullsFirst() ? -1 : 1;
            return a == b ? 0 : a == null ? nullSide : -nullSide;
        }
        return key.descending() ? order(b, a) : order(a, b);
    }

    @SuppressWarnings("unchecked")
    static int order(Object a, Object b) {
        if (a instanceof Double x && b instanceof Double y) {
            return x.doubleValue() == y.doubleValue() ? 0 : Double.compare(x, y);
        }
        if (a instanceof String x && b instanceof String y) {
            return Arrays.compareUnsigned(x.getBytes(StandardCharsets.UTF_8), y.getBytes(StandardCharsets.UTF_8));
        }
        if (a instanceof Float x && b instanceof Float y) {
            return order(x.doubleValue(), y.doubleValue());
        }
        if (a instanceof List<?> x && b instanceof List<?> y) {
            return orderAll(x, y);
        }
        if (a instanceof Map<?, ?> x && b instanceof Map<?, ?> y) {
            return orderAll(new ArrayList<>(x.values()), new ArrayList<>(y.values()));
        }
        return Integer.signum(((Comparable<Object>) a).compareTo(b));
    }

    /** Nulls inside are equal to each other, and last. */
    private static int orderAll(List<?> a, List<?> b) {
        for (int i = 0; i < Math.min(a.size(), b.size()); i++) {
            boolean nullA = a.get(i) == null;
            boolean nullB = b.get(i) == null;
            int order = nullA || nullB ? Boolean.compare(nullA, nullB) : order(a.get(i), b.get(i));
            if (order != 0) {
                return order;
            }
        }
        return Integer.compare(a.size(), b.size());
    }

    /** The value of an expression for a row; null is null. */
    public static Object value(Expression e, List<Object> row) {
        return switch (e) {
            case ColumnRef c -> row.get(c.index());
            case Expression.Outer o -> throw new Missing(o);
            case Literal l -> l.value();
            case And a -> logic(a.operands(), row, false);
            case Or o -> logic(o.operands(), row, true);
            case Not n -> not(value(n.operand(), row));
            case IsNull n -> value(n.operand(), row) == null;
            case InList in -> in(in, row);
            case Case c -> choose(c, row);
            case Cast c -> cast(c, row);
            case Call c -> call(c, row);
        };
    }

    private static Object not(Object v) {
        return v == null ? null : (Object) !(Boolean) v;
    }

    private static Object logic(List<Expression> operands, List<Object> row, boolean decided) {
        boolean unknown = false;
        for (Expression operand : operands) {
            Object v = value(operand, row);
            if (v == null) {
                unknown = true;
            } else if ((Boolean) v == decided) {
                return decided;
            }
        }
        return unknown ? null : !decided;
    }

    private static Object in(InList in, List<Object> row) {
        Object v = value(in.operand(), row);
        return v == null ? null : in.values().stream().anyMatch(l -> order(l.value(), v) == 0);
    }

    private static Object choose(Case c, List<Object> row) {
        for (Case.Branch branch : c.branches()) {
            if (Boolean.TRUE.equals(value(branch.condition(), row))) {
                return value(branch.result(), row);
            }
        }
        return value(c.otherwise(), row);
    }

    private static Object cast(Cast c, List<Object> row) {
        Object v = value(c.operand(), row);
        if (v == null) {
            return null;
        }
        return switch (c.type().toString()) {
            case "long" -> ((Number) v).longValue();
            case "double" -> ((Number) v).doubleValue();
            case "text" -> Values.text(v);
            default -> throw new Missing(c);
        };
    }

    private static Object call(Call c, List<Object> row) {
        // Every argument is evaluated, and may fail, also beside a null.
        List<Object> args = new ArrayList<>();
        c.args().forEach(arg -> args.add(value(arg, row)));
        if (c.function().name().equals("list")) {
            return args;
        }
        if (args.contains(null)) {
            return null;
        }
        if (c.function().name().startsWith("%s.")) {
            return ((Map<?, ?>) args.get(0)).get(c.function().name().substring(3));
        }
        Object a = args.get(0);
        Object b = args.size() > 1 ? args.get(1) : null;
        return switch (c.function().name()) {
            case "=" -> order(a, b) == 0;
            case "<>" -> order(a, b) != 0;
            case "<" -> order(a, b) < 0;
            case "<=" -> order(a, b) <= 0;
            case ">" -> order(a, b) > 0;
            case ">=" -> order(a, b) >= 0;
            case "+", "-", "*" -> arithmetic(c.function().name(), a, b);
            case "cardinality" -> ((List<?>) a).size();
            case "element_at" -> {
                List<?> all = (List<?>) a;
                int at = (Integer) b < 0 ? all.size() + (Integer) b : (Integer) b - 1;
                yield at < 0 || at >= all.size() ? null : all.get(at);
            }
            case "upper" -> ((String) a).toUpperCase(Locale.ROOT);
            case "length" -> ((String) a).codePointCount(0, ((String) a).length());
            case "concat" -> a.toString() + b;
            default -> throw new Missing(c);
        };
    }

    private static Object arithmetic(String op, Object a, Object b) {
        if (a instanceof Double x && b instanceof Double y) {
            return op.equals("+") ? x + y : op.equals("-") ? x - y : x * y;
        }
        BigDecimal x = new BigDecimal(a.toString());
        BigDecimal y = new BigDecimal(b.toString());
        BigDecimal r = op.equals("+") ? x.add(y) : op.equals("-") ? x.subtract(y) : x.multiply(y);
        return a instanceof Integer ? (Object) r.intValueExact() : r.longValueExact();
    }
}
