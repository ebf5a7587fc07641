package org.unimeros.sql;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.Case;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.Expression.IsNull;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.Expression.Outer;
import org.unimeros.engine.expr.Expressions;
import org.unimeros.engine.expr.Functions;
import org.unimeros.engine.expr.Operators;
import org.unimeros.engine.expr.SortKey;
import org.unimeros.engine.expr.Types;
import org.unimeros.engine.expr.WindowFunction;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Plan.Expand;
import org.unimeros.engine.plan.Plan.Filter;
import org.unimeros.engine.plan.Plan.Group;
import org.unimeros.engine.plan.Plan.Inline;
import org.unimeros.engine.plan.Plan.Join;
import org.unimeros.engine.plan.Plan.JoinKind;
import org.unimeros.engine.plan.Plan.JoinMethod;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.Plan.NamedAggregate;
import org.unimeros.engine.plan.Plan.NamedWindow;
import org.unimeros.engine.plan.Plan.Project;
import org.unimeros.engine.plan.Plan.Union;
import org.unimeros.engine.plan.Plan.Unnest;
import org.unimeros.engine.plan.Plan.Window;
import org.unimeros.engine.plan.PlanBuilder;

/**
 * A plan computed once for each row of a domain, which has the distinct values of the outer columns that the plan reads, as in T.
 * Neumann and A. Kemper, "Unnesting arbitrary queries", 2015. The columns of the domain come first in every plan made here, and each
 * node keeps the rows of different values apart.
 *
 * @param domain distinct rows
 * @param places the position of the outer column for each column of the domain
 * @param unpadded a grouping without keys of which nothing is missed where it has no row; null for none
 */
record DependentPlan(Plan domain, List<Integer> places, Group unpadded) {

    private int width() {
        return places.size();
    }

    /** The plan for all rows of the domain: the columns of the domain, then those of the plan. */
    Plan of(Plan node) {
        if (!Decorrelation.readsAround(node)) {
            return PlanBuilder.join(domain, node, JoinKind.INNER, JoinMethod.AUTOMATIC, Literal.TRUE);
        }
        return switch (node) {
            case Filter f -> new Filter(of(f.input()), inside(f.condition()));
            case Project p -> new Project(of(p.input()), withDomain(p.outputs()));
            case Group g -> group(g);
            case Join j -> join(j);
            case Plan.Sort s -> of(s.input());
            case Plan.Limit l -> limit(l);
            case Window w -> window(w);
            case Union u -> new Union(u.inputs().stream().map(this::of).toList());
            case Unnest u -> new Unnest(of(u.input()), inside(u.list()), u.elements(), u.position(), u.keepsEmpty());
            case Expand e ->
                new Expand(
                        of(e.input()),
                        e.variants().stream().map(this::withDomain).toList());
            case Plan.Scan s -> throw unexpected(s);
            case Inline i -> throw unexpected(i);
            case Plan.Apply a -> throw unexpected(a);
            case Plan.Reduce r -> throw unexpected(r);
        };
    }

    private static IllegalStateException unexpected(Plan plan) {
        return new IllegalStateException("no node of SQL that reads outer columns: " + plan.describe());
    }

    /** An expression over the node with the columns of the domain before its own. */
    private Expression inside(Expression e) {
        int width = width();
        return Expressions.mapOuter(Expressions.remap(e, i -> i + width), o -> {
            Outer outer = (Outer) o;
            return outer.depth() == 0 ? PlanBuilder.column(domain.schema(), places.indexOf(outer.index())) : outer;
        });
    }

    private List<Expression> insideAll(List<Expression> expressions) {
        return expressions.stream().map(this::inside).toList();
    }

    private List<SortKey> insideKeys(List<SortKey> keys) {
        return keys.stream().map(k -> k.with(inside(k.expression()))).toList();
    }

    private List<Named> domainColumns() {
        return PlanBuilder.columns(domain.schema());
    }

    private List<Expression> domainReferences() {
        return domainColumns().stream().map(Named::expression).toList();
    }

    private List<Named> withDomain(List<Named> outputs) {
        List<Named> all = new ArrayList<>(domainColumns());
        outputs.forEach(o -> all.add(new Named(inside(o.expression()), o.field())));
        return all;
    }

    private Plan group(Group g) {
        List<NamedAggregate> aggregates = g.aggregates().stream()
                .map(a -> new NamedAggregate(a.aggregate().map(this::inside), a.name()))
                .toList();
        Group grouped = new Group(of(g.input()), withDomain(g.keys()), aggregates);
        return g.keys().isEmpty() && g != unpadded ? padded(g, grouped) : grouped;
    }

    /** Adds the row that a grouping without keys has for values of the domain for which there is nothing to summarise. */
    private Plan padded(Group g, Group grouped) {
        List<Named> marked = new ArrayList<>(PlanBuilder.columns(grouped.schema()));
        marked.add(Named.of("found", Literal.TRUE));
        Plan all = domain;
        boolean ownCode = g.aggregates().stream()
                .anyMatch(a -> EmptyGroup.ofNothing(a.aggregate()).isEmpty());
        if (ownCode) {
            Plan ofNothing =
                    new Group(new Inline(g.input().schema(), List.of(new Batch(0))), List.of(), withoutOuter(g));
            all = PlanBuilder.join(domain, ofNothing, JoinKind.INNER, JoinMethod.AUTOMATIC, Literal.TRUE);
        }
        int left = all.schema().size();
        Expression same = Operators.and(sameDomain(left));
        Plan joined = PlanBuilder.join(all, new Project(grouped, marked), JoinKind.LEFT, JoinMethod.AUTOMATIC, same);
        Expression found = PlanBuilder.column(joined.schema(), joined.schema().size() - 1);
        List<Named> outputs = new ArrayList<>(domainColumns());
        for (int i = 0; i < g.aggregates().size(); i++) {
            int place = width() + i;
            Field field = grouped.schema().field(place);
            Expression value = PlanBuilder.column(joined.schema(), left + place);
            Expression nothing = EmptyGroup.ofNothing(g.aggregates().get(i).aggregate())
                    .orElse(PlanBuilder.column(joined.schema(), Math.min(place, left - 1)));
            outputs.add(new Named(
                    Operators.choose(
                            List.of(new Case.Branch(new IsNull(found), Types.coerce(nothing, value.type()))), value),
                    field));
        }
        return new Project(joined, outputs);
    }

