package org.unimeros.engine.plan;

import java.util.ArrayList;
import java.util.BitSet;
import java.util.List;
import java.util.Optional;
import java.util.function.Predicate;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.Expression.Not;
import org.unimeros.engine.expr.Expression.Or;
import org.unimeros.engine.expr.Expressions;
import org.unimeros.engine.expr.Operators;
import org.unimeros.engine.plan.Plan.Apply;
import org.unimeros.engine.plan.Plan.Expand;
import org.unimeros.engine.plan.Plan.Filter;
import org.unimeros.engine.plan.Plan.Group;
import org.unimeros.engine.plan.Plan.Inline;
import org.unimeros.engine.plan.Plan.Join;
import org.unimeros.engine.plan.Plan.JoinKind;
import org.unimeros.engine.plan.Plan.Limit;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.Plan.Project;
import org.unimeros.engine.plan.Plan.Reduce;
import org.unimeros.engine.plan.Plan.Scan;
import org.unimeros.engine.plan.Plan.Sort;
import org.unimeros.engine.plan.Plan.Union;
import org.unimeros.engine.plan.Plan.Unnest;
import org.unimeros.engine.plan.Plan.Window;

/**
 * Moves conditions towards the scans. Conditions keep their order, so that one that guards another against failing
 * still does.
 */
final class FilterPushdown {

    private FilterPushdown() {}

    static Plan apply(Plan plan) {
        return push(plan, List.of());
    }

    /** The plan with the given conditions, over its schema, applied as deep as possible. */
    private static Plan push(Plan plan, List<Expression> pending) {
        return switch (plan) {
            case Filter f -> push(f.input(), joined(Operators.conjuncts(f.condition()), pending));
            case Scan s -> new Scan(s.source(), s.columns(), s.schema(), joined(s.conditions(), pending));
            case Inline i -> filtered(i, pending);
            case Project p -> throughProject(p, pending);
            case Join j -> j.kind() == JoinKind.MARK ? throughMark(j, pending) : throughJoin(j, pending);
            case Group g -> throughGroup(g, pending);
            case Sort s -> new Sort(push(s.input(), pending), s.keys());
            case Limit l -> filtered(new Limit(push(l.input(), List.of()), l.offset(), l.count()), pending);
            case Expand e -> filtered(new Expand(push(e.input(), List.of()), e.variants()), pending);
            case Unnest u -> throughUnnest(u, pending);
            case Window w -> throughWindow(w, pending);
            case Apply a -> filtered(a.over(push(a.input(), List.of())), pending);
            case Reduce r -> filtered(r.over(push(r.input(), List.of())), pending);
            case Union u ->
                new Union(u.inputs().stream().map(input -> push(input, pending)).toList());
        };
    }

    private static Plan throughProject(Project p, List<Expression> pending) {
        List<Expression> makers = p.outputs().stream().map(Named::expression).toList();
        Predicate<Expression> movable = e ->
                Expressions.columns(e).stream().noneMatch(i -> makers.get(i).canFail());
        List<Expression> down = pending.stream()
                .filter(movable)
                .map(e -> Expressions.substitute(e, makers))
                .toList();
        Plan moved = new Project(push(p.input(), down), p.outputs());
        return filtered(moved, pending.stream().filter(movable.negate()).toList());
    }

    /** A mark that only rows with, or without, are kept for is as good as a join that keeps just these. */
    private static Plan throughMark(Join j, List<Expression> pending) {
        int mark = j.left().schema().size();
        Expression with = PlanBuilder.column(j.schema(), mark);
        boolean wanted = pending.contains(with);
        if (!wanted && !pending.contains(new Not(with))) {
            return throughJoin(j, pending);
        }
        List<Named> outputs = new ArrayList<>(PlanBuilder.columns(j.left().schema()));
        outputs.add(new Named(wanted ? Literal.TRUE : Literal.FALSE, j.schema().field(mark)));
        Join only = new Join(
                j.left(),
                j.right(),
                wanted ? JoinKind.SEMI : JoinKind.ANTI,
                j.method(),
                j.leftKeys(),
                j.rightKeys(),
                j.condition());
        List<Expression> rest = pending.stream()
                .filter(e -> !e.equals(wanted ? with : new Not(with)))
                .toList();
        return push(new Project(only, outputs), rest);
    }

