package org.unimeros.engine.model;

import java.math.BigDecimal;
import java.math.BigInteger;
import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalTime;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import java.util.stream.IntStream;
import org.unimeros.engine.data.Bytes;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Aggregates;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.Case;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.Expression.IsNull;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.Functions;
import org.unimeros.engine.expr.Operators;
import org.unimeros.engine.expr.SortKey;
import org.unimeros.engine.expr.WindowFunction;
import org.unimeros.engine.expr.WindowFunction.Bound;
import org.unimeros.engine.expr.WindowFunction.BoundKind;
import org.unimeros.engine.expr.WindowFunction.Frame;
import org.unimeros.engine.expr.WindowFunction.Unit;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Plan.Group;
import org.unimeros.engine.plan.Plan.JoinKind;
import org.unimeros.engine.plan.Plan.JoinMethod;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.Plan.NamedAggregate;
import org.unimeros.engine.plan.Plan.Sort;
import org.unimeros.engine.plan.PlanBuilder;

/** Makes random tables and plans from a seed: few different values, many nulls, extremes, empty tables. */
final class RandomPlans {

    private static final List<DataType> TYPES = List.of(
            DataType.INT,
            DataType.LONG,
            DataType.DOUBLE,
            DataType.TEXT,
            DataType.BOOLEAN,
            DataType.DATE,
            DataType.TIMESTAMP,
            new DataType.Decimal(12, 2),
            new DataType.Decimal(25, 3),
            DataType.FLOAT,
            DataType.BYTES,
            DataType.TIME,
            DataType.parse("int[]"),
            DataType.parse("struct(depot text, n int)"),
            DataType.parse("struct(depot text, n int)[]"));
    private static final String[] TEXTS = {
        "", "a", "b", "Ä", "D01", "D02", "a longer text that is not inlined", "\u0000"
    };

    private final Random random;
    private int names;

    RandomPlans(long seed) {
        this.random = new Random(seed);
    }

    Plan plan() {
        Plan plan = source();
        int steps = random.nextInt(6);
        for (int i = 0; i < steps; i++) {
            plan = step(plan);
        }
        return plan;
    }

    private Plan source() {
        List<Field> fields = new ArrayList<>();
        int columns = 1 + random.nextInt(4);
        for (int c = 0; c < columns; c++) {
            fields.add(Field.of("c" + names++, TYPES.get(random.nextInt(TYPES.size()))));
        }
        Schema schema = new Schema(fields);
        int rows = random.nextInt(8) == 0 ? 0 : random.nextInt(60);
        List<List<Object>> data = new ArrayList<>();
        for (int r = 0; r < rows; r++) {
            List<Object> row = new ArrayList<>();
            fields.forEach(f -> row.add(value(f.type())));
            data.add(row);
        }
        TestTable table = new TestTable("t" + names, schema, data, 1 + random.nextInt(20), 1 + random.nextInt(10));
        return PlanBuilder.scan(table, random.nextBoolean() ? null : "t" + names);
    }

