package org.unimeros.engine.stage;

import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.function.IntFunction;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.SortKey;
import org.unimeros.engine.plan.Plan.JoinKind;
import org.unimeros.engine.plan.Plan.Named;

/**
 * How the rows that a pipeline makes lie: how they are divided among tasks, and in which order a task has them. The planner asks it before it adds a
 * shuffle or a sort. Only columns count; what is divided or ordered by another expression is as good as not.
 *
 * @param division how rows are divided, where that is known
 * @param order columns by which the rows of each task are in order, the most important one first
 */
record Layout(Optional<Division> division, List<Ordered> order) {

    /** Nothing is known. */
    static final Layout UNKNOWN = new Layout(Optional.empty(), List.of());

    /**
     * By the hash of some keys into parts.
     *
     * @param keys in the order in which they are hashed; without any, all rows are in one task
     * @param parts 0 where it is not known which keys are in which part
     */
    record Division(List<Key> keys, int parts) {}

    /** A key, and all columns that have its value. */
    record Key(DataType type, Set<Integer> columns) {
        private Key at(Set<Integer> others) {
            return new Key(type, others);
        }
    }

    /** A column of an order. */
    record Ordered(int column, boolean descending, boolean nullsFirst) {}

    /** Rows that were divided by some keys. */
    static Layout divided(List<Expression> by, int parts) {
        List<Key> keys = new ArrayList<>();
        for (Expression key : by) {
            keys.add(new Key(key.type(), key instanceof ColumnRef ref ? Set.of(ref.index()) : Set.of()));
        }
        return new Layout(Optional.of(new Division(keys, parts)), List.of()).known();
    }

    /** Rows of which those with equal keys are in one task, nobody knows which. */
    static Layout together(List<Expression> keys) {
        return divided(keys, 0);
    }

    /** A division by a key that no column has says nothing any more. */
    private Layout known() {
        boolean isKnown = division.stream()
                .flatMap(d -> d.keys().stream())
                .noneMatch(key -> key.columns().isEmpty());
        return isKnown ? this : new Layout(Optional.empty(), order);
    }

    /**
     * Whether rows with equal keys are in one task. Rows that are divided by fewer keys would be as well, but among fewer tasks.
     *
     * @param keys without any, all rows
     */
    boolean hasTogether(List<Expression> keys) {
        return division.filter(d -> d.keys().isEmpty() == keys.isEmpty()
                        && keys.stream().allMatch(key -> d.keys().stream().anyMatch(k -> isOf(key, k)))
                        && d.keys().stream().allMatch(k -> keys.stream().anyMatch(key -> isOf(key, k))))
                .isPresent();
    }

    /** Whether each row is in the part where a shuffle by these keys would put it. */
    boolean isDividedBy(List<Expression> keys, int parts) {
        if (division.isEmpty()
                || keys.isEmpty()
                || division.get().parts() != parts
                || division.get().keys().size() != keys.size()) {
            return false;
        }
        for (int i = 0; i < keys.size(); i++) {
            if (!isOf(keys.get(i), division.get().keys().get(i))) {
                return false;
            }
        }
        return true;
    }

    private static boolean isOf(Expression key, Key of) {
        return key instanceof ColumnRef ref
                && of.columns().contains(ref.index())
                && of.type().equals(ref.type());
    }

    /** Whether a task has its rows in an order already. */
    boolean isOrderedBy(List<SortKey> keys) {
        List<Ordered> wanted = ordered(keys);
        return wanted.size() == keys.size()
                && wanted.size() <= order.size()
                && wanted.equals(order.subList(0, wanted.size()));
    }

    /** The first keys of an order, as far as they are columns. */
    private static List<Ordered> ordered(List<SortKey> keys) {
        List<Ordered> order = new ArrayList<>();
        for (SortKey key : keys) {
            if (!(key.expression() instanceof ColumnRef ref)) {
                break;
            }
            order.add(new Ordered(ref.index(), key.descending(), key.nullsFirst()));
        }
        return order;
    }

    /** The layout behind a step. */
    Layout through(Step step) {
        return switch (step) {
            case Step.Where s -> this;
            case Step.Take s -> this;
            case Step.Unnest s -> this;
            case Step.Select s -> moved(column -> places(s.outputs(), column));
            case Step.PartialGroup s -> inAnyOrder().moved(column -> places(s.keys(), column));
            case Step.WholeGroup s -> inAnyOrder().moved(column -> places(s.keys(), column));
            case Step.FinalGroup s ->
                inAnyOrder().moved(column -> column < s.keys().size() ? Set.of(column) : Set.of());
            case Step.Window s -> new Layout(division, ordered(s.sortKeys()));
            case Step.Order s -> new Layout(division, ordered(s.keys()));
            case Step.Merge s -> new Layout(division, ordered(s.keys()));
            case Step.Probe s -> inAnyOrder().joined(s);
            case Step.Expand s -> UNKNOWN;
            case Step.PartialSets s -> UNKNOWN;
            case Step.Apply s -> UNKNOWN;
            case Step.Combine s -> UNKNOWN;
            case Step.Reduce s -> UNKNOWN;
        };
    }

    private Layout inAnyOrder() {
        return new Layout(division, List.of());
    }

    /** Where a column is among new ones. */
    private static Set<Integer> places(List<Named> outputs, int column) {
        Set<Integer> places = new HashSet<>();
        for (int i = 0; i < outputs.size(); i++) {
            if (outputs.get(i).expression() instanceof ColumnRef ref && ref.index() == column) {
                places.add(i);
            }
        }
        return places;
    }

    private Layout moved(IntFunction<Set<Integer>> places) {
        Optional<Division> moved = division.map(d -> new Division(
                d.keys().stream()
                        .map(key -> {
                            Set<Integer> all = new HashSet<>();
                            key.columns().forEach(column -> all.addAll(places.apply(column)));
                            return key.at(all);
                        })
                        .toList(),
                d.parts()));
        List<Ordered> kept = new ArrayList<>();
        for (Ordered o : order) {
            Optional<Integer> place = places.apply(o.column()).stream().min(Integer::compare);
            if (place.isEmpty()) {
                break;
            }
            kept.add(new Ordered(place.get(), o.descending(), o.nullsFirst()));
        }
        return new Layout(moved, kept).known();
    }

    /** Rows of the other side that match nothing have no values here, wherever they are. */
    private Layout joined(Step.Probe join) {
        if (join.keepsBuild() || join.buildIsLeft() && !join.kind().hasRight()) {
            return UNKNOWN;
        }
        int probeAt = join.buildIsLeft() ? join.buildSchema().size() : 0;
        int buildAt = join.buildIsLeft() ? 0 : join.probeSchema().size();
        Optional<Division> joined = division.map(d -> new Division(
                d.keys().stream()
                        .map(key -> key.at(joined(key, join, probeAt, buildAt)))
                        .toList(),
                d.parts()));
        return new Layout(joined, List.of());
    }

    private static Set<Integer> joined(Key key, Step.Probe join, int probeAt, int buildAt) {
        Set<Integer> columns = new HashSet<>();
        key.columns().forEach(column -> columns.add(probeAt + column));
        for (int k = 0; join.kind() == JoinKind.INNER && k < join.probeKeys().size(); k++) {
            if (isOf(join.probeKeys().get(k), key) && join.buildKeys().get(k) instanceof ColumnRef ref) {
                columns.add(buildAt + ref.index());
            }
        }
        return columns;
    }
}
