package org.unimeros.engine.plan;

import java.util.ArrayList;
import java.util.List;
import java.util.function.Function;
import java.util.function.Predicate;
import java.util.function.UnaryOperator;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.SortKey;
import org.unimeros.engine.plan.Plan.Apply;
import org.unimeros.engine.plan.Plan.Expand;
import org.unimeros.engine.plan.Plan.Filter;
import org.unimeros.engine.plan.Plan.Group;
import org.unimeros.engine.plan.Plan.Inline;
import org.unimeros.engine.plan.Plan.Join;
import org.unimeros.engine.plan.Plan.Limit;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.Plan.NamedAggregate;
import org.unimeros.engine.plan.Plan.NamedWindow;
import org.unimeros.engine.plan.Plan.Project;
import org.unimeros.engine.plan.Plan.Reduce;
import org.unimeros.engine.plan.Plan.Scan;
import org.unimeros.engine.plan.Plan.Sort;
import org.unimeros.engine.plan.Plan.Union;
import org.unimeros.engine.plan.Plan.Unnest;
import org.unimeros.engine.plan.Plan.Window;

/** The expressions in a plan, whatever node they stand in. */
public final class PlanExpressions {

    private PlanExpressions() {}

    /** The expressions of a node itself, without those of its inputs. */
    public static List<Expression> of(Plan node) {
        List<Expression> all = new ArrayList<>();
        // The change is the identity: what it is asked for is what the node has.
        changed(node, node.inputs(), e -> {
            all.add(e);
            return e;
        });
        return all;
    }

    /** Whether some expression of a plan, inputs included, is as asked for. */
    public static boolean any(Plan plan, Predicate<Expression> asked) {
        return of(plan).stream().anyMatch(asked) || plan.inputs().stream().anyMatch(input -> any(input, asked));
    }

    /** The same plan with every scan changed, which must keep its columns. */
    public static Plan mapScans(Plan plan, Function<Scan, Plan> change) {
        if (plan instanceof Scan scan) {
            return change.apply(scan);
        }
        List<Plan> inputs =
                plan.inputs().stream().map(input -> mapScans(input, change)).toList();
        return inputs.equals(plan.inputs()) ? plan : changed(plan, inputs, e -> e);
    }

    /** The same plan with every expression changed; a change must keep the type. */
    public static Plan map(Plan plan, UnaryOperator<Expression> change) {
        List<Plan> inputs =
                plan.inputs().stream().map(input -> map(input, change)).toList();
        return changed(plan, inputs, change);
    }

    /** The same node over other inputs and with other expressions. */
    private static Plan changed(Plan node, List<Plan> inputs, UnaryOperator<Expression> change) {
        return switch (node) {
            case Scan s ->
                new Scan(
                        s.source(),
                        s.columns(),
                        s.schema(),
                        s.conditions().stream().map(change).toList());
            case Inline i -> i;
            case Filter f -> new Filter(inputs.get(0), change.apply(f.condition()));
            case Project p -> new Project(inputs.get(0), named(p.outputs(), change));
            case Join j ->
                new Join(
                        inputs.get(0),
                        inputs.get(1),
                        j.kind(),
                        j.method(),
                        j.leftKeys().stream().map(change).toList(),
                        j.rightKeys().stream().map(change).toList(),
                        j.condition().map(change));
            case Group g ->
                new Group(
                        inputs.get(0),
                        named(g.keys(), change),
                        g.aggregates().stream()
                                .map(a -> new NamedAggregate(a.aggregate().map(change), a.name()))
                                .toList());
            case Sort s -> new Sort(inputs.get(0), keys(s.keys(), change));
            case Limit l -> new Limit(inputs.get(0), l.offset(), l.count());
            case Expand e ->
                new Expand(
                        inputs.get(0),
                        e.variants().stream().map(v -> named(v, change)).toList());
            case Unnest u ->
                new Unnest(inputs.get(0), change.apply(u.list()), u.elements(), u.position(), u.keepsEmpty());
            case Window w ->
                new Window(
                        inputs.get(0),
                        w.partition().stream().map(change).toList(),
                        keys(w.order(), change),
                        w.functions().stream()
                                .map(f -> new NamedWindow(f.function().map(change), f.name()))
                                .toList());
            case Apply a -> a.over(inputs.get(0));
            case Reduce r ->
                new Reduce(
                        inputs.get(0),
                        r.reducers(),
                        r.division(),
                        keys(r.order(), change),
                        r.keys(),
                        r.combiner(),
                        r.code(),
                        r.schema());
            case Union u -> new Union(inputs);
        };
    }

    private static List<Named> named(List<Named> outputs, UnaryOperator<Expression> change) {
        return outputs.stream()
                .map(o -> new Named(change.apply(o.expression()), o.field()))
                .toList();
    }

    private static List<SortKey> keys(List<SortKey> keys, UnaryOperator<Expression> change) {
        return keys.stream().map(k -> k.with(change.apply(k.expression()))).toList();
    }
}