    private Object value(DataType type) {
        if (random.nextInt(6) == 0) {
            return null;
        }
        int small = random.nextInt(5) - 1;
        return switch (type) {
            case DataType.Simple.INT -> random.nextInt(30) == 0 ? 40_000 : small;
            case DataType.Simple.LONG -> random.nextInt(30) == 0 ? 1L << 40 : (long) small;
            case DataType.Simple.DOUBLE -> random.nextInt(20) == 0 ? -0.0 : small / 4.0;
            case DataType.Simple.TEXT -> TEXTS[random.nextInt(TEXTS.length)];
            case DataType.Simple.BOOLEAN -> random.nextBoolean();
            case DataType.Simple.DATE -> LocalDate.of(2031, 3, 2).plusDays(small);
            case DataType.Simple.TIMESTAMP ->
                Instant.parse("2031-03-02T10:00:00Z").plusSeconds(small);
            case DataType.Decimal d ->
                d.isWide() && random.nextInt(4) == 0
                        ? new BigDecimal(BigInteger.TEN.pow(22).multiply(BigInteger.valueOf(small)), d.scale())
                        : BigDecimal.valueOf(small * 125L, d.scale());
            case DataType.Simple.FLOAT -> random.nextInt(20) == 0 ? -0.0f : small / 4.0f;
            case DataType.Simple.BYTES -> Bytes.of((byte) small, (byte) 0);
            case DataType.Simple.TIME -> LocalTime.of(10, 0).plusMinutes(small);
            case DataType.ListOf l -> {
                List<Object> list = new ArrayList<>();
                for (int i = random.nextInt(3); i > 0; i--) {
                    list.add(value(l.element()));
                }
                yield list;
            }
            case DataType.Struct s -> {
                Map<String, Object> fields = new LinkedHashMap<>();
                s.parts().forEach(p -> fields.put(p.name(), value(p.type())));
                yield fields;
            }
            case DataType.Simple.NULL -> null;
        };
    }

    private Plan step(Plan input) {
        return switch (random.nextInt(16)) {
            case 12 -> joinChain();
            case 13, 14 -> unnest(input);
            case 9 -> expand(input);
            case 10, 11 -> window(input);
            case 0, 1 -> PlanBuilder.where(input, condition(input.schema(), 2));
            case 2 -> project(input);
            case 3, 4 -> group(input);
            case 15 -> groupSets(input);
            case 5 -> join(input);
            case 6 -> PlanBuilder.union(input, input);
            case 7 -> PlanBuilder.distinct(input);
            default -> limited(input);
        };
    }

    private Plan unnest(Plan input) {
        ColumnRef column = anyColumn(input.schema());
        Expression list = column.type() instanceof DataType.ListOf
                ? column
                : Functions.call("list", List.of(column, literal(column.type())));
        return PlanBuilder.unnest(input, list, "u" + names++, List.of(), random.nextBoolean(), random.nextBoolean());
    }

    /** A limit is certain only behind an order by everything. */
    private Plan limited(Plan input) {
        List<SortKey> keys = new ArrayList<>();
        for (int c = 0; c < input.schema().size(); c++) {
            keys.add(new SortKey(PlanBuilder.column(input.schema(), c), random.nextBoolean(), random.nextBoolean()));
        }
        return PlanBuilder.limit(new Sort(input, keys), random.nextInt(4), random.nextInt(20));
    }

    private Plan project(Plan input) {
        List<Named> outputs = new ArrayList<>();
        int n = 1 + random.nextInt(4);
        for (int i = 0; i < n; i++) {
            outputs.add(Named.of("p" + names++, expression(input.schema(), 2)));
        }
        return PlanBuilder.select(input, outputs);
    }

    private Plan group(Plan input) {
        List<Named> keys = new ArrayList<>();
        List<ColumnRef> lying = divisionOf(input);
        int n = random.nextInt(3);
        for (int i = 0; i < n; i++) {
            keys.add(Named.of("k" + names++, expression(input.schema(), 1)));
        }
        if (!lying.isEmpty() && random.nextBoolean()) {
            keys.clear();
            lying.forEach(column -> keys.add(Named.of("k" + names++, column)));
        }
        List<NamedAggregate> aggregates = new ArrayList<>();
        aggregates.add(new NamedAggregate(Aggregate.countRows(), "n" + names++));
        boolean collecting = random.nextInt(3) == 0;
        for (int i = 0; i < 3; i++) {
            aggregates.add(new NamedAggregate(aggregate(input.schema(), collecting), "a" + names++));
        }
        return new Group(
                input,
                keys.stream().filter(k -> k.field().type() != DataType.NULL).toList(),
                aggregates);
    }

