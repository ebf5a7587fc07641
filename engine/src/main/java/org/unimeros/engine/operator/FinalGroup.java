package org.unimeros.engine.operator;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.Plan.NamedAggregate;

/** Merges partial summaries. Its input has the keys first, then the partial columns of each aggregate. */
final class FinalGroup extends Operator.Inner {

    private final int keyCount;
    private final List<Accumulator> accumulators = new ArrayList<>();
    private final List<Integer> widths = new ArrayList<>();
    private final KeyTable table;
    private int[] groups = new int[Batch.TARGET_ROWS];

    FinalGroup(List<Named> keys, List<NamedAggregate> aggregates, Operator next) {
        super(next);
        this.keyCount = keys.size();
        List<DataType> keyTypes = keys.stream().map(k -> k.expression().type()).toList();
        this.table = new KeyTable(keyTypes);
        for (NamedAggregate a : aggregates) {
            accumulators.add(Accumulator.of(a.aggregate()));
            widths.add(Accumulator.partialTypes(a.aggregate()).size());
        }
    }

    @Override
    void accept(Batch batch) {
        int rows = batch.rowCount();
        if (groups.length < rows) {
            groups = new int[rows];
        }
        if (keyCount == 0) {
            Arrays.fill(groups, 0, rows, 0);
        } else {
            table.number(columns(batch, 0, keyCount), rows, groups);
        }
        int at = keyCount;
        for (int i = 0; i < accumulators.size(); i++) {
            accumulators.get(i).reserve(Math.max(1, table.size()));
            accumulators.get(i).merge(groups, rows, columns(batch, at, widths.get(i)));
            at += widths.get(i);
        }
    }

    private static Column[] columns(Batch batch, int from, int n) {
        Column[] columns = new Column[n];
        for (int i = 0; i < n; i++) {
            columns[i] = batch.column(from + i);
        }
        return columns;
    }

    /** Without keys there is one group, even of no rows. */
    @Override
    void finish() {
        int size = keyCount == 0 ? 1 : table.size();
        List<Column> columns = new ArrayList<>(List.of(table.takeKeys()));
        for (Accumulator accumulator : accumulators) {
            accumulator.reserve(size);
            columns.add(accumulator.result(size));
        }
        push(new Batch(size, columns.toArray(Column[]::new)));
        next.finish();
    }
}