    /** The aggregates over no rows, for which it does not matter what their outer columns are. */
    private static List<NamedAggregate> withoutOuter(Group g) {
        return g.aggregates().stream()
                .map(a -> new NamedAggregate(
                        a.aggregate().map(e -> Expressions.mapOuter(e, o -> new Literal(null, o.type()))), a.name()))
                .toList();
    }

    /** Conditions that the values of the domain on the left are those that come first in a right side. */
    private List<Expression> sameDomain(int leftSize) {
        List<Expression> same = new ArrayList<>();
        for (int i = 0; i < width(); i++) {
            Field field = domain.schema().field(i);
            same.addAll(Subqueries.notDistinctKeys(
                    new ColumnRef(i, field.fullName(), field.type()),
                    new ColumnRef(leftSize + i, field.fullName(), field.type())));
        }
        return same;
    }

    private Plan join(Join j) {
        Plan left = of(j.left());
        boolean ofRight = Decorrelation.readsAround(j.right()) || j.kind() == JoinKind.FULL;
        Plan right = ofRight ? of(j.right()) : j.right();
        int leftSize = j.left().schema().size();
        int wideLeft = width() + leftSize;
        int domainOfRight = ofRight ? width() : 0;
        List<Expression> conditions = new ArrayList<>(ofRight ? sameDomain(wideLeft) : List.of());
        for (int i = 0; i < j.leftKeys().size(); i++) {
            Expression rightKey = Expressions.remap(j.rightKeys().get(i), c -> c + wideLeft + domainOfRight);
            conditions.add(Operators.compare("=", inside(j.leftKeys().get(i)), rightKey));
        }
        int shift = domainOfRight;
        j.condition()
                .ifPresent(c -> Operators.conjuncts(inside(c))
                        .forEach(e -> conditions.add(Expressions.remap(e, i -> i < wideLeft ? i : i + shift))));
        Expression condition = conditions.isEmpty() ? Literal.TRUE : Operators.and(conditions);
        Plan joined = PlanBuilder.join(left, right, j.kind(), j.method(), condition);
        return j.kind().hasRight() && ofRight ? withoutSecondDomain(joined, wideLeft, j.kind()) : joined;
    }

    /** Leaves out the domain of the right side; in a full join, a row of one side alone has the values of that side. */
    private Plan withoutSecondDomain(Plan joined, int wideLeft, JoinKind kind) {
        List<Named> columns = PlanBuilder.columns(joined.schema());
        List<Named> outputs = new ArrayList<>();
        for (int i = 0; i < width(); i++) {
            Expression ofLeft = columns.get(i).expression();
            Expression ofRight = columns.get(wideLeft + i).expression();
            Expression value = kind == JoinKind.FULL ? Functions.call("coalesce", List.of(ofLeft, ofRight)) : ofLeft;
            outputs.add(new Named(value, columns.get(i).field()));
        }
        outputs.addAll(columns.subList(width(), wideLeft));
        outputs.addAll(columns.subList(wideLeft + width(), columns.size()));
        return new Project(joined, outputs);
    }

    private Plan limit(Plan.Limit l) {
        List<SortKey> order = l.input() instanceof Plan.Sort s ? insideKeys(s.keys()) : List.of();
        if (l.input() instanceof Project p && p.input() instanceof Plan.Sort) {
            return of(new Project(new Plan.Limit(p.input(), l.offset(), l.count()), p.outputs()));
        }
        return firstOfEach(of(l.input()), domainReferences(), order, l);
    }

    /** The rows between two numbers within each partition. */
    static Plan firstOfEach(Plan input, List<Expression> partition, List<SortKey> order, Plan.Limit l) {
        int size = input.schema().size();
        WindowFunction number = new WindowFunction(
                WindowFunction.Kind.ROW_NUMBER,
                List.of(),
                Optional.empty(),
                0,
                WindowFunction.Frame.ALL,
                DataType.LONG);
        Plan numbered = new Window(input, partition, order, List.of(new NamedWindow(number, "number")));
        ColumnRef place = PlanBuilder.column(numbered.schema(), size);
        long last = l.offset() + l.count() < 0 ? Long.MAX_VALUE : l.offset() + l.count();
        Plan first = new Filter(
                numbered,
                Operators.and(List.of(
                        Operators.compare(">", place, new Literal(l.offset(), DataType.LONG)),
                        Operators.compare("<=", place, new Literal(last, DataType.LONG)))));
        return new Project(first, PlanBuilder.columns(numbered.schema()).subList(0, size));
    }

    private Plan window(Window w) {
        List<Expression> partition = new ArrayList<>(domainReferences());
        partition.addAll(insideAll(w.partition()));
        return new Window(
                of(w.input()),
                partition,
                insideKeys(w.order()),
                w.functions().stream()
                        .map(f -> new NamedWindow(f.function().map(this::inside), f.name()))
                        .toList());
    }
}
