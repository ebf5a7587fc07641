package org.unimeros.engine.plan;

import java.util.ArrayList;
import java.util.BitSet;
import java.util.List;
import java.util.stream.IntStream;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expressions;
import org.unimeros.engine.expr.SortKey;
import org.unimeros.engine.plan.Plan.Apply;
import org.unimeros.engine.plan.Plan.Expand;
import org.unimeros.engine.plan.Plan.Filter;
import org.unimeros.engine.plan.Plan.Group;
import org.unimeros.engine.plan.Plan.Inline;
import org.unimeros.engine.plan.Plan.Join;
import org.unimeros.engine.plan.Plan.JoinKind;
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

/** Drops columns as early as possible: every node makes only what the nodes above it read. */
final class ColumnPruning {

    private ColumnPruning() {}

    /** A plan with fewer columns; {@code kept} are the old positions of its columns, ascending. */
    private record Pruned(Plan plan, List<Integer> kept) {
        Expression remap(Expression e) {
            return Expressions.remap(e, kept::indexOf);
        }
    }

    static Plan apply(Plan plan) {
        int size = plan.schema().size();
        Pruned pruned = prune(plan, all(size));
        return pruned.kept.size() == size ? pruned.plan : exactly(pruned, all(size));
    }

    private static BitSet all(int size) {
        BitSet set = new BitSet();
        set.set(0, size);
        return set;
    }

    /** The plan with at least the wanted columns. */
    private static Pruned prune(Plan plan, BitSet wanted) {
        return switch (plan) {
            case Scan s -> scan(s, wanted);
            case Inline i -> new Pruned(i, list(all(i.schema().size())));
            case Filter f -> {
                Pruned input = prune(f.input(), with(wanted, List.of(f.condition())));
                yield new Pruned(new Filter(input.plan, input.remap(f.condition())), input.kept);
            }
            case Project p -> project(p, wanted);
            case Join j -> join(j, wanted);
            case Group g -> group(g, wanted);
            case Sort s -> {
                List<Expression> keys =
                        s.keys().stream().map(SortKey::expression).toList();
                Pruned input = prune(s.input(), with(wanted, keys));
                List<SortKey> remapped = s.keys().stream()
                        .map(k -> k.with(input.remap(k.expression())))
                        .toList();
                yield new Pruned(new Sort(input.plan, remapped), input.kept);
            }
            case Limit l -> {
                Pruned input = prune(l.input(), wanted);
                yield new Pruned(new Limit(input.plan, l.offset(), l.count()), input.kept);
            }
            case Expand e -> expand(e, wanted);
            case Unnest u -> unnest(u, wanted);
            case Window w -> window(w, wanted);
            case Apply a ->
                new Pruned(a.over(whole(a.input())), list(all(a.schema().size())));
            case Reduce r ->
                new Pruned(r.over(whole(r.input())), list(all(r.schema().size())));
            case Union u ->
                new Pruned(
                        new Union(u.inputs().stream()
                                .map(input -> exactly(prune(input, wanted), wanted))
                                .toList()),
                        list(wanted));
        };
    }

    /** Code of the job reads every column of its input. */
    private static Plan whole(Plan input) {
        BitSet all = all(input.schema().size());
        return exactly(prune(input, all), all);
    }

    private static Pruned scan(Scan s, BitSet wanted) {
        List<Integer> kept = list(with(wanted, s.conditions()));
        List<Integer> columns = kept.stream().map(s.columns()::get).toList();
        List<Expression> conditions = s.conditions().stream()
                .map(c -> Expressions.remap(c, kept::indexOf))
                .toList();
        return new Pruned(new Scan(s.source(), columns, pick(s.schema(), kept), conditions), kept);
    }

    private static Pruned project(Project p, BitSet wanted) {
        List<Integer> kept = list(wanted);
        List<Named> outputs = kept.stream().map(p.outputs()::get).toList();
        Pruned input = prune(
                p.input(),
                with(new BitSet(), outputs.stream().map(Named::expression).toList()));
        return new Pruned(
                new Project(
                        input.plan,
                        outputs.stream()
                                .map(o -> new Named(input.remap(o.expression()), o.field()))
                                .toList()),
                kept);
    }

    private static Pruned join(Join j, BitSet wanted) {
        int leftSize = j.left().schema().size();
        BitSet both = with(
                j.kind().hasRight() ? wanted : wanted.get(0, leftSize),
                j.condition().stream().toList());
        Pruned left = prune(j.left(), with(both.get(0, leftSize), j.leftKeys()));
        BitSet rightWanted = both.get(leftSize, Math.max(leftSize, both.length()));
        Pruned right = prune(j.right(), with(rightWanted, j.rightKeys()));
        List<Integer> bothKept = new ArrayList<>(left.kept);
        right.kept.forEach(i -> bothKept.add(i + leftSize));
        Plan joined = new Join(
                left.plan,
                right.plan,
                j.kind(),
                j.method(),
                j.leftKeys().stream().map(left::remap).toList(),
                j.rightKeys().stream().map(right::remap).toList(),
                j.condition().map(c -> Expressions.remap(c, bothKept::indexOf)));
        if (j.kind().hasRight()) {
            return new Pruned(joined, bothKept);
        }
        List<Integer> kept = new ArrayList<>(left.kept);
        if (j.kind() == JoinKind.MARK) {
            kept.add(leftSize);
        }
        return new Pruned(joined, kept);
    }