    /** As {@code grouping sets} makes it: rows once for each set of keys, in which the other keys are null. */
    private Plan groupSets(Plan input) {
        List<Named> keys = new ArrayList<>();
        for (int i = random.nextInt(4); i > 0; i--) {
            keys.add(Named.of("k" + names++, expression(input.schema(), 1)));
        }
        List<List<Named>> variants = new ArrayList<>();
        int sets = 1 + random.nextInt(4);
        for (int set = 0; set < sets; set++) {
            List<Named> outputs = new ArrayList<>(PlanBuilder.columns(input.schema()));
            keys.forEach(k -> outputs.add(
                    random.nextInt(3) > 0
                            ? k
                            : new Named(new Literal(null, k.field().type()), k.field())));
            outputs.add(Named.of("set", new Literal(set, DataType.INT)));
            variants.add(outputs);
        }
        Plan expanded = new Plan.Expand(input, variants);
        List<Named> by = PlanBuilder.columns(expanded.schema())
                .subList(input.schema().size(), expanded.schema().size());
        List<NamedAggregate> aggregates = new ArrayList<>();
        aggregates.add(new NamedAggregate(Aggregate.countRows(), "n" + names++));
        // Sometimes of a key, which is not the same in all sets.
        Schema summarised = random.nextInt(4) > 0 ? input.schema() : expanded.schema();
        for (int i = random.nextInt(3); i > 0; i--) {
            aggregates.add(new NamedAggregate(aggregate(summarised, false), "a" + names++));
        }
        return new Group(
                expanded,
                by.stream().filter(k -> k.field().type() != DataType.NULL).toList(),
                aggregates);
    }

    /** Columns by which rows may lie already when they come out of a plan, or which are close to that. */
    private List<ColumnRef> divisionOf(Plan plan) {
        return switch (plan) {
            case Group g ->
                IntStream.range(0, g.keys().size())
                        .mapToObj(k -> at(g.schema(), k))
                        .toList();
            case Plan.Join j -> {
                boolean ofRight = j.kind().hasRight() && random.nextBoolean();
                int offset = ofRight ? j.left().schema().size() : 0;
                yield (ofRight ? j.rightKeys() : j.leftKeys())
                        .stream()
                                .filter(ColumnRef.class::isInstance)
                                .map(key -> at(j.schema(), offset + ((ColumnRef) key).index()))
                                .toList();
            }
            case Plan.Window w ->
                w.partition().stream()
                        .map(key -> at(w.schema(), ((ColumnRef) key).index()))
                        .toList();
            case Plan.Filter f -> divisionOf(f.input());
            default -> List.of();
        };
    }

    private Aggregate aggregate(Schema schema, boolean collecting) {
        ColumnRef column = anyColumn(schema);
        boolean number = column.type().isNumeric();
        if (collecting && random.nextBoolean()) {
            return collecting(schema, column, number);
        }
        String name = number
                ? List.of("sum", "avg", "min", "max", "count", "var_pop", "stddev_samp")
                        .get(random.nextInt(7))
                : List.of("min", "max", "count").get(random.nextInt(3));
        boolean distinct = random.nextInt(4) == 0;
        Aggregates.Call call = new Aggregates.Call(name, List.of(column), distinct, List.of(), Optional.empty());
        return Aggregates.of(random.nextInt(4) == 0 ? call.where(condition(schema, 1)) : call);
    }

    /** Only those whose result does not depend on the order of equal keys. */
    private Aggregate collecting(Schema schema, ColumnRef column, boolean number) {
        SortKey key = new SortKey(column, random.nextBoolean(), false);
        Literal fraction = new Literal(random.nextInt(5) / 4.0, DataType.DOUBLE);
        return Aggregates.of(
                switch (column.type().isFloating() ? 4 : random.nextInt(number ? 6 : 5)) {
                    case 0 -> ordered("percentile_disc", List.of(fraction), key);
                    case 1 -> ordered("mode", List.of(), key);
                    case 2 -> ordered("string_agg", List.of(column, new Literal(",", DataType.TEXT)), key);
                    case 3 -> Aggregates.Call.of("first_by", List.of(column, column));
                    case 4 -> number ? ordered("percentile_cont", List.of(fraction), key) : listed(column, key);
                    default -> listed(column, key);
                });
    }

