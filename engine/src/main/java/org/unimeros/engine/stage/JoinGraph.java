package org.unimeros.engine.stage;

import java.util.ArrayList;
import java.util.BitSet;
import java.util.List;
import java.util.Optional;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expressions;
import org.unimeros.engine.expr.Operators;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Plan.Join;
import org.unimeros.engine.plan.Plan.JoinKind;
import org.unimeros.engine.plan.Plan.JoinMethod;

/**
 * Inner joins of three inputs and more, without an order: the inputs, and conditions over the columns of all of them, in
 * the order in which they were written.
 */
final class JoinGraph {

    /** What a condition is expected to let pass when nothing better is known. */
    private static final double FILTER_SHARE = 0.3;

    private final List<Plan> inputs = new ArrayList<>();
    private final List<Integer> offsets = new ArrayList<>();
    private final List<Expression> conditions = new ArrayList<>();

    private JoinGraph() {}

    /** The graph of a join; empty when its order matters, or was asked for. */
    static Optional<JoinGraph> of(Join join) {
        JoinGraph graph = new JoinGraph();
        graph.add(join, 0);
        boolean isFree = graph.inputs.size() > 2 && graph.conditions.stream().noneMatch(Expression::canFail);
        return isFree ? Optional.of(graph) : Optional.empty();
    }

    private int add(Plan plan, int offset) {
        boolean inside = plan instanceof Join j && j.kind() == JoinKind.INNER && j.method() == JoinMethod.AUTOMATIC;
        if (!inside) {
            inputs.add(plan);
            offsets.add(offset);
            return offset + plan.schema().size();
        }
        Join j = (Join) plan;
        int middle = add(j.left(), offset);
        int end = add(j.right(), middle);
        for (int k = 0; k < j.leftKeys().size(); k++) {
            conditions.add(Operators.compare(
                    "=",
                    Expressions.remap(j.leftKeys().get(k), i -> i + offset),
                    Expressions.remap(j.rightKeys().get(k), i -> i + middle)));
        }
        j.condition()
                .ifPresent(c ->
                        Operators.conjuncts(c).forEach(e -> conditions.add(Expressions.remap(e, i -> i + offset))));
        return end;
    }

    List<Plan> inputs() {
        return inputs;
    }

    int offset(int input) {
        return offsets.get(input);
    }

    List<Expression> conditions() {
        return conditions;
    }

    /** The inputs whose columns a condition reads. */
    BitSet inputsOf(Expression condition) {
        BitSet read = new BitSet();
        Expressions.columns(condition).stream().forEach(column -> {
            int input = inputs.size() - 1;
            while (offsets.get(input) > column) {
                input--;
            }
            read.set(input);
        });
        return read;
    }

    /** An order in which little comes out early; empty when the sizes of the inputs are not known. */
    Optional<List<Integer>> order(List<Estimate> sizes) {
        double[] rows = new double[inputs.size()];
        for (int i = 0; i < rows.length; i++) {
            rows[i] = rows(sizes.get(i), inputs.get(i).schema());
            if (rows[i] < 0) {
                return Optional.empty();
            }
        }
        List<Integer> order = new ArrayList<>();
        BitSet joined = new BitSet();
        double current = start(rows, order, joined);
        while (order.size() < rows.length) {
            int best = -1;
            double least = Double.POSITIVE_INFINITY;
            for (int i = 0; i < rows.length; i++) {
                if (!joined.get(i)) {
                    double cost = cost(current, rows[i], i, isConnected(joined, i));
                    if (cost < least) {
                        best = i;
                        least = cost;
                    }
                }
            }
            current = made(current, rows[best], best, isConnected(joined, best));
            order.add(best);
            joined.set(best);
        }
        return Optional.of(order);
    }

    /** Begins with the largest input: rows of the others are looked up for its rows, which are not moved. */
    private double start(double[] rows, List<Integer> order, BitSet joined) {
        int largest = 0;
        for (int i = 1; i < rows.length; i++) {
            largest = rows[i] > rows[largest] ? i : largest;
        }
        order.add(largest);
        joined.set(largest);
        return rows[largest];
    }

    /** The rows made, and by a little the rows looked up, so that the smaller of two goes first. */
    private double cost(double current, double next, int input, boolean connected) {
        return made(current, next, input, connected) + next * 1e-3;
    }

    private double made(double current, double next, int input, boolean connected) {
        return connected ? Math.max(current, next) * share(inputs.get(input)) : current * next * 1e3;
    }

    private boolean isConnected(BitSet joined, int input) {
        for (Expression condition : conditions) {
            BitSet read = inputsOf(condition);
            boolean ofInput = read.get(input);
            read.clear(input);
            if (ofInput && !read.isEmpty() && isWithin(read, joined)) {
                return true;
            }
        }
        return false;
    }

    static boolean isWithin(BitSet part, BitSet whole) {
        BitSet rest = (BitSet) part.clone();
        rest.andNot(whole);
        return rest.isEmpty();
    }

    private static double rows(Estimate size, Schema schema) {
        if (size.rows() >= 0 || size.bytes() < 0) {
            return size.rows();
        }
        double width = schema.fields().stream()
                .mapToInt(f -> f.type() == DataType.TEXT ? 16 : 8)
                .sum();
        return size.bytes() / Math.max(8, width);
    }

    /** The share of its rows that the conditions of an input are expected to let pass. */
    private static double share(Plan plan) {
        return switch (plan) {
            case Plan.Scan s -> Math.pow(FILTER_SHARE, s.conditions().size());
            case Plan.Filter f -> FILTER_SHARE * share(f.input());
            case Plan.Project p -> share(p.input());
            default -> 1;
        };
    }

    /** What an input is called in messages. */
    String name(int input) {
        Plan plan = inputs.get(input);
        while (plan instanceof Plan.Filter || plan instanceof Plan.Project) {
            plan = plan.inputs().get(0);
        }
        return plan instanceof Plan.Scan s ? s.source().name() : "input " + (input + 1);
    }
}
