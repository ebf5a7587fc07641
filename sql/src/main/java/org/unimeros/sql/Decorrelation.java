package org.unimeros.sql;

import java.util.ArrayList;
import java.util.BitSet;
import java.util.List;
import java.util.Optional;
import java.util.TreeMap;
import java.util.function.UnaryOperator;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.Call;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.Expression.Outer;
import org.unimeros.engine.expr.Expressions;
import org.unimeros.engine.expr.Operators;
import org.unimeros.engine.expr.SortKey;
import org.unimeros.engine.expr.WindowFunction;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Plan.Filter;
import org.unimeros.engine.plan.Plan.Group;
import org.unimeros.engine.plan.Plan.Join;
import org.unimeros.engine.plan.Plan.JoinKind;
import org.unimeros.engine.plan.Plan.JoinMethod;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.Plan.NamedWindow;
import org.unimeros.engine.plan.Plan.Project;
import org.unimeros.engine.plan.PlanBuilder;

/**
 * A query that reads columns of the rows around it, turned into a plan that does not, and the conditions that connect
 * the two.
 *
 * <p>Conditions on outer columns are pulled up through the plan; the columns they compare are kept as additional ones
 * behind those of the query. Past a grouping they become keys of it, which needs equalities; for other comparisons the
 * distinct values of the outer columns are joined in first, as in T. Neumann and A. Kemper, "Unnesting arbitrary
 * queries", 2015.
 *
 * @param plan the columns of the query, then the additional ones
 * @param correlations conditions over these columns and {@link Outer} ones
 */
record Decorrelation(Plan plan, List<Expression> correlations) {

    /** Decorrelates a query from the rows of a plan. */
    static Decorrelation of(Plan query, Plan around) {
        Decorrelation pulled = new Puller(around).pull(query);
        if (hasOuter(pulled.plan)) {
            throw unsupported("this reference from an inner query to the rows around it");
        }
        return pulled;
    }

    private static UserMistake unsupported(String what) {
        return ExpressionResolver.unsupported(what, "write it as a join, or move the condition into where");
    }

    /** Whether a correlation is an equality of something inside and something outside. */
    static boolean isEquality(Expression correlation) {
        return inner(correlation).isPresent();
    }

    /** The inner side of an equality with something outside. */
    private static Optional<Expression> inner(Expression correlation) {
        if (!(correlation instanceof Call call) || !call.function().name().equals("=")) {
            return Optional.empty();
        }
        Expression a = call.args().get(0);
        Expression b = call.args().get(1);
        if (isInner(a) && isOuter(b)) {
            return Optional.of(a);
        }
        return isInner(b) && isOuter(a) ? Optional.of(b) : Optional.empty();
    }

    private static boolean isInner(Expression e) {
        return !Expressions.hasOuter(e);
    }

    private static boolean isOuter(Expression e) {
        return Expressions.hasOuter(e) && Expressions.columns(e).isEmpty();
    }

    /** Whether some expression of a plan reads a column around it. */
    static boolean hasOuter(Plan plan) {
        boolean own = switch (plan) {
            case Plan.Scan s -> s.conditions().stream().anyMatch(Expressions::hasOuter);
            case Filter f -> Expressions.hasOuter(f.condition());
            case Project p -> p.outputs().stream().map(Named::expression).anyMatch(Expressions::hasOuter);
            case Join j -> j.condition().filter(Expressions::hasOuter).isPresent();
            case Group g ->
                g.keys().stream().map(Named::expression).anyMatch(Expressions::hasOuter)
                        || g.aggregates().stream()
                                .flatMap(a -> a.aggregate().expressions().stream())
                                .anyMatch(Expressions::hasOuter);
            case Plan.Sort s -> s.keys().stream().map(SortKey::expression).anyMatch(Expressions::hasOuter);
            case Plan.Window w ->
                w.partition().stream().anyMatch(Expressions::hasOuter)
                        || w.functions().stream()
                                .flatMap(f -> f.function().expressions().stream())
                                .anyMatch(Expressions::hasOuter);
            case Plan.Unnest u -> Expressions.hasOuter(u.list());
            case Plan.Expand e ->
                e.variants().stream()
                        .flatMap(List::stream)
                        .map(Named::expression)
                        .anyMatch(Expressions::hasOuter);
            default -> false;
        };
        return own || plan.inputs().stream().anyMatch(Decorrelation::hasOuter);
    }

    /** Carries the conditions up, node by node. */
    private record Puller(Plan around) {

