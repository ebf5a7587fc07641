package org.unimeros.sql;

import java.util.Arrays;
import java.util.BitSet;
import java.util.List;
import java.util.stream.IntStream;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.Expressions;
import org.unimeros.engine.expr.Operators;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Plan.Filter;
import org.unimeros.engine.plan.Plan.Join;
import org.unimeros.engine.plan.Plan.JoinKind;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.Plan.Project;
import org.unimeros.engine.plan.PlanBuilder;

/**
 * A plan that has at least the values which some columns of another plan have, and does less. What an inner query is computed for may be
 * more than what is asked for; with all of the plan around, each inner query would repeat those before it, and a statement with
 * several of them would grow twofold with each.
 *
 * @param plan has those columns, and others
 * @param places where it has each column of the other plan, or -1
 */
record DomainSource(Plan plan, int[] places) {

    /** The distinct values that some columns have together, and maybe others; the columns in their order. */
    static Plan distinct(Plan around, List<Integer> columns) {
        BitSet needed = new BitSet();
        columns.forEach(needed::set);
        DomainSource source = of(around, needed);
        List<Named> values = columns.stream()
                .map(i -> new Named(
                        PlanBuilder.column(source.plan.schema(), source.places[i]),
                        around.schema().field(i)))
                .toList();
        return PlanBuilder.distinct(new Project(source.plan, values));
    }

    private static DomainSource of(Plan plan, BitSet needed) {
        return switch (plan) {
            case Filter f -> filter(f, needed);
            case Project p -> project(p, needed);
            case Join j -> join(j, needed);
            case Plan.Sort s -> of(s.input(), needed);
            case Plan.Window w ->
                needed.length() <= w.input().schema().size() ? part(w, of(w.input(), needed), 0) : whole(w);
            default -> whole(plan);
        };
    }

    private static DomainSource whole(Plan plan) {
        return new DomainSource(plan, IntStream.range(0, plan.schema().size()).toArray());
    }

    /** What an input of a node is made of; the columns of the input begin at a place among those of the node. */
    private static DomainSource part(Plan node, DomainSource input, int start) {
        int[] places = new int[node.schema().size()];
        Arrays.fill(places, -1);
        System.arraycopy(input.places, 0, places, start, input.places.length);
        return new DomainSource(input.plan, places);
    }

    /** Conditions are kept as far as what they read is still there. */
    private static DomainSource filter(Filter f, BitSet needed) {
        DomainSource input = of(f.input(), needed);
        List<Expression> kept = Operators.conjuncts(f.condition()).stream()
                .filter(c -> Expressions.columns(c).stream().allMatch(i -> input.places[i] >= 0))
                .map(c -> Expressions.remap(c, i -> input.places[i]))
                .toList();
        return kept.isEmpty() ? input : new DomainSource(new Filter(input.plan, Operators.and(kept)), input.places);
    }

    private static DomainSource project(Project p, BitSet needed) {
        BitSet read = new BitSet();
        for (int i = needed.nextSetBit(0); i >= 0; i = needed.nextSetBit(i + 1)) {
            if (!(p.outputs().get(i).expression() instanceof ColumnRef ref)) {
                return whole(p);
            }
            read.set(ref.index());
        }
        DomainSource input = of(p.input(), read);
        int[] places = p.outputs().stream()
                .mapToInt(o -> o.expression() instanceof ColumnRef ref ? input.places[ref.index()] : -1)
                .toArray();
        return new DomainSource(input.plan, places);
    }

    private static DomainSource join(Join j, BitSet needed) {
        int leftSize = j.left().schema().size();
        if (needed.length() <= leftSize && j.kind() != JoinKind.FULL) {
            return part(j, of(j.left(), needed), 0);
        }
        if (j.kind() == JoinKind.INNER && needed.nextSetBit(0) >= leftSize) {
            return part(j, of(j.right(), needed.get(leftSize, needed.length())), leftSize);
        }
        return whole(j);
    }
}