    private Aggregates.Call listed(ColumnRef column, SortKey key) {
        return ordered(random.nextBoolean() ? "list_agg" : "array_agg", List.of(column), key);
    }

    private Aggregates.Call ordered(String name, List<Expression> arguments, SortKey key) {
        boolean distinct =
                name.equals("string_agg") && arguments.get(0).type() == DataType.TEXT && random.nextBoolean();
        return new Aggregates.Call(name, arguments, distinct, List.of(key), Optional.empty());
    }

    private Plan expand(Plan input) {
        List<Named> all = PlanBuilder.columns(input.schema());
        List<List<Named>> variants = new ArrayList<>();
        int n = 1 + random.nextInt(3);
        for (int v = 0; v < n; v++) {
            List<Named> outputs = new ArrayList<>();
            for (Named column : all) {
                Expression e = random.nextBoolean()
                        ? column.expression()
                        : new Literal(null, column.field().type());
                outputs.add(new Named(e, column.field()));
            }
            outputs.add(Named.of("variant", new Literal(v, DataType.INT)));
            variants.add(outputs);
        }
        return new Plan.Expand(input, variants);
    }

    /** Window functions; the order is by everything, or by one column where only peers matter. */
    private Plan window(Plan input) {
        Schema schema = input.schema();
        List<ColumnRef> lying = divisionOf(input);
        List<Expression> partition = !lying.isEmpty() && random.nextBoolean()
                ? List.copyOf(lying)
                : random.nextBoolean() ? List.of() : List.of(anyColumn(schema));
        boolean total = random.nextBoolean();
        List<SortKey> order = new ArrayList<>();
        if (total) {
            for (int c = 0; c < schema.size(); c++) {
                order.add(new SortKey(at(schema, c), random.nextBoolean(), random.nextBoolean()));
            }
        } else if (random.nextInt(4) > 0) {
            order.add(new SortKey(anyColumn(schema), random.nextBoolean(), random.nextBoolean()));
        }
        List<Plan.NamedWindow> functions = new ArrayList<>();
        for (int i = 0; i <= random.nextInt(3); i++) {
            functions.add(new Plan.NamedWindow(windowFunction(schema, order, total), "w" + names++));
        }
        return new Plan.Window(input, partition, order, functions);
    }

    private WindowFunction windowFunction(Schema schema, List<SortKey> order, boolean total) {
        ColumnRef column = anyColumn(schema);
        Frame frame = frame(schema, order, total);
        return switch (random.nextInt(total ? 9 : 5)) {
            case 0 -> ranking(WindowFunction.Kind.RANK, DataType.LONG, 0);
            case 1 -> ranking(WindowFunction.Kind.DENSE_RANK, DataType.LONG, 0);
            case 2 -> ranking(WindowFunction.Kind.CUME_DIST, DataType.DOUBLE, 0);
            case 3 -> ranking(WindowFunction.Kind.PERCENT_RANK, DataType.DOUBLE, 0);
            case 4 -> {
                String name = column.type().isNumeric()
                        ? List.of("sum", "avg", "min", "max", "count", "var_pop")
                                .get(random.nextInt(6))
                        : List.of("min", "max", "count").get(random.nextInt(3));
                Aggregate a = Aggregates.of(Aggregates.Call.of(name, List.of(column)));
                yield new WindowFunction(
                        WindowFunction.Kind.AGGREGATE, a.arguments(), Optional.of(a), 0, frame, a.type());
            }
            case 5 -> ranking(WindowFunction.Kind.ROW_NUMBER, DataType.LONG, 0);
            case 6 -> ranking(WindowFunction.Kind.NTILE, DataType.INT, 1 + random.nextInt(4));
            case 7 -> {
                List<Expression> args = List.of(column, literal(column.type()));
                WindowFunction.Kind kind = random.nextBoolean() ? WindowFunction.Kind.LAG : WindowFunction.Kind.LEAD;
                yield new WindowFunction(kind, args, Optional.empty(), random.nextInt(3), Frame.ALL, column.type());
            }
            default -> {
                WindowFunction.Kind kind = List.of(
                                WindowFunction.Kind.FIRST_VALUE,
                                WindowFunction.Kind.LAST_VALUE,
                                WindowFunction.Kind.NTH_VALUE)
                        .get(random.nextInt(3));
                yield new WindowFunction(
                        kind, List.of(column), Optional.empty(), 1 + random.nextInt(3), frame, column.type());
            }
        };
    }