    private static Pruned group(Group g, BitSet wanted) {
        int keys = g.keys().size();
        List<Integer> kept = new ArrayList<>(IntStream.range(0, keys).boxed().toList());
        List<NamedAggregate> aggregates = new ArrayList<>();
        for (int i = 0; i < g.aggregates().size(); i++) {
            if (wanted.get(keys + i)) {
                kept.add(keys + i);
                aggregates.add(g.aggregates().get(i));
            }
        }
        List<Expression> read =
                new ArrayList<>(g.keys().stream().map(Named::expression).toList());
        aggregates.forEach(a -> read.addAll(a.aggregate().expressions()));
        Pruned input = prune(g.input(), with(new BitSet(), read));
        Plan grouped = new Group(
                input.plan,
                g.keys().stream()
                        .map(k -> new Named(input.remap(k.expression()), k.field()))
                        .toList(),
                aggregates.stream()
                        .map(a -> new NamedAggregate(a.aggregate().map(input::remap), a.name()))
                        .toList());
        return new Pruned(grouped, kept);
    }

    private static Pruned expand(Expand e, BitSet wanted) {
        List<Integer> kept = list(wanted);
        List<Expression> read = new ArrayList<>();
        e.variants().forEach(v -> kept.forEach(i -> read.add(v.get(i).expression())));
        Pruned input = prune(e.input(), with(new BitSet(), read));
        List<List<Named>> variants = e.variants().stream()
                .map(v -> kept.stream()
                        .map(v::get)
                        .map(o -> new Named(input.remap(o.expression()), o.field()))
                        .toList())
                .toList();
        return new Pruned(new Expand(input.plan, variants), kept);
    }

    /** The list itself is seldom read above, and dear to carry along. */
    private static Pruned unnest(Unnest u, BitSet wanted) {
        int size = u.input().schema().size();
        BitSet above = wanted.get(0, size);
        Pruned input = prune(u.input(), with(above, List.of(u.list())));
        Plan unnested = new Unnest(input.plan, input.remap(u.list()), u.elements(), u.position(), u.keepsEmpty());
        List<Integer> kept = new ArrayList<>(input.kept);
        above.set(size, u.schema().size());
        above.stream().filter(i -> i >= size).forEach(kept::add);
        return new Pruned(exactly(new Pruned(unnested, kept), above), list(above));
    }

    private static Pruned window(Window w, BitSet wanted) {
        int size = w.input().schema().size();
        List<NamedWindow> functions = new ArrayList<>();
        List<Expression> read = new ArrayList<>(w.partition());
        w.order().forEach(k -> read.add(k.expression()));
        List<Integer> keptFunctions = new ArrayList<>();
        for (int i = 0; i < w.functions().size(); i++) {
            if (wanted.get(size + i)) {
                functions.add(w.functions().get(i));
                read.addAll(w.functions().get(i).function().expressions());
                keptFunctions.add(size + i);
            }
        }
        Pruned input = prune(w.input(), with(wanted.get(0, size), read));
        List<Integer> kept = new ArrayList<>(input.kept);
        kept.addAll(keptFunctions);
        Plan window = new Window(
                input.plan,
                w.partition().stream().map(input::remap).toList(),
                w.order().stream().map(k -> k.with(input.remap(k.expression()))).toList(),
                functions.stream()
                        .map(f -> new NamedWindow(f.function().map(input::remap), f.name()))
                        .toList());
        return new Pruned(functions.isEmpty() ? input.plan : window, kept);
    }

    /** The plan with just the wanted columns. */
    private static Plan exactly(Pruned pruned, BitSet wanted) {
        if (pruned.kept.equals(list(wanted))) {
            return pruned.plan;
        }
        List<Named> columns = PlanBuilder.columns(pruned.plan.schema());
        return new Project(
                pruned.plan,
                list(wanted).stream()
                        .map(i -> columns.get(pruned.kept.indexOf(i)))
                        .toList());
    }

    private static BitSet with(BitSet wanted, List<Expression> read) {
        BitSet set = (BitSet) wanted.clone();
        read.forEach(e -> Expressions.columns(e, set));
        return set;
    }

    private static List<Integer> list(BitSet set) {
        return set.stream().boxed().toList();
    }

    private static Schema pick(Schema schema, List<Integer> kept) {
        return new Schema(kept.stream().map(schema::field).toList());
    }
}
