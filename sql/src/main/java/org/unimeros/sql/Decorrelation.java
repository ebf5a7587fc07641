package org.unimeros.sql;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.TreeMap;
import java.util.TreeSet;
import java.util.function.IntUnaryOperator;
import java.util.stream.IntStream;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.Call;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.Expression.Outer;
import org.unimeros.engine.expr.Expressions;
import org.unimeros.engine.expr.Operators;
import org.unimeros.engine.expr.SortKey;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Plan.Filter;
import org.unimeros.engine.plan.Plan.Group;
import org.unimeros.engine.plan.Plan.Join;
import org.unimeros.engine.plan.Plan.JoinKind;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.Plan.Project;
import org.unimeros.engine.plan.PlanBuilder;
import org.unimeros.engine.plan.PlanExpressions;

/**
 * A query that reads columns of the rows around it, turned into a plan that does not, and the conditions that connect
 * the two.
 *
 * <p>Conditions on outer columns are pulled up through the plan; the columns they compare are kept as additional ones
 * behind those of the query. Past a grouping they become keys of it, which needs equalities. Whatever cannot be pulled up
 * is computed once for each of the distinct values of the outer columns ({@link DependentPlan}), which is right for every
 * plan, and the rows found by these values.
 *
 * <p>A column of the next query outside has the depth 0 here, and one of a query further outside the depth that it has as
 * seen from the rows around, so that it can stay where it is: it is resolved when those rows are decorrelated themselves.
 *
 * @param plan the columns of the query, then the additional ones
 * @param correlations conditions over these columns and those of the rows around, which have the depth 0
 * @param whenEmpty the only row of the query where the plan has none, which may read the rows around; empty where the plan has
 *     all rows
 */
record Decorrelation(Plan plan, List<Expression> correlations, Optional<List<Expression>> whenEmpty) {

    /** Decorrelates a query from the rows of a plan; what is found by the correlations are all of its rows. */
    static Decorrelation of(Plan query, Plan around) {
        return new Puller(around, null).pull(lowered(query));
    }

    /**
     * The same for a query that gives at most one row: its correlations are equalities, and an aggregate over everything
     * need not have a row where there is nothing to summarise ({@link #whenEmpty}).
     */
    static Decorrelation ofOneRow(Plan query, Plan around) {
        Plan lowered = lowered(query);
        Optional<EmptyGroup> empty = EmptyGroup.of(lowered);
        Puller puller = new Puller(around, empty.map(EmptyGroup::group).orElse(null));
        Decorrelation pulled = puller.pull(lowered);
        boolean equalities = pulled.correlations.stream().allMatch(Decorrelation::isEquality);
        Decorrelation found = equalities ? pulled : puller.withDomain(lowered);
        return new Decorrelation(found.plan, found.correlations, empty.map(EmptyGroup::values));
    }

    private Decorrelation(Plan plan, List<Expression> correlations) {
        this(plan, correlations, Optional.empty());
    }

    private static Plan lowered(Plan query) {
        return PlanExpressions.map(query, e -> Expressions.mapOuter(e, o -> ((Outer) o).deeper(-1)));
    }

    /** Whether an expression reads a column of the rows around. */
    static boolean readsAround(Expression e) {
        return e instanceof Outer outer
                ? outer.depth() == 0
                : e.children().stream().anyMatch(Decorrelation::readsAround);
    }

    /** Whether some expression of a plan does. */
    static boolean readsAround(Plan plan) {
        return PlanExpressions.any(plan, Decorrelation::readsAround);
    }

    /** Whether a correlation is an equality of something inside and something outside. */
    private static boolean isEquality(Expression correlation) {
        return inner(correlation).isPresent();
    }

    /** The inner side of an equality with something outside. */
    private static Optional<Expression> inner(Expression correlation) {
        if (!(correlation instanceof Call call) || !call.function().name().equals("=")) {
            return Optional.empty();
        }
        Expression a = call.args().get(0);
        Expression b = call.args().get(1);
        if (!readsAround(a) && isOutside(b)) {
            return Optional.of(a);
        }
        return !readsAround(b) && isOutside(a) ? Optional.of(b) : Optional.empty();
    }

    private static boolean isOutside(Expression e) {
        return readsAround(e) && Expressions.columns(e).isEmpty();
    }

    /**
     * Carries the conditions up, node by node.
     *
     * @param around the rows that the query is evaluated for
     * @param unpadded a grouping of which nothing is missed where it has no row; null for none
     */
    private record Puller(Plan around, Group unpadded) {

