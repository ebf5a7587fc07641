package org.unimeros.engine.group;

import java.util.ArrayList;
import java.util.List;
import java.util.function.Consumer;
import org.unimeros.engine.aggregate.Accumulator;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.ValueOrder;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.SortKey;
import org.unimeros.engine.key.KeyTable;
import org.unimeros.engine.key.KeyTables;
import org.unimeros.engine.key.RowDivider;
import org.unimeros.engine.sort.RowOrder;
import org.unimeros.engine.spill.Chunk;
import org.unimeros.engine.spill.StepSpace;
import org.unimeros.engine.stage.Step;

/**
 * Holds all rows of the groups and summarises them at the end. When they reach the limit, they and all that follow are
 * divided by the hash of their keys into a scratch file, and each division is summarised on its own. What cannot be divided
 * further is left to {@link LargeGroups}.
 */
final class GroupCollector {

    private static final int DIVISIONS = 16;
    private static final int DEEPEST = 5;

    private final Evaluator evaluator;
    private final Step.WholeGroup step;
    private final StepSpace space;
    private final int depth;
    private BatchBuilder held;
    private RowDivider divided;
    private LargeGroups large;
    private long added;

    GroupCollector(Evaluator evaluator, Step.WholeGroup step, StepSpace space, int depth) {
        this.evaluator = evaluator;
        this.step = step;
        this.space = space;
        this.depth = depth;
    }

    void add(Batch batch) {
        added += batch.rowCount();
        if (large != null) {
            large.add(batch);
            return;
        }
        if (divided != null) {
            divide(batch);
            return;
        }
        if (held == null) {
            held = BatchBuilder.like(batch);
        }
        held.appendAll(batch);
        // Rows are copied into order once more for each aggregate.
        boolean full = held.sizeInBytes() + 16L * held.rowCount() > space.limit() / 3;
        if (full && depth < DEEPEST && !step.keys().isEmpty()) {
            divided = new RowDivider(DIVISIONS, depth + 1, space);
            divide(held.build());
        } else if (full) {
            large = new LargeGroups(evaluator, step, space);
            large.add(held.build());
        }
    }

    private void divide(Batch batch) {
        divided.add(
                batch,
                evaluator.evaluateAll(
                        step.keys().stream().map(k -> k.expression()).toList(), batch));
    }

    /** Hands out keys and results. Without keys there is one group, even of no rows. */
    void finish(Consumer<Batch> out) {
        if (large != null) {
            large.finish(out);
            return;
        }
        if (divided == null) {
            summarise(out);
            return;
        }
        for (List<Chunk> division : divided.divisions()) {
            if (!division.isEmpty()) {
                // Rows that stay together are probably of one group, which no further division would part.
                long rows = division.stream().mapToLong(Chunk::rows).sum();
                int next = rows > added / 10 * 9 ? DEEPEST : depth + 1;
                GroupCollector collector = new GroupCollector(evaluator, step, space, next);
                division.forEach(chunk -> collector.add(chunk.load()));
                collector.finish(out);
            }
        }
        space.done(divided.file());
    }

    private void summarise(Consumer<Batch> out) {
        boolean noKeys = step.keys().isEmpty();
        if (held == null && !noKeys) {
            return;
        }
        Batch rows = held == null ? new BatchBuilder(step.inputTypes()).build() : held.build();
        List<DataType> keyTypes =
                step.keys().stream().map(k -> k.expression().type()).toList();
        KeyTable table = KeyTables.of(keyTypes);
        int[] groups = new int[rows.rowCount()];
        if (!noKeys) {
            number(rows, table, groups);
        }
        int size = noKeys ? 1 : table.size();
        List<Column> columns = new ArrayList<>(List.of(table.takeKeys()));
        table.release();
        step.aggregates().forEach(a -> columns.add(result(a.aggregate(), rows, groups, size)));
        out.accept(new Batch(size, columns.toArray(Column[]::new)));
    }