    private static WindowFunction ranking(WindowFunction.Kind kind, DataType type, int number) {
        return new WindowFunction(kind, List.of(), Optional.empty(), number, Frame.ALL, type);
    }

    private Frame frame(Schema schema, List<SortKey> order, boolean total) {
        int which = random.nextInt(4);
        if (which == 0) {
            return Frame.ALL;
        }
        boolean byValue = order.size() == 1
                && (order.get(0).expression().type() == DataType.INT
                        || order.get(0).expression().type() == DataType.DOUBLE);
        if (which == 1 && byValue) {
            SortKey key = order.get(0);
            Literal distance = new Literal(random.nextInt(3), DataType.INT);
            Expression back = Operators.arithmetic(key.descending() ? "+" : "-", key.expression(), distance);
            Bound start = new Bound(BoundKind.PRECEDING, 0, Optional.of(back));
            Expression ahead = Operators.arithmetic(key.descending() ? "-" : "+", key.expression(), distance);
            Bound end = random.nextBoolean()
                    ? new Bound(BoundKind.FOLLOWING, 0, Optional.of(ahead))
                    : Bound.of(BoundKind.CURRENT_ROW);
            return new Frame(Unit.RANGE, start, end);
        }
        if (which == 2 && total) {
            Bound start = random.nextBoolean()
                    ? Bound.of(BoundKind.UNBOUNDED_PRECEDING)
                    : new Bound(BoundKind.PRECEDING, random.nextInt(4), Optional.empty());
            Bound end = random.nextBoolean()
                    ? Bound.of(BoundKind.CURRENT_ROW)
                    : new Bound(BoundKind.FOLLOWING, random.nextInt(3), Optional.empty());
            return new Frame(Unit.ROWS, start, end);
        }
        return Frame.UP_TO_PEERS;
    }

    private Plan join(Plan left) {
        Plan right = random.nextInt(3) == 0 ? step(source()) : source();
        Schema both = left.schema().concat(right.schema());
        List<Expression> parts = new ArrayList<>();
        for (int l = 0; l < left.schema().size() && parts.isEmpty(); l++) {
            for (int r = 0; r < right.schema().size(); r++) {
                if (left.schema().field(l).type().equals(right.schema().field(r).type())) {
                    parts.add(Operators.compare(
                            "=", at(both, l), at(both, left.schema().size() + r)));
                    break;
                }
            }
        }
        if (parts.isEmpty() || random.nextInt(3) == 0) {
            parts.add(condition(both, 1));
        }
        JoinMethod method = JoinMethod.values()[random.nextInt(3)];
        int which = random.nextInt(9);
        if (which > 7) {
            return PlanBuilder.rightJoin(left, right, method, Operators.and(parts));
        }
        JoinKind kind = which > 5 ? JoinKind.INNER : JoinKind.values()[which];
        return PlanBuilder.join(left, right, kind, method, Operators.and(parts));
    }