        Decorrelation pull(Plan plan) {
            if (!readsAround(plan)) {
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
                default -> withDomain(plan);
            };
        }

        private Decorrelation filter(Filter f) {
            Decorrelation input = pull(f.input());
            List<Expression> stay = new ArrayList<>();
            List<Expression> rise = new ArrayList<>(input.correlations);
            for (Expression e : Operators.conjuncts(f.condition())) {
                (readsAround(e) ? rise : stay).add(e);
            }
            Plan plan = stay.isEmpty() ? input.plan : new Filter(input.plan, Operators.and(stay));
            return new Decorrelation(plan, rise);
        }

        private Decorrelation project(Project p) {
            if (p.outputs().stream().map(Named::expression).anyMatch(Decorrelation::readsAround)) {
                return withDomain(p);
            }
            Decorrelation input = pull(p.input());
            List<Named> outputs = new ArrayList<>(p.outputs());
            List<Expression> correlations = exposed(input, outputs);
            return new Decorrelation(new Project(input.plan, outputs), correlations);
        }

        /** Adds the columns that correlations read to the outputs, and makes the correlations read them there. */
        private static List<Expression> exposed(Decorrelation input, List<Named> outputs) {
            TreeMap<Integer, Integer> places = new TreeMap<>();
            input.correlations.forEach(
                    c -> Expressions.columns(c).stream().forEach(column -> places.putIfAbsent(column, 0)));
            places.replaceAll((column, none) -> {
                outputs.add(new Named(
                        PlanBuilder.column(input.plan.schema(), column),
                        input.plan.schema().field(column)));
                return outputs.size() - 1;
            });
            return remapped(input.correlations, places::get);
        }

        private static List<Expression> remapped(List<Expression> correlations, IntUnaryOperator position) {
            return correlations.stream()
                    .map(c -> Expressions.remap(c, position))
                    .toList();
        }

        private Decorrelation group(Group g) {
            boolean ownReads = PlanExpressions.of(g).stream().anyMatch(Decorrelation::readsAround);
            // A grouping without keys has a row also for rows outside that match nothing.
            if (ownReads || g.keys().isEmpty() && g != unpadded) {
                return withDomain(g);
            }
            Decorrelation input = pull(g.input());
            List<Named> keys = new ArrayList<>(g.keys());
            if (!input.correlations.stream().allMatch(Decorrelation::isEquality)) {
                return withDomain(g);
            }
            List<Expression> correlations = new ArrayList<>();
            // Equalities fix what they compare for each row outside, so that each group stays one there.
            int aggregates = g.aggregates().size();
            for (Expression c : input.correlations) {
                Expression inside = inner(c).orElseThrow();
                Named key = Named.of("correlated " + keys.size(), inside);
                ColumnRef place =
                        new ColumnRef(keys.size() + aggregates, key.field().name(), inside.type());
                keys.add(key);
                correlations.add(replaced(c, inside, place));
            }
            Group keyed = new Group(input.plan, keys, g.aggregates());
            return new Decorrelation(keysLast(keyed, g.keys().size()), correlations);
        }

