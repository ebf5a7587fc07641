package org.unimeros.engine.operator;

import java.util.Arrays;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.BooleanColumn;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.plan.Plan.JoinKind;
import org.unimeros.engine.stage.Step;

/** Pairs each row that comes by with the rows of a {@link JoinTable} that have its key and fulfil the condition. */
final class ProbeJoin extends Operator.Inner {

    private final Evaluator evaluator;
    private final Step.Probe step;
    private final JoinTable table;
    private final JoinTable.Prober prober;
    private final int[] probeRows = new int[Batch.TARGET_ROWS];
    private final int[] buildRows = new int[Batch.TARGET_ROWS];
    private int pairs;
    private int[] keys = new int[Batch.TARGET_ROWS];
    private boolean[] matched = new boolean[Batch.TARGET_ROWS];

    ProbeJoin(Evaluator evaluator, Step.Probe step, JoinTable table, Operator next) {
        super(next);
        this.evaluator = evaluator;
        this.step = step;
        this.table = table;
        this.prober = table.prober();
    }

    @Override
    void accept(Batch batch) {
        int rows = batch.rowCount();
        if (keys.length < rows) {
            keys = new int[rows];
            matched = new boolean[rows];
        }
        prober.find(JoinTable.evaluate(evaluator, step.probeKeys(), batch), rows, keys);
        Arrays.fill(matched, 0, rows, false);
        for (int row = 0; row < rows; row++) {
            if (keys[row] >= 0) {
                pair(batch, row, keys[row]);
            }
        }
        flush(batch);
        if (step.kind() == JoinKind.LEFT) {
            passUnmatched(batch);
        }
    }

    private void pair(Batch batch, int row, int key) {
        int end = table.end(key);
        for (int at = table.start(key); at < end; at++) {
            probeRows[pairs] = row;
            buildRows[pairs++] = table.row(at);
            if (pairs == probeRows.length) {
                flush(batch);
            }
        }
    }

    private void flush(Batch batch) {
        if (pairs == 0) {
            return;
        }
        Batch probe = batch.select(probeRows, pairs);
        Batch joined = sideBySide(probe, table.rows().select(buildRows, pairs));
        Batch left = step.condition().isPresent() ? fulfilling(joined) : joined;
        if (step.condition().isEmpty()) {
            for (int i = 0; i < pairs; i++) {
                matched[probeRows[i]] = true;
            }
        }
        pairs = 0;
        if (left.rowCount() > 0) {
            next.accept(left);
        }
    }

    private Batch fulfilling(Batch joined) {
        BooleanColumn truth =
                (BooleanColumn) evaluator.evaluate(step.condition().orElseThrow(), joined);
        int[] hits = new int[pairs];
        int n = 0;
        for (int i = 0; i < pairs; i++) {
            if (!truth.isNull(i) && truth.value(i)) {
                hits[n++] = i;
                matched[probeRows[i]] = true;
            }
        }
        return n == pairs ? joined : joined.select(hits, n);
    }

    private Batch sideBySide(Batch probe, Batch build) {
        Batch left = step.buildIsLeft() ? build : probe;
        Batch right = step.buildIsLeft() ? probe : build;
        Column[] columns = new Column[left.columnCount() + right.columnCount()];
        for (int i = 0; i < columns.length; i++) {
            columns[i] = i < left.columnCount() ? left.column(i) : right.column(i - left.columnCount());
        }
        return new Batch(probe.rowCount(), columns);
    }

    private void passUnmatched(Batch batch) {
        int rows = batch.rowCount();
        int[] alone = new int[rows];
        int n = 0;
        for (int i = 0; i < rows; i++) {
            if (!matched[i]) {
                alone[n++] = i;
            }
        }
        if (n > 0) {
            next.accept(sideBySide(batch.select(alone, n), nulls(n)));
        }
    }

    private Batch nulls(int n) {
        long[] all = Bits.make(n);
        Arrays.fill(all, -1L);
        Column[] columns = step.buildSchema().fields().stream()
                .map(f -> {
                    ColumnBuilder one = ColumnBuilder.of(f.type());
                    one.appendNull();
                    return one.build().gather(new int[n], n).withNulls(all);
                })
                .toArray(Column[]::new);
        return new Batch(n, columns);
    }
}