    /** Inner joins that can be put in another order. */
    private Plan joinChain() {
        Plan plan = source();
        int more = 2 + random.nextInt(2);
        for (int i = 0; i < more; i++) {
            Plan next = random.nextBoolean() ? source() : PlanBuilder.distinct(source());
            next = random.nextInt(3) == 0 ? PlanBuilder.where(next, condition(next.schema(), 1)) : next;
            Schema both = plan.schema().concat(next.schema());
            List<Expression> parts = new ArrayList<>();
            for (int l = 0; l < plan.schema().size(); l++) {
                for (int r = 0; r < next.schema().size(); r++) {
                    boolean meet = plan.schema()
                            .field(l)
                            .type()
                            .equals(next.schema().field(r).type());
                    if (meet && parts.size() < 2) {
                        parts.add(Operators.compare(
                                "=", at(both, l), at(both, plan.schema().size() + r)));
                    }
                }
            }
            if (parts.isEmpty()) {
                return plan;
            }
            plan = PlanBuilder.join(plan, next, JoinKind.INNER, JoinMethod.AUTOMATIC, Operators.and(parts));
        }
        return plan;
    }

    private static ColumnRef at(Schema schema, int index) {
        return PlanBuilder.column(schema, index);
    }

    private ColumnRef anyColumn(Schema schema) {
        return at(schema, random.nextInt(schema.size()));
    }

    private Expression condition(Schema schema, int depth) {
        ColumnRef column = anyColumn(schema);
        return switch (random.nextInt(depth > 0 ? 7 : 4)) {
            case 0 -> new IsNull(column);
            case 1 -> comparison(column, new Literal(present(column.type()), column.type()));
            case 2 -> Operators.in(column, List.of(literal(column.type()), literal(column.type())));
            case 3 -> comparison(literal(column.type()), column);
            case 4 -> Operators.not(condition(schema, depth - 1));
            case 5 -> Operators.and(List.of(condition(schema, depth - 1), condition(schema, depth - 1)));
            default -> Operators.or(List.of(condition(schema, depth - 1), condition(schema, depth - 1)));
        };
    }

    private Expression comparison(Expression a, Expression b) {
        String[] ops = {"=", "<>", "<", "<=", ">", ">="};
        return Operators.compare(ops[random.nextInt(ops.length)], a, b);
    }

    private Literal literal(DataType type) {
        return new Literal(present(type), type);
    }

    private Object present(DataType type) {
        Object value = value(type);
        while (value == null) {
            value = value(type);
        }
        return value;
    }

    private Expression expression(Schema schema, int depth) {
        ColumnRef column = anyColumn(schema);
        if (depth == 0) {
            return column;
        }
        return switch (random.nextInt(7)) {
            case 6 -> nested(column);
            case 0 -> condition(schema, depth - 1);
            case 1 ->
                Operators.choose(
                        List.of(new Case.Branch(condition(schema, depth - 1), column)),
                        new Literal(null, column.type()));
            case 2 -> column.type() == DataType.TEXT ? Functions.call("upper", List.of(column)) : column;
            case 3 ->
                column.type() == DataType.INT || column.type() == DataType.DOUBLE
                        ? Operators.arithmetic("+", column, column)
                        : column;
            case 4 -> Functions.call("coalesce", List.of(column, literal(column.type())));
            default -> column;
        };
    }

    /** Something inside of a column, or around it. */
    private Expression nested(ColumnRef column) {
        if (column.type() instanceof DataType.Struct struct) {
            return Functions.field(
                    column, struct.names().get(random.nextInt(struct.parts().size())));
        }
        Literal position = new Literal(random.nextInt(5) - 2, DataType.INT);
        if (column.type() instanceof DataType.ListOf) {
            return random.nextBoolean()
                    ? Functions.call("element_at", List.of(column, position))
                    : Functions.call("cardinality", List.of(column));
        }
        return Functions.call("list", List.of(column, literal(column.type())));
    }
}
