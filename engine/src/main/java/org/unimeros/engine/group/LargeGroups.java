package org.unimeros.engine.group;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.BitSet;
import java.util.List;
import java.util.function.Consumer;
import java.util.function.UnaryOperator;
import org.unimeros.engine.aggregate.Accumulator;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.ValueOrder;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expressions;
import org.unimeros.engine.expr.SortKey;
import org.unimeros.engine.sort.RowSorter;
import org.unimeros.engine.sort.SortedRows;
import org.unimeros.engine.spill.Chunk;
import org.unimeros.engine.spill.SpillFile;
import org.unimeros.engine.spill.StepSpace;
import org.unimeros.engine.stage.Step;

/**
 * Summarises groups that do not fit into memory one by one. For each aggregate that needs all values of a group, the rows
 * are sorted by key and by its order, in files, and then read group after group.
 */
final class LargeGroups {

    private final Evaluator evaluator;
    private final Step.WholeGroup step;
    private final StepSpace space;
    private final SpillFile file;
    private final List<Chunk> chunks = new ArrayList<>();

    LargeGroups(Evaluator evaluator, Step.WholeGroup step, StepSpace space) {
        this.evaluator = evaluator;
        this.step = step;
        this.space = space;
        this.file = space.newFile();
    }

    void add(Batch batch) {
        for (int from = 0; from < batch.rowCount(); from += Batch.TARGET_ROWS) {
            int n = Math.min(Batch.TARGET_ROWS, batch.rowCount() - from);
            chunks.add(file.write(batch.slice(from, n).dense()));
        }
    }

    /** Hands out keys and results, in the order of the keys. */
    void finish(Consumer<Batch> out) {
        List<Aggregate> all = step.aggregates().stream().map(a -> a.aggregate()).toList();
        List<Aggregate> whole =
                all.stream().filter(LargeGroups::needsOrder).distinct().toList();
        Column[] results = new Column[all.size()];
        Column[] keys = {};
        int groups = 0;
        for (int i = 0; i < whole.size(); i++) {
            List<Aggregate> others =
                    i > 0 ? List.of() : all.stream().filter(a -> !needsOrder(a)).toList();
            Pass pass = new Pass(whole.get(i), others);
            pass.run();
            groups = pass.group + 1;
            if (i == 0) {
                keys = pass.keys();
            }
            for (int a = 0; a < results.length; a++) {
                results[a] = results[a] == null ? pass.result(all.get(a)) : results[a];
            }
        }
        space.done(file);
        List<Column> columns = new ArrayList<>(Arrays.asList(keys));
        columns.addAll(Arrays.asList(results));
        out.accept(new Batch(groups, columns.toArray(Column[]::new)));
    }

    private static boolean needsOrder(Aggregate a) {
        return a.kind().isCollecting() || a.distinct();
    }

    /** One sort of all rows, with the columns that matter for it, and what is computed from it. */
    private final class Pass {
        private final Aggregate asked;
        private final List<Aggregate> othersAsked;
        private final int[] columns;
        private final Aggregate whole;
        private final List<Aggregate> others;
        private final List<Accumulator> accumulators = new ArrayList<>();
        private final Accumulator distinct;
        private final List<Expression> keyExpressions;
        private final ColumnBuilder[] keyValues;
        private final ColumnBuilder collected;
        private SortedRows rows;
        private Column[] lastKeys;
        private int lastRow;
        private Column lastValue;
        private int lastValueRow;
        private int group = -1;

        Pass(Aggregate asked, List<Aggregate> othersAsked) {
            this.asked = asked;
            this.othersAsked = othersAsked;
            List<Expression> keys =
                    step.keys().stream().map(k -> k.expression()).toList();
            BitSet read = new BitSet();
            keys.forEach(e -> Expressions.columns(e, read));
            asked.expressions().forEach(e -> Expressions.columns(e, read));
            othersAsked.forEach(a -> a.expressions().forEach(e -> Expressions.columns(e, read)));
            this.columns = read.stream().toArray();
            UnaryOperator<Expression> remap = e -> Expressions.remap(e, c -> Arrays.binarySearch(columns, c));
            this.whole = asked.map(remap);
            this.others = othersAsked.stream().map(a -> a.map(remap)).toList();
            this.keyExpressions = keys.stream().map(remap).toList();
            this.keyValues = keys.stream().map(k -> ColumnBuilder.of(k.type())).toArray(ColumnBuilder[]::new);
            this.distinct = whole.kind().isCollecting() ? null : Accumulator.of(whole.ofAll(), evaluator);
            this.collected = ColumnBuilder.of(whole.type());
            others.forEach(a -> accumulators.add(Accumulator.of(a, evaluator)));
        }