        Decorrelation pull(Plan plan) {
            if (!hasOuter(plan)) {
                return new Decorrelation(plan, List.of());
            }
            return switch (plan) {
                case Filter f -> filter(f);
                case Project p -> project(p);
                case Group g -> group(g);
                case Join j -> join(j);
                case Plan.Sort s -> pull(s.input());
                case Plan.Limit l -> limit(l);
                case Plan.Window w -> window(w);
                default -> throw unsupported("a reference to the rows around this kind of inner query");
            };
        }

        private Decorrelation filter(Filter f) {
            Decorrelation input = pull(f.input());
            List<Expression> stay = new ArrayList<>();
            List<Expression> rise = new ArrayList<>(input.correlations);
            for (Expression e : Operators.conjuncts(f.condition())) {
                (Expressions.hasOuter(e) ? rise : stay).add(e);
            }
            Plan plan = stay.isEmpty() ? input.plan : new Filter(input.plan, Operators.and(stay));
            return new Decorrelation(plan, rise);
        }

        private Decorrelation project(Project p) {
            Decorrelation input = pull(p.input());
            List<Named> outputs = new ArrayList<>(p.outputs());
            if (outputs.stream().map(Named::expression).anyMatch(Expressions::hasOuter)) {
                return withDomain(p);
            }
            List<Expression> correlations = exposed(input, outputs);
            return new Decorrelation(new Project(input.plan, outputs), correlations);
        }

        /** Adds the columns that correlations read to the outputs, and makes the correlations read them there. */
        private static List<Expression> exposed(Decorrelation input, List<Named> outputs) {
            TreeMap<Integer, Integer> places = new TreeMap<>();
            BitSet read = new BitSet();
            input.correlations.forEach(c -> Expressions.columns(c, read));
            read.stream().forEach(column -> {
                places.put(column, outputs.size());
                outputs.add(new Named(
                        PlanBuilder.column(input.plan.schema(), column),
                        input.plan.schema().field(column)));
            });
            return input.correlations.stream()
                    .map(c -> Expressions.remap(c, places::get))
                    .toList();
        }

        private Decorrelation group(Group g) {
            boolean inAggregates = g.aggregates().stream()
                    .flatMap(a -> a.aggregate().expressions().stream())
                    .anyMatch(Expressions::hasOuter);
            Decorrelation input = inAggregates ? null : pull(g.input());
            boolean equalities = input != null && input.correlations.stream().allMatch(Decorrelation::isEquality);
            boolean onlyDistinct = input != null && g.aggregates().isEmpty();
            if (!equalities && !onlyDistinct) {
                return withDomain(g);
            }
            List<Named> keys = new ArrayList<>(g.keys());
            List<Expression> correlations = new ArrayList<>();
            if (onlyDistinct) {
                correlations.addAll(exposed(input, keys));
                return new Decorrelation(new Group(input.plan, keys, List.of()), correlations);
            }
            int aggregates = g.aggregates().size();
            for (Expression c : input.correlations) {
                Expression inside = inner(c).orElseThrow();
                Named key = Named.of("correlated " + keys.size(), inside);
                ColumnRef place =
                        new ColumnRef(keys.size() + aggregates, key.field().name(), inside.type());
                keys.add(key);
                correlations.add(replaced(c, inside, place));
            }
            return new Decorrelation(
                    keysLast(
                            new Group(input.plan, keys, g.aggregates()),
                            g.keys().size()),
                    correlations);
        }

        private static Expression replaced(Expression equality, Expression inside, Expression by) {
            return equality.mapChildren(e -> e.equals(inside) && isInner(e) ? by : e);
        }

        /** Puts the keys from a number on behind the aggregates. */
        private static Plan keysLast(Group g, int firstKeys) {
            List<Named> columns = PlanBuilder.columns(g.schema());
            List<Named> order = new ArrayList<>(columns.subList(0, firstKeys));
            order.addAll(columns.subList(g.keys().size(), columns.size()));
            order.addAll(columns.subList(firstKeys, g.keys().size()));
            return new Project(g, order);
        }

