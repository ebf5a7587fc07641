package org.unimeros.engine.plan;

import org.unimeros.engine.expr.Expressions;
import org.unimeros.engine.plan.Plan.Apply;
import org.unimeros.engine.plan.Plan.Expand;
import org.unimeros.engine.plan.Plan.Filter;
import org.unimeros.engine.plan.Plan.Group;
import org.unimeros.engine.plan.Plan.Inline;
import org.unimeros.engine.plan.Plan.Join;
import org.unimeros.engine.plan.Plan.Limit;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.Plan.Project;
import org.unimeros.engine.plan.Plan.Reduce;
import org.unimeros.engine.plan.Plan.Scan;
import org.unimeros.engine.plan.Plan.Sort;
import org.unimeros.engine.plan.Plan.Union;
import org.unimeros.engine.plan.Plan.Unnest;
import org.unimeros.engine.plan.Plan.Window;

/** Computes what does not depend on any row once, before the run. */
final class FoldConstants {

    private FoldConstants() {}

    static Plan apply(Plan plan) {
        return switch (plan) {
            case Scan s -> s;
            case Inline i -> i;
            case Filter f -> new Filter(apply(f.input()), Expressions.fold(f.condition()));
            case Project p ->
                new Project(
                        apply(p.input()),
                        p.outputs().stream()
                                .map(o -> new Named(Expressions.fold(o.expression()), o.field()))
                                .toList());
            case Join j ->
                new Join(
                        apply(j.left()),
                        apply(j.right()),
                        j.kind(),
                        j.method(),
                        j.leftKeys(),
                        j.rightKeys(),
                        j.condition().map(Expressions::fold));
            case Group g -> new Group(apply(g.input()), g.keys(), g.aggregates());
            case Sort s -> new Sort(apply(s.input()), s.keys());
            case Limit l -> new Limit(apply(l.input()), l.offset(), l.count());
            case Expand e -> new Expand(apply(e.input()), e.variants());
            case Unnest u ->
                new Unnest(apply(u.input()), Expressions.fold(u.list()), u.elements(), u.position(), u.keepsEmpty());
            case Window w -> new Window(apply(w.input()), w.partition(), w.order(), w.functions());
            case Apply a -> a.over(apply(a.input()));
            case Reduce r -> r.over(apply(r.input()));
            case Union u ->
                new Union(u.inputs().stream().map(FoldConstants::apply).toList());
        };
    }
}
