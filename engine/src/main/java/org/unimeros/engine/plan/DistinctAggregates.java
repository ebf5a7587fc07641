package org.unimeros.engine.plan;

import java.util.ArrayList;
import java.util.List;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Aggregate.Kind;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.Functions;
import org.unimeros.engine.plan.Plan.Expand;
import org.unimeros.engine.plan.Plan.Group;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.Plan.NamedAggregate;
import org.unimeros.engine.plan.Plan.Project;

/**
 * Turns a grouping with distinct aggregates into two without: the inner one makes the values distinct, the outer one
 * summarises them. Where there are several sets of values, or plain aggregates beside them, each row becomes one row per
 * set, marked with the number of its set; plain aggregates are then complete after the inner grouping, in the one group
 * of their set.
 */
public final class DistinctAggregates {

    private DistinctAggregates() {}

    /** The same result without distinct aggregates. None of the aggregates collects values. */
    public static Plan expand(Group g) {
        List<Expression> sets = new ArrayList<>();
        List<NamedAggregate> plain = new ArrayList<>();
        for (NamedAggregate a : g.aggregates()) {
            if (!a.aggregate().distinct()) {
                plain.add(a);
            } else if (!sets.contains(a.aggregate().arguments().get(0))) {
                sets.add(a.aggregate().arguments().get(0));
            }
        }
        return sets.size() == 1 && plain.isEmpty() ? twice(g, sets.get(0)) : bySets(g, sets, plain);
    }

    private static Plan twice(Group g, Expression value) {
        List<Named> keys = new ArrayList<>(g.keys());
        keys.add(Named.of("each value", value));
        Group inner = new Group(g.input(), keys, List.of());
        ColumnRef reference = PlanBuilder.column(inner.schema(), g.keys().size());
        List<NamedAggregate> outer = g.aggregates().stream()
                .map(a -> new NamedAggregate(a.aggregate().ofAll().map(e -> reference), a.name()))
                .toList();
        return new Group(inner, references(g, inner), outer);
    }

    private static List<Named> references(Group g, Plan inner) {
        List<Named> keys = new ArrayList<>();
        for (int i = 0; i < g.keys().size(); i++) {
            Field field = g.keys().get(i).field();
            keys.add(new Named(PlanBuilder.column(inner.schema(), i), field));
        }
        return keys;
    }

    private static Plan bySets(Group g, List<Expression> sets, List<NamedAggregate> plain) {
        List<Expression> inputs = new ArrayList<>();
        Literal one = new Literal(1, DataType.INT);
        for (NamedAggregate a : plain) {
            Expression input = a.aggregate().argument().orElse(one);
            if (!inputs.contains(input)) {
                inputs.add(input);
            }
        }
        List<List<Named>> variants = new ArrayList<>();
        if (!plain.isEmpty()) {
            variants.add(variant(g, inputs, sets, -1));
        }
        for (int set = 0; set < sets.size(); set++) {
            variants.add(variant(g, inputs, sets, set));
        }
        Expand expanded = new Expand(g.input(), variants);
        int keys = g.keys().size();
        List<Named> innerKeys = references(g, expanded);
        for (int i = 0; i <= sets.size(); i++) {
            int column = i == 0 ? keys : keys + inputs.size() + i;
            innerKeys.add(new Named(
                    PlanBuilder.column(expanded.schema(), column),
                    expanded.schema().field(column)));
        }
        List<NamedAggregate> innerAggregates = new ArrayList<>();
        for (NamedAggregate a : plain) {
            int column = keys + 1 + inputs.indexOf(a.aggregate().argument().orElse(one));
            ColumnRef argument = PlanBuilder.column(expanded.schema(), column);
            Aggregate counted = a.aggregate().argument().isEmpty()
                    ? new Aggregate(Kind.COUNT, argument, DataType.LONG)
                    : a.aggregate().map(e -> argument);
            innerAggregates.add(new NamedAggregate(counted, a.name()));
        }
        return outer(g, new Group(expanded, innerKeys, innerAggregates), sets, plain);
    }

    /** One row per input row: keys, number of the set, inputs of plain aggregates, values of the sets. */
    private static List<Named> variant(Group g, List<Expression> inputs, List<Expression> sets, int set) {
        List<Named> outputs = new ArrayList<>(g.keys());
        outputs.add(Named.of("set", new Literal(set + 1, DataType.INT)));
        for (int i = 0; i < inputs.size(); i++) {
            outputs.add(Named.of("input " + i, set < 0 ? inputs.get(i) : nothing(inputs.get(i))));
        }
        for (int i = 0; i < sets.size(); i++) {
            outputs.add(Named.of("each value " + i, set == i ? sets.get(i) : nothing(sets.get(i))));
        }
        return outputs;
    }

    private static Literal nothing(Expression like) {
        return new Literal(null, like.type());
    }

    private static Plan outer(Group g, Group inner, List<Expression> sets, List<NamedAggregate> plain) {
        int keys = g.keys().size();
        List<NamedAggregate> aggregates = new ArrayList<>();
        for (NamedAggregate a : g.aggregates()) {
            Aggregate aggregate = a.aggregate();
            if (aggregate.distinct()) {
                ColumnRef value = PlanBuilder.column(
                        inner.schema(),
                        keys + 1 + sets.indexOf(aggregate.arguments().get(0)));
                aggregates.add(new NamedAggregate(aggregate.ofAll().map(e -> value), a.name()));
            } else {
                ColumnRef whole = PlanBuilder.column(inner.schema(), keys + 1 + sets.size() + plain.indexOf(a));
                aggregates.add(new NamedAggregate(new Aggregate(Kind.MAX, whole, whole.type()), a.name()));
            }
        }
        Group group = new Group(inner, references(g, inner), aggregates);
        List<Named> outputs =
                new ArrayList<>(PlanBuilder.columns(group.schema()).subList(0, keys));
        for (int i = 0; i < g.aggregates().size(); i++) {
            Expression value = PlanBuilder.column(group.schema(), keys + i);
            boolean count = g.aggregates().get(i).aggregate().kind() == Kind.COUNT;
            // Without any row, a count is 0 and not null.
            Expression result =
                    count ? Functions.call("coalesce", List.of(value, new Literal(0L, DataType.LONG))) : value;
            outputs.add(new Named(result, g.schema().field(keys + i)));
        }
        return new Project(group, outputs);
    }
}