        private Decorrelation join(Join j) {
            boolean ofLeft = hasOuter(j.left());
            boolean ofRight = hasOuter(j.right());
            boolean ofCondition = j.condition().filter(Expressions::hasOuter).isPresent();
            if (j.kind() != JoinKind.INNER && (ofRight || ofCondition || j.kind() == JoinKind.FULL)) {
                throw unsupported("a reference to the rows around from the right side of a " + j.kind());
            }
            Decorrelation left = ofLeft ? pull(j.left()) : new Decorrelation(j.left(), List.of());
            Decorrelation right = ofRight ? pull(j.right()) : new Decorrelation(j.right(), List.of());
            int leftSize = j.left().schema().size();
            int rightSize = j.right().schema().size();
            int wideLeft = left.plan.schema().size();
            List<Expression> stay = new ArrayList<>();
            List<Expression> rise = new ArrayList<>();
            for (Expression e : j.condition().map(Operators::conjuncts).orElse(List.of())) {
                (Expressions.hasOuter(e) ? rise : stay)
                        .add(Expressions.remap(e, i -> i < leftSize ? i : i - leftSize + wideLeft));
            }
            Plan joined = new Join(
                    left.plan,
                    right.plan,
                    j.kind(),
                    j.method(),
                    j.leftKeys(),
                    j.rightKeys(),
                    stay.isEmpty() ? Optional.empty() : Optional.of(Operators.and(stay)));
            rise.addAll(left.correlations);
            right.correlations.forEach(c -> rise.add(Expressions.remap(c, i -> i + wideLeft)));
            return reordered(
                    joined,
                    rise,
                    leftSize,
                    wideLeft,
                    j.kind().hasRight() ? rightSize : joined.schema().size() - wideLeft);
        }

        /** Puts the columns that were there first, the additional ones of both sides behind them. */
        private static Decorrelation reordered(
                Plan joined, List<Expression> correlations, int leftSize, int wideLeft, int rightSize) {
            List<Integer> order = new ArrayList<>();
            for (int i = 0; i < leftSize; i++) {
                order.add(i);
            }
            for (int i = 0; i < rightSize; i++) {
                order.add(wideLeft + i);
            }
            for (int i = 0; i < joined.schema().size(); i++) {
                if (!order.contains(i)) {
                    order.add(i);
                }
            }
            List<Named> columns = PlanBuilder.columns(joined.schema());
            Plan plan = new Project(joined, order.stream().map(columns::get).toList());
            return new Decorrelation(
                    plan,
                    correlations.stream()
                            .map(c -> Expressions.remap(c, order::indexOf))
                            .toList());
        }

        /** The first rows for each row outside are those with the lowest numbers among rows with its values. */
        private Decorrelation limit(Plan.Limit l) {
            if (l.input() instanceof Project p) {
                return pull(new Project(new Plan.Limit(p.input(), l.offset(), l.count()), p.outputs()));
            }
            List<SortKey> order = l.input() instanceof Plan.Sort s ? s.keys() : List.of();
            Decorrelation input = pull(l.input());
            if (!input.correlations.stream().allMatch(Decorrelation::isEquality)) {
                return withDomain(l);
            }
            List<Expression> partition =
                    input.correlations.stream().map(c -> inner(c).orElseThrow()).toList();
            return new Decorrelation(firstOfEach(input.plan, partition, order, l), input.correlations);
        }

        private static Plan firstOfEach(Plan input, List<Expression> partition, List<SortKey> order, Plan.Limit l) {
            int size = input.schema().size();
            WindowFunction number = new WindowFunction(
                    WindowFunction.Kind.ROW_NUMBER,
                    List.of(),
                    Optional.empty(),
                    0,
                    WindowFunction.Frame.ALL,
                    DataType.LONG);
            Plan numbered = new Plan.Window(input, partition, order, List.of(new NamedWindow(number, "number")));
            ColumnRef place = PlanBuilder.column(numbered.schema(), size);
            long last = l.offset() + l.count() < 0 ? Long.MAX_VALUE : l.offset() + l.count();
            Plan first = new Filter(
                    numbered,
                    Operators.and(List.of(
                            Operators.compare(">", place, new Literal(l.offset(), DataType.LONG)),
                            Operators.compare("<=", place, new Literal(last, DataType.LONG)))));
            return new Project(first, PlanBuilder.columns(numbered.schema()).subList(0, size));
        }

        private Decorrelation window(Plan.Window w) {
            Decorrelation input = pull(w.input());
            List<Expression> partition = new ArrayList<>(w.partition());
            for (Expression c : input.correlations) {
                partition.add(
                        inner(c).orElseThrow(
                                        () -> unsupported(
                                                "a window function in an inner query that refers to the rows around it by more than equalities")));
            }
            int size = w.input().schema().size();
            int wide = input.plan.schema().size();
            Plan window = new Plan.Window(input.plan, partition, w.order(), w.functions());
            List<Named> columns = PlanBuilder.columns(window.schema());
            List<Integer> order = new ArrayList<>();
            for (int i = 0; i < columns.size(); i++) {
                if (i < size || i >= wide) {
                    order.add(i);
                }
            }
            for (int i = size; i < wide; i++) {
                order.add(i);
            }
            return new Decorrelation(
                    new Project(window, order.stream().map(columns::get).toList()),
                    input.correlations.stream()
                            .map(c -> Expressions.remap(c, order::indexOf))
                            .toList());
        }

