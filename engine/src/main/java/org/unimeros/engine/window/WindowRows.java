package org.unimeros.engine.window;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.ValueOrder;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.operator.Operator;
import org.unimeros.engine.plan.Plan.NamedWindow;
import org.unimeros.engine.sort.RowSorter;
import org.unimeros.engine.sort.SortedRows;
import org.unimeros.engine.spill.StepSpace;
import org.unimeros.engine.stage.Step;

/**
 * Adds window functions. Rows are sorted by partition and order; a partition is worked on when its end has come by, all
 * functions together, row after row. Partitions of any size are possible, since both the sort and the rows of the
 * current partition spill.
 */
public final class WindowRows extends Operator.Inner {

    private final Evaluator evaluator;
    private final Step.Window step;
    private final RowSorter sorter;
    private final SortedRows rows;
    private final List<Expression> expressions;
    private final int partitionAt;
    private final ColumnBuilder[] results;
    private final SortedRows.Cursor before;
    private final SortedRows.Cursor here;
    private long partitionStart;

    public WindowRows(Evaluator evaluator, Step.Window step, StepSpace space, Operator next) {
        super(next);
        this.evaluator = evaluator;
        this.step = step;
        this.sorter = new RowSorter(
                evaluator, step.schema().fields().stream().map(Field::type).toList(), step.sortKeys(), space);
        // Order keys come first and each counts, even where one is repeated.
        this.expressions = new ArrayList<>();
        step.order().forEach(k -> expressions.add(k.expression()));
        this.partitionAt = expressions.size();
        expressions.addAll(step.partition());
        step.functions().forEach(f -> expressions.addAll(f.function().expressions()));
        this.rows = new SortedRows(evaluator, expressions, space);
        this.results = step.functions().stream()
                .map(f -> ColumnBuilder.of(f.function().type()))
                .toArray(ColumnBuilder[]::new);
        this.before = rows.cursor();
        this.here = rows.cursor();
    }

    @Override
    public void accept(Batch batch) {
        sorter.add(batch);
    }

    @Override
    public void finish() {
        sorter.finish(this::sorted);
        if (rows.end() > partitionStart) {
            complete(rows.end());
        }
        next.finish();
    }

    private void sorted(Batch batch) {
        long row = rows.end();
        rows.add(batch);
        for (; row < rows.end(); row++) {
            if (row > partitionStart && isOtherPartition(row)) {
                complete(row);
            }
        }
    }

    private boolean isOtherPartition(long row) {
        before.to(row - 1);
        here.to(row);
        for (int i = 0; i < step.partition().size(); i++) {
            Column a = before.column(partitionAt + i);
            Column b = here.column(partitionAt + i);
            boolean nullA = a.isNull(before.offset());
            boolean nullB = b.isNull(here.offset());
            boolean equal =
                    nullA || nullB ? nullA == nullB : ValueOrder.compare(a, before.offset(), b, here.offset()) == 0;
            if (!equal) {
                return true;
            }
        }
        return false;
    }

    /** Computes the partition that ends here, and passes on the segments that are complete with it. */
    private void complete(long end) {
        Partition partition = new Partition(rows, step.order(), partitionStart, end);
        WindowValues[] functions = step.functions().stream()
                .map(NamedWindow::function)
                .map(f -> WindowValues.of(evaluator, f, partition, expressions))
                .toArray(WindowValues[]::new);
        SortedRows.Segment segment = rows.segment(partitionStart);
        for (long row = partitionStart; row < end; row++) {
            if (row >= segment.end()) {
                segment = rows.segment(row);
            }
            partition.moveTo(row);
            for (int f = 0; f < functions.length; f++) {
                functions[f].append(row, results[f]);
            }
            if (row == segment.end() - 1) {
                pass(segment);
            }
        }
        partitionStart = end;
        rows.dropBefore(end - 1);
    }

    private void pass(SortedRows.Segment segment) {
        Batch batch = rows.batch(segment);
        Column[] columns = new Column[batch.columnCount() + results.length];
        for (int c = 0; c < batch.columnCount(); c++) {
            columns[c] = batch.column(c);
        }
        Column[] made = Arrays.stream(results).map(ColumnBuilder::build).toArray(Column[]::new);
        System.arraycopy(made, 0, columns, batch.columnCount(), made.length);
        if (next.wantsMore()) {
            next.accept(new Batch(batch.rowCount(), columns));
        }
    }
}