    private static Plan throughJoin(Join j, List<Expression> pending) {
        int leftSize = j.left().schema().size();
        List<Expression> left = new ArrayList<>();
        List<Expression> right = new ArrayList<>();
        List<Expression> both = new ArrayList<>();
        List<Expression> above = new ArrayList<>();
        for (Expression e : pending) {
            Side side = side(e, leftSize);
            if (side == Side.LEFT && j.kind() != JoinKind.FULL) {
                left.add(e);
            } else if (j.kind() == JoinKind.INNER && side == Side.RIGHT) {
                right.add(e);
            } else if (j.kind() == JoinKind.INNER) {
                both.add(e);
                implied(e, Side.LEFT, leftSize).ifPresent(left::add);
                implied(e, Side.RIGHT, leftSize).ifPresent(right::add);
            } else {
                above.add(e);
            }
        }
        boolean leftFilters = j.kind() == JoinKind.INNER || j.kind() == JoinKind.SEMI;
        for (Expression e : j.condition().map(Operators::conjuncts).orElse(List.of())) {
            if (e.equals(Literal.TRUE)) {
                continue;
            }
            Side side = side(e, leftSize);
            if (side == Side.RIGHT && j.kind() != JoinKind.FULL) {
                right.add(e);
            } else if (side == Side.LEFT && leftFilters) {
                left.add(e);
            } else {
                both.add(e);
            }
        }
        List<Expression> shifted =
                right.stream().map(e -> Expressions.remap(e, i -> i - leftSize)).toList();
        List<Expression> leftKeys = new ArrayList<>(j.leftKeys());
        List<Expression> rightKeys = new ArrayList<>(j.rightKeys());
        both.removeIf(e -> PlanBuilder.addKey(e, leftSize, leftKeys, rightKeys));
        Optional<Expression> rest = both.isEmpty() ? Optional.empty() : Optional.of(Operators.and(both));
        Plan moved = new Join(
                push(j.left(), left), push(j.right(), shifted), j.kind(), j.method(), leftKeys, rightKeys, rest);
        return filtered(moved, above);
    }

    /**
     * What a condition over both sides says of one alone: where it is an {@code or} and each of its branches has a part that
     * looks at that side only, one of these parts must hold.
     */
    private static Optional<Expression> implied(Expression condition, Side wanted, int leftSize) {
        if (!(condition instanceof Or or)) {
            return Optional.empty();
        }
        List<Expression> branches = new ArrayList<>();
        for (Expression branch : or.operands()) {
            List<Expression> parts = Operators.conjuncts(branch).stream()
                    .filter(e -> !e.canFail() && side(e, leftSize) == wanted)
                    .toList();
            if (parts.isEmpty()) {
                return Optional.empty();
            }
            branches.add(Operators.and(parts));
        }
        return Optional.of(Operators.or(branches));
    }

    private enum Side {
        LEFT,
        RIGHT,
        BOTH
    }

    private static Side side(Expression e, int leftSize) {
        BitSet columns = Expressions.columns(e);
        if (columns.length() <= leftSize) {
            return Side.LEFT;
        }
        return columns.nextSetBit(0) >= leftSize ? Side.RIGHT : Side.BOTH;
    }

    private static Plan throughGroup(Group g, List<Expression> pending) {
        int keys = g.keys().size();
        List<Expression> makers = g.keys().stream().map(Named::expression).toList();
        Predicate<Expression> movable = e -> keys > 0 && Expressions.columns(e).length() <= keys;
        List<Expression> down = pending.stream()
                .filter(movable)
                .map(e -> Expressions.substitute(e, makers))
                .toList();
        Plan moved = new Group(push(g.input(), down), g.keys(), g.aggregates());
        return filtered(moved, pending.stream().filter(movable.negate()).toList());
    }

    /** A condition on columns that are equal in a whole partition leaves out whole partitions. */
    private static Plan throughWindow(Window w, List<Expression> pending) {
        BitSet partition = new BitSet();
        for (Expression e : w.partition()) {
            if (e instanceof ColumnRef column) {
                partition.set(column.index());
            }
        }
        Predicate<Expression> movable = e -> {
            BitSet read = Expressions.columns(e);
            read.andNot(partition);
            return read.isEmpty() && !partition.isEmpty();
        };
        List<Expression> down = pending.stream().filter(movable).toList();
        Plan moved = new Window(push(w.input(), down), w.partition(), w.order(), w.functions());
        return filtered(moved, pending.stream().filter(movable.negate()).toList());
    }

    /** A condition on columns of the input holds for all elements of a row or for none. */
    private static Plan throughUnnest(Unnest u, List<Expression> pending) {
        int size = u.input().schema().size();
        Predicate<Expression> movable = e -> Expressions.columns(e).length() <= size;
        Plan input = push(u.input(), pending.stream().filter(movable).toList());
        Plan moved = new Unnest(input, u.list(), u.elements(), u.position(), u.keepsEmpty());
        return filtered(moved, pending.stream().filter(movable.negate()).toList());
    }

    private static Plan filtered(Plan plan, List<Expression> conditions) {
        return conditions.isEmpty() ? plan : new Filter(plan, Operators.and(conditions));
    }

    private static List<Expression> joined(List<Expression> first, List<Expression> second) {
        List<Expression> all = new ArrayList<>(first);
        all.addAll(second);
        return all;
    }
}