        /**
         * Joins the distinct values of the outer columns to the rows of a node, so that it reads them like its own, and
         * is computed for each of them.
         */
        private Decorrelation withDomain(Plan node) {
            TreeMap<Integer, Outer> read = new TreeMap<>();
            collect(node, read);
            List<Named> outerColumns = new ArrayList<>();
            List<Integer> places = new ArrayList<>(read.keySet());
            for (int index : places) {
                Field field = around.schema().field(index);
                outerColumns.add(new Named(PlanBuilder.column(around.schema(), index), field));
            }
            Plan domain = PlanBuilder.distinct(new Project(around, outerColumns));
            int width = outerColumns.size();
            // The columns of the domain come first in what the node reads; then they are put behind.
            Plan computed = dependent(node, domain, places);
            List<Named> columns = PlanBuilder.columns(computed.schema());
            List<Named> order = new ArrayList<>(columns.subList(width, columns.size()));
            order.addAll(columns.subList(0, width));
            Plan plan = new Project(computed, order);
            int size = columns.size() - width;
            List<Expression> correlations = new ArrayList<>();
            for (int i = 0; i < width; i++) {
                Outer outer = read.get(places.get(i));
                correlations.addAll(Subqueries.notDistinctKeys(PlanBuilder.column(plan.schema(), size + i), outer));
            }
            return new Decorrelation(plan, correlations);
        }

        /** The node over the domain and its input: columns of the domain first. */
        private Plan dependent(Plan node, Plan domain, List<Integer> places) {
            int width = places.size();
            UnaryOperator<Expression> inside = e -> Expressions.mapOuter(
                    Expressions.remap(e, i -> i + width), o -> outerInside((Outer) o, domain, places));
            if (!hasOuter(node)) {
                return PlanBuilder.join(domain, node, JoinKind.INNER, JoinMethod.AUTOMATIC, Literal.TRUE);
            }
            List<Named> domainColumns = PlanBuilder.columns(domain.schema());
            return switch (node) {
                case Filter f -> new Filter(dependent(f.input(), domain, places), inside.apply(f.condition()));
                case Project p -> {
                    List<Named> outputs = new ArrayList<>(domainColumns);
                    p.outputs().forEach(o -> outputs.add(new Named(inside.apply(o.expression()), o.field())));
                    yield new Project(dependent(p.input(), domain, places), outputs);
                }
                case Group g -> {
                    List<Named> keys = new ArrayList<>(domainColumns);
                    g.keys().forEach(k -> keys.add(new Named(inside.apply(k.expression()), k.field())));
                    yield new Group(
                            dependent(g.input(), domain, places),
                            keys,
                            g.aggregates().stream()
                                    .map(a -> new Plan.NamedAggregate(
                                            a.aggregate().map(inside), a.name()))
                                    .toList());
                }
                case Plan.Sort s -> dependent(s.input(), domain, places);
                case Plan.Limit l -> {
                    List<SortKey> order = l.input() instanceof Plan.Sort s
                            ? s.keys().stream()
                                    .map(k -> k.with(inside.apply(k.expression())))
                                    .toList()
                            : List.of();
                    List<Expression> all =
                            domainColumns.stream().map(Named::expression).toList();
                    yield firstOfEach(dependent(l.input(), domain, places), all, order, l);
                }
                default -> throw unsupported("this reference from an inner query to the rows around it");
            };
        }

        private static Expression outerInside(Outer outer, Plan domain, List<Integer> places) {
            if (outer.depth() > 1) {
                throw unsupported("a reference over two levels of inner queries with such a condition");
            }
            return PlanBuilder.column(domain.schema(), places.indexOf(outer.index()));
        }

        private static void collect(Plan node, TreeMap<Integer, Outer> into) {
            List<Expression> all = new ArrayList<>();
            switch (node) {
                case Filter f -> all.add(f.condition());
                case Project p -> p.outputs().forEach(o -> all.add(o.expression()));
                case Group g -> {
                    g.keys().forEach(k -> all.add(k.expression()));
                    g.aggregates().forEach(a -> all.addAll(a.aggregate().expressions()));
                }
                case Join j -> j.condition().ifPresent(all::add);
                default -> {
                    // nothing else is carried over a domain
                }
            }
            all.forEach(e -> collect(e, into));
            node.inputs().forEach(input -> collect(input, into));
        }

        private static void collect(Expression e, TreeMap<Integer, Outer> into) {
            if (e instanceof Outer outer) {
                if (outer.depth() > 1) {
                    throw unsupported("a reference over two levels of inner queries with such a condition");
                }
                into.put(outer.index(), outer);
            }
            e.children().forEach(child -> collect(child, into));
        }
    }
}