        void run() {
            List<SortKey> order = new ArrayList<>();
            keyExpressions.forEach(k -> order.add(SortKey.ascending(k)));
            order.addAll(
                    whole.distinct() && whole.order().isEmpty()
                            ? List.of(SortKey.ascending(whole.arguments().get(0)))
                            : whole.order());
            if (order.isEmpty()) {
                chunks.forEach(chunk -> accept(chunk.load().pick(columns)));
            } else {
                List<DataType> types = Arrays.stream(columns)
                        .mapToObj(c -> step.inputTypes().get(c))
                        .toList();
                RowSorter sorter = new RowSorter(evaluator, types, order, space);
                chunks.forEach(chunk -> sorter.add(chunk.load().pick(columns)));
                sorter.finish(this::accept);
            }
            endGroup();
        }

        private void accept(Batch batch) {
            Column[] keys = evaluator.evaluateAll(keyExpressions, batch);
            int from = 0;
            for (int i = 0; i < batch.rowCount(); i++) {
                boolean begins = group < 0 || !isSame(lastKeys, lastRow, keys, i);
                if (begins) {
                    addRows(batch.slice(from, i - from));
                    from = i;
                    endGroup();
                    beginGroup(keys, i);
                }
                lastKeys = keys;
                lastRow = i;
            }
            addRows(batch.slice(from, batch.rowCount() - from));
        }

        private static boolean isSame(Column[] a, int rowA, Column[] b, int rowB) {
            for (int c = 0; c < a.length; c++) {
                boolean nullA = a[c].isNull(rowA);
                boolean nullB = b[c].isNull(rowB);
                if (nullA || nullB ? nullA != nullB : ValueOrder.compare(a[c], rowA, b[c], rowB) != 0) {
                    return false;
                }
            }
            return true;
        }

        private void beginGroup(Column[] keys, int row) {
            group++;
            for (int c = 0; c < keys.length; c++) {
                keyValues[c].append(keys[c], row);
            }
            accumulators.forEach(a -> a.reserve(group + 1));
            if (distinct != null) {
                distinct.reserve(group + 1);
            }
            rows = new SortedRows(evaluator, whole.arguments(), space);
            lastValue = null;
        }

        private void endGroup() {
            if (group < 0 || distinct != null) {
                return;
            }
            if (rows.end() == 0) {
                collected.appendNull();
            } else {
                Collected.of(whole).append(new GroupRows.Stored(rows), collected);
            }
            rows.dropBefore(rows.end());
        }

        /** Rows of the current group. */
        private void addRows(Batch batch) {
            if (batch.rowCount() == 0) {
                return;
            }
            int[] groups = new int[batch.rowCount()];
            Arrays.fill(groups, group);
            for (int a = 0; a < accumulators.size(); a++) {
                Column argument = others.get(a)
                        .argument()
                        .map(e -> evaluator.evaluate(e, batch))
                        .orElse(null);
                accumulators.get(a).add(groups, batch.rowCount(), argument);
            }
            Batch counting = counting(batch);
            if (counting.rowCount() == 0) {
                return;
            }
            if (distinct == null) {
                rows.add(counting);
            } else {
                distinct.add(
                        groups,
                        counting.rowCount(),
                        evaluator.evaluate(whole.arguments().get(0), counting));
            }
        }

        /** Those rows that the aggregate looks at: without nulls and repetitions, where it leaves them out. */
        private Batch counting(Batch batch) {
            Column values = evaluator.evaluate(whole.arguments().get(0), batch);
            int[] left = new int[batch.rowCount()];
            int n = 0;
            for (int i = 0; i < left.length; i++) {
                boolean counts = whole.kind().keepsNulls() || !values.isNull(i);
                if (counts && whole.distinct()) {
                    Column[] one = {values};
                    counts = lastValue == null || !isSame(new Column[] {lastValue}, lastValueRow, one, i);
                    lastValue = values;
                    lastValueRow = i;
                }
                if (counts) {
                    left[n++] = i;
                }
            }
            return n == left.length ? batch : batch.select(left, n);
        }

        Column[] keys() {
            return Arrays.stream(keyValues).map(ColumnBuilder::build).toArray(Column[]::new);
        }

        /** The results of an aggregate by group; null when this pass is not for it. */
        Column result(Aggregate a) {
            if (a.equals(asked)) {
                return distinct == null ? collected.peek() : distinct.result(group + 1);
            }
            int index = othersAsked.indexOf(a);
            return index < 0 ? null : accumulators.get(index).result(group + 1);
        }
    }
}