    private void number(Batch rows, KeyTable table, int[] groups) {
        int[] numbers = new int[Batch.TARGET_ROWS];
        for (int from = 0; from < groups.length; from += Batch.TARGET_ROWS) {
            int n = Math.min(Batch.TARGET_ROWS, groups.length - from);
            Batch slice = rows.slice(from, n);
            table.number(
                    evaluator.evaluateAll(
                            step.keys().stream().map(k -> k.expression()).toList(), slice),
                    n,
                    numbers);
            System.arraycopy(numbers, 0, groups, from, n);
        }
    }

    private Column result(Aggregate a, Batch rows, int[] groups, int size) {
        if (!a.kind().isCollecting() && !a.distinct()) {
            Accumulator accumulator = Accumulator.of(a, evaluator);
            accumulator.reserve(size);
            accumulator.add(groups, groups.length, argument(a, rows));
            return accumulator.result(size);
        }
        List<SortKey> order = a.distinct() && a.order().isEmpty()
                ? List.of(SortKey.ascending(a.arguments().get(0)))
                : a.order();
        Column[] keys = new Column[order.size() + 1];
        keys[0] = new IntColumn(groups, null);
        for (int i = 0; i < order.size(); i++) {
            keys[i + 1] = evaluator.evaluate(order.get(i).expression(), rows);
        }
        List<SortKey> byGroup = new ArrayList<>(order);
        byGroup.add(0, SortKey.ascending(new ColumnRef(0, "group", DataType.INT)));
        int[] sorted = new RowOrder(keys, byGroup).sorted(groups.length);
        Column values = argument(a, rows);
        int n = a.kind().keepsNulls() ? sorted.length : withoutNulls(values, sorted);
        n = a.distinct() ? withoutRepetitions(values, groups, sorted, n) : n;
        return a.kind().isCollecting()
                ? collected(a, rows, groups, sorted, n, size)
                : accumulated(a, values, groups, sorted, n, size);
    }

    private Column argument(Aggregate a, Batch rows) {
        return a.argument().map(e -> evaluator.evaluate(e, rows)).orElse(null);
    }

    private static int withoutNulls(Column values, int[] sorted) {
        int n = 0;
        for (int row : sorted) {
            if (!values.isNull(row)) {
                sorted[n++] = row;
            }
        }
        return n;
    }

    private static int withoutRepetitions(Column values, int[] groups, int[] sorted, int rows) {
        int n = 0;
        for (int i = 0; i < rows; i++) {
            boolean repeats =
                    n > 0 && groups[sorted[n - 1]] == groups[sorted[i]] && isSame(values, sorted[n - 1], sorted[i]);
            if (!repeats) {
                sorted[n++] = sorted[i];
            }
        }
        return n;
    }

    private static boolean isSame(Column values, int a, int b) {
        boolean nullA = values.isNull(a);
        boolean nullB = values.isNull(b);
        return nullA || nullB ? nullA == nullB : ValueOrder.compare(values, a, values, b) == 0;
    }

    private Column accumulated(Aggregate a, Column values, int[] groups, int[] sorted, int n, int size) {
        Accumulator accumulator = Accumulator.of(a.ofAll(), evaluator);
        accumulator.reserve(size);
        int[] groupOfRow = new int[n];
        for (int i = 0; i < n; i++) {
            groupOfRow[i] = groups[sorted[i]];
        }
        accumulator.add(groupOfRow, n, values.gather(sorted, n));
        return accumulator.result(size);
    }

    private Column collected(Aggregate a, Batch rows, int[] groups, int[] sorted, int n, int size) {
        Column[] args = a.arguments().stream()
                .map((Expression e) -> evaluator.evaluate(e, rows))
                .toArray(Column[]::new);
        Collected function = Collected.of(a);
        GroupRows.InMemory group = new GroupRows.InMemory(args);
        ColumnBuilder out = ColumnBuilder.of(a.type());
        int at = 0;
        for (int g = 0; g < size; g++) {
            int from = at;
            while (at < n && groups[sorted[at]] == g) {
                at++;
            }
            if (from == at) {
                out.appendNull();
            } else {
                function.append(group.of(sorted, from, at), out);
            }
        }
        return out.build();
    }
}