        private static Expression replaced(Expression equality, Expression inside, Expression by) {
            return equality.mapChildren(e -> e.equals(inside) && !readsAround(e) ? by : e);
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
            boolean ofRight = readsAround(j.right());
            boolean ofCondition =
                    j.condition().filter(Decorrelation::readsAround).isPresent();
            if (j.kind() != JoinKind.INNER && (ofRight || ofCondition || j.kind() == JoinKind.FULL)) {
                return withDomain(j);
            }
            Decorrelation left = pull(j.left());
            Decorrelation right = pull(j.right());
            int leftSize = j.left().schema().size();
            int wideLeft = left.plan.schema().size();
            IntUnaryOperator wider = i -> i < leftSize ? i : i - leftSize + wideLeft;
            List<Expression> stay = new ArrayList<>();
            List<Expression> rise = new ArrayList<>();
            for (Expression e : j.condition().map(Operators::conjuncts).orElse(List.of())) {
                (readsAround(e) ? rise : stay).add(Expressions.remap(e, wider));
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
            rise.addAll(remapped(right.correlations, i -> i + wideLeft));
            int own = j.schema().size();
            return ownFirst(
                    joined, rise, IntStream.range(0, own).map(wider).boxed().toList());
        }

        /** Puts the columns that a node has by itself first, the additional ones behind them. */
        private static Decorrelation ownFirst(Plan wide, List<Expression> correlations, List<Integer> own) {
            TreeSet<Integer> others = new TreeSet<>(
                    IntStream.range(0, wide.schema().size()).boxed().toList());
            own.forEach(others::remove);
            List<Integer> order = new ArrayList<>(own);
            order.addAll(others);
            List<Named> columns = PlanBuilder.columns(wide.schema());
            Plan plan = new Project(wide, order.stream().map(columns::get).toList());
            return new Decorrelation(plan, remapped(correlations, order::indexOf));
        }

        /** The first rows for each row outside are those with the lowest numbers among rows with its values. */
        private Decorrelation limit(Plan.Limit l) {
            if (l.input() instanceof Project p) {
                return pull(new Project(new Plan.Limit(p.input(), l.offset(), l.count()), p.outputs()));
            }
            List<SortKey> order = l.input() instanceof Plan.Sort s ? s.keys() : List.of();
            Decorrelation input = pull(l.input());
            boolean equalities = input.correlations.stream().allMatch(Decorrelation::isEquality);
            if (!equalities || order.stream().map(SortKey::expression).anyMatch(Decorrelation::readsAround)) {
                return withDomain(l);
            }
            List<Expression> partition =
                    input.correlations.stream().map(c -> inner(c).orElseThrow()).toList();
            return new Decorrelation(DependentPlan.firstOfEach(input.plan, partition, order, l), input.correlations);
        }

        private Decorrelation window(Plan.Window w) {
            Decorrelation input = pull(w.input());
            boolean equalities = input.correlations.stream().allMatch(Decorrelation::isEquality);
            if (!equalities || PlanExpressions.of(w).stream().anyMatch(Decorrelation::readsAround)) {
                return withDomain(w);
            }
            List<Expression> partition = new ArrayList<>(w.partition());
            input.correlations.forEach(c -> partition.add(inner(c).orElseThrow()));
            int size = w.input().schema().size();
            int added = input.plan.schema().size() - size;
            Plan window = new Plan.Window(input.plan, partition, w.order(), w.functions());
            List<Integer> own = IntStream.range(0, w.schema().size())
                    .map(i -> i < size ? i : i + added)
                    .boxed()
                    .toList();
            return ownFirst(window, input.correlations, own);
        }

        /** Computes a node for each of the distinct values of the outer columns that it reads. */
        Decorrelation withDomain(Plan node) {
            TreeMap<Integer, Outer> read = new TreeMap<>();
            PlanExpressions.any(node, e -> {
                collect(e, read);
                return false;
            });
            List<Integer> places = List.copyOf(read.keySet());
            Plan domain = DomainSource.distinct(around, places);
            Plan computed = new DependentPlan(domain, places, unpadded).of(node);
            int width = places.size();
            int size = node.schema().size();
            // The values come first in what is computed for them; then they are put behind.
            Decorrelation behind = ownFirst(
                    computed,
                    List.of(),
                    IntStream.range(width, width + size).boxed().toList());
            List<Expression> correlations = new ArrayList<>();
            for (int i = 0; i < width; i++) {
                Expression value = PlanBuilder.column(behind.plan.schema(), size + i);
                correlations.addAll(Subqueries.notDistinctKeys(value, read.get(places.get(i))));
            }
            return new Decorrelation(behind.plan, correlations);
        }

        private static void collect(Expression e, TreeMap<Integer, Outer> into) {
            if (e instanceof Outer outer && outer.depth() == 0) {
                into.put(outer.index(), outer);
            }
            e.children().forEach(child -> collect(child, into));
        }
    }

    /** A correlation as a condition on rows of the plan around, whose columns come first, and of this plan. */
    static Expression joined(Expression correlation, int leftSize) {
        Expression shifted = Expressions.remap(correlation, i -> i + leftSize);
        return Expressions.mapOuter(shifted, e -> {
            Outer outer = (Outer) e;
            return outer.depth() == 0 ? new ColumnRef(outer.index(), outer.name(), outer.type()) : outer;
        });
    }

    /** All correlations as one condition, which is always true when there are none. */
    Expression condition(int leftSize, List<Expression> more) {
        List<Expression> all = new ArrayList<>();
        correlations.forEach(c -> all.add(joined(c, leftSize)));
        all.addAll(more);
        return all.isEmpty() ? Literal.TRUE : Operators.and(all);
    }
}
