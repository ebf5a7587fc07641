package org.unimeros.engine.group;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.function.IntFunction;
import org.unimeros.engine.aggregate.Accumulator;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.key.KeyTable;
import org.unimeros.engine.key.KeyTables;
import org.unimeros.engine.key.RowsByGroup;

/** Groups by their keys, with what aggregates know of each. Without keys there is one, as soon as there is a row. Of one thread. */
final class Groups {

    private final Evaluator evaluator;
    private final List<DataType> keyTypes;
    private final List<Aggregate> aggregates;
    private List<Accumulator> accumulators;
    private KeyTable table;
    /** Of the rows that were numbered last. */
    private int[] groups = new int[Batch.TARGET_ROWS];
    /** How many were numbered since there were no groups. */
    private long rows;

    /** @param evaluator opens code of the job */
    Groups(Evaluator evaluator, List<DataType> keyTypes, List<Aggregate> aggregates) {
        this.evaluator = evaluator;
        this.keyTypes = keyTypes;
        this.aggregates = aggregates;
        start();
    }

    private void start() {
        table = KeyTables.of(keyTypes);
        accumulators = new ArrayList<>();
        aggregates.forEach(a -> accumulators.add(Accumulator.of(a, evaluator)));
        rows = 0;
    }

    /** Finds the groups of some rows, to which values or partial states can be added then. */
    void number(Column[] keys, int n) {
        if (groups.length < n) {
            groups = new int[n];
        }
        if (keyTypes.isEmpty()) {
            Arrays.fill(groups, 0, n, 0);
        } else {
            table.number(keys, n, groups);
        }
        rows += n;
    }

    /** Adds the arguments of the aggregates, null for those that have none, to the groups of the rows numbered last. */
    void addValues(IntFunction<Column> arguments, int n) {
        RowsByGroup sorted = keyTypes.isEmpty() ? null : table.rowsByKey();
        for (int i = 0; i < accumulators.size(); i++) {
            Accumulator accumulator = reserved(i);
            if (sorted == null) {
                accumulator.add(groups, n, arguments.apply(i));
            } else {
                accumulator.add(groups, n, arguments.apply(i), sorted);
            }
        }
    }

    /** Adds what came in either form from a partial grouping to the groups of its rows, which were numbered last. */
    void add(GroupForm form, Batch batch) {
        if (form.isOfRows(batch)) {
            addValues(i -> form.argument(batch, i), batch.rowCount());
            return;
        }
        for (int i = 0; i < accumulators.size(); i++) {
            reserved(i).merge(groups, batch.rowCount(), form.partial(batch, i));
        }
    }

    private Accumulator reserved(int aggregate) {
        Accumulator accumulator = accumulators.get(aggregate);
        accumulator.reserve(Math.max(1, table.size()));
        return accumulator;
    }

    int size() {
        return !keyTypes.isEmpty() ? table.size() : rows == 0 ? 0 : 1;
    }

    /** How many rows the groups are of. */
    long rows() {
        return rows;
    }

    long sizeInBytes() {
        return table.sizeInBytes() + Accumulator.sizeInBytes(accumulators);
    }

    /** Takes the keys of all groups; there are none afterwards, once their states are taken as well. */
    Column[] takeKeys() {
        return table.takeKeys();
    }

    /** Takes the partial columns of so many groups, of all aggregates one after the other. */
    Column[] takePartial(int size) {
        List<Column> columns = new ArrayList<>();
        for (Accumulator accumulator : accumulators) {
            accumulator.reserve(size);
            columns.addAll(List.of(accumulator.partial(size)));
            accumulator.clear();
        }
        rows = 0;
        return columns.toArray(Column[]::new);
    }

    /** The results of so many groups. */
    Column[] results(int size) {
        return accumulators.stream()
                .map(accumulator -> {
                    accumulator.reserve(size);
                    return accumulator.result(size);
                })
                .toArray(Column[]::new);
    }

    /** Gives up the memory for keys. */
    void release() {
        table.release();
    }

    /** Begins without groups, and without the arrays that held many. */
    void restart() {
        table.release();
        start();
    }

    static Batch batch(int rows, Column[] keys, Column[] others) {
        Column[] all = Arrays.copyOf(keys, keys.length + others.length);
        System.arraycopy(others, 0, all, keys.length, others.length);
        return new Batch(rows, all);
    }
}
