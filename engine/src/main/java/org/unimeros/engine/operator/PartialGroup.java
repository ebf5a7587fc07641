package org.unimeros.engine.operator;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.plan.Plan.NamedAggregate;
import org.unimeros.engine.spill.StepSpace;

/**
 * Summarises what one task sees before it is shuffled. When the table is full it is passed on and begun anew; when that
 * shows that nearly every row has a key of its own, rows are passed on as they are ({@link GroupForm}).
 */
final class PartialGroup extends Operator.Inner {

    /** Groups held before they are passed on. */
    static final int MOST_GROUPS = 1 << 17;
    /** With fewer rows per group than this, grouping costs more than it saves. */
    static final double WORTHWHILE = 1.5;

    private final Evaluator evaluator;
    private final List<Expression> keys;
    private final List<NamedAggregate> aggregates;
    private final GroupForm form;
    private final StepSpace space;
    private List<Accumulator> accumulators;
    private KeyTable table;
    private int[] groups = new int[Batch.TARGET_ROWS];
    private long rowsInTable;
    private boolean givenUp;

    PartialGroup(
            Evaluator evaluator,
            List<Expression> keys,
            List<NamedAggregate> aggregates,
            StepSpace space,
            Operator next) {
        super(next);
        this.evaluator = evaluator;
        this.keys = keys;
        this.aggregates = aggregates;
        this.form = new GroupForm(
                keys.size(), aggregates.stream().map(NamedAggregate::aggregate).toList());
        this.space = space;
        start();
    }

    private void start() {
        table = new KeyTable(keys.stream().map(Expression::type).toList());
        accumulators = new ArrayList<>();
        aggregates.forEach(a -> accumulators.add(Accumulator.of(a.aggregate(), evaluator)));
    }

    @Override
    void accept(Batch batch) {
        int rows = batch.rowCount();
        Column[] keyColumns = new Column[keys.size()];
        for (int i = 0; i < keyColumns.length; i++) {
            keyColumns[i] = evaluator.evaluate(keys.get(i), batch);
        }
        if (givenUp) {
            push(form.ofRows(keyColumns, batch, evaluator));
            return;
        }
        if (groups.length < rows) {
            groups = new int[rows];
        }
        number(keyColumns, rows);
        accumulate(batch, Math.max(1, table.size()));
        rowsInTable += rows;
        boolean tooLarge = table.size() > 1 && sizeInBytes() > space.limit() / 2;
        if (tooLarge || table.size() >= MOST_GROUPS) {
            givenUp = rowsInTable < WORTHWHILE * table.size();
            flush();
            if (tooLarge || givenUp) {
                table.release();
                start();
            }
        }
    }

    /** Keys and values are copied, until rows are passed on with the columns as they came. */
    @Override
    boolean forgetsBatch() {
        return !givenUp || next.forgetsBatch();
    }

    private long sizeInBytes() {
        return table.sizeInBytes() + Accumulator.sizeInBytes(accumulators);
    }

    private void number(Column[] keyColumns, int rows) {
        if (keyColumns.length == 0) {
            Arrays.fill(groups, 0, rows, 0);
        } else {
            table.number(keyColumns, rows, groups);
        }
    }

    private void accumulate(Batch batch, int groupCount) {
        RowsByGroup sorted = keys.isEmpty() ? null : table.rowsByKey();
        for (int i = 0; i < accumulators.size(); i++) {
            Accumulator accumulator = accumulators.get(i);
            Column argument = aggregates
                    .get(i)
                    .aggregate()
                    .argument()
                    .map(a -> evaluator.evaluateForNow(a, batch))
                    .orElse(null);
            accumulator.reserve(groupCount);
            if (sorted == null) {
                accumulator.add(groups, batch.rowCount(), argument);
            } else {
                accumulator.add(groups, batch.rowCount(), argument, sorted);
            }
        }
    }

    private void flush() {
        int size = keys.isEmpty() ? (rowsInTable == 0 ? 0 : 1) : table.size();
        emit(table.takeKeys(), size);
        rowsInTable = 0;
    }

    private void emit(Column[] keyColumns, int size) {
        List<Column> columns = new ArrayList<>(List.of(keyColumns));
        for (Accumulator accumulator : accumulators) {
            accumulator.reserve(size);
            columns.addAll(List.of(accumulator.partial(size)));
            accumulator.clear();
        }
        push(new Batch(size, columns.toArray(Column[]::new)));
    }

    @Override
    void finish() {
        flush();
        table.release();
        next.finish();
    }
}
