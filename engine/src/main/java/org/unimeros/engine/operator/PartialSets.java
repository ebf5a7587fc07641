package org.unimeros.engine.operator;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.plan.Plan.NamedAggregate;
import org.unimeros.engine.spill.StepSpace;
import org.unimeros.engine.stage.Step;

/**
 * Summarises what comes from a {@linkplain PartialGroup partial grouping} by all keys once more by those of each set. A set that has all of
 * them takes it as it is, and so does one whose groups turn out to be hardly fewer.
 */
final class PartialSets extends Operator.Inner {

    private final Evaluator evaluator;
    private final int allKeys;
    private final List<Aggregate> aggregates;
    private final GroupForm form;
    private final StepSpace space;
    private final List<OfSet> sets;
    private int[] groups = new int[Batch.TARGET_ROWS];

    PartialSets(Evaluator evaluator, Step.PartialSets step, StepSpace space, Operator next) {
        super(next);
        this.evaluator = evaluator;
        this.allKeys = step.keys();
        this.aggregates =
                step.aggregates().stream().map(NamedAggregate::aggregate).toList();
        this.form = new GroupForm(allKeys, aggregates);
        this.space = space;
        this.sets = step.sets().stream().map(OfSet::new).toList();
    }

    @Override
    void accept(Batch batch) {
        if (groups.length < batch.rowCount()) {
            groups = new int[batch.rowCount()];
        }
        sets.forEach(set -> set.add(batch));
    }

    /** What is passed on as it came has its columns. */
    @Override
    boolean forgetsBatch() {
        return next.forgetsBatch();
    }

    @Override
    void finish() {
        sets.forEach(OfSet::end);
        next.finish();
    }

    /** The groups of one set. */
    private final class OfSet {
        /** What the keys are that go on: columns of those that come, or literals. */
        private final List<Expression> keys;

        private final List<ColumnRef> columns;
        private List<Accumulator> accumulators;
        private KeyTable table;
        private long rowsInTable;
        private boolean passesOn;

        OfSet(List<Expression> keys) {
            this.keys = keys;
            this.columns = keys.stream()
                    .filter(ColumnRef.class::isInstance)
                    .map(ColumnRef.class::cast)
                    .toList();
            this.passesOn = columns.size() == allKeys;
            start();
        }

        private void start() {
            table = new KeyTable(columns.stream().map(Expression::type).toList());
            accumulators = new ArrayList<>();
            aggregates.forEach(a -> accumulators.add(Accumulator.of(a, evaluator)));
        }

        void add(Batch batch) {
            if (passesOn) {
                passOn(form.keys(batch), batch.rowCount(), form.others(batch));
                return;
            }
            number(batch);
            accumulate(batch);
            rowsInTable += batch.rowCount();
            boolean tooLarge = table.size() > 1
                    && table.sizeInBytes() + Accumulator.sizeInBytes(accumulators) > space.limit() / 2 / sets.size();
            if (tooLarge || table.size() >= PartialGroup.MOST_GROUPS) {
                passesOn = rowsInTable < PartialGroup.WORTHWHILE * table.size();
                flush();
                if (tooLarge || passesOn) {
                    table.release();
                    start();
                }
            }
        }

        private void number(Batch batch) {
            if (columns.isEmpty()) {
                Arrays.fill(groups, 0, batch.rowCount(), 0);
            } else {
                Column[] own =
                        columns.stream().map(c -> batch.column(c.index())).toArray(Column[]::new);
                table.number(own, batch.rowCount(), groups);
            }
        }

        private void accumulate(Batch batch) {
            boolean areRows = form.isOfRows(batch);
            for (int i = 0; i < accumulators.size(); i++) {
                Accumulator accumulator = accumulators.get(i);
                accumulator.reserve(Math.max(1, table.size()));
                if (areRows) {
                    accumulator.add(groups, batch.rowCount(), form.argument(batch, i));
                } else {
                    accumulator.merge(groups, batch.rowCount(), form.partial(batch, i));
                }
            }
        }

        private void flush() {
            int size = !columns.isEmpty() ? table.size() : rowsInTable == 0 ? 0 : 1;
            Column[] own = table.takeKeys();
            Column[] all = new Column[allKeys];
            for (int i = 0; i < own.length; i++) {
                all[columns.get(i).index()] = own[i];
            }
            List<Column> partial = new ArrayList<>();
            for (Accumulator accumulator : accumulators) {
                accumulator.reserve(size);
                partial.addAll(List.of(accumulator.partial(size)));
                accumulator.clear();
            }
            passOn(all, size, partial.toArray(Column[]::new));
            rowsInTable = 0;
        }

        /** @param own by the number of the key among all keys */
        private void passOn(Column[] own, int rows, Column[] others) {
            Batch none = new Batch(rows);
            List<Column> made = new ArrayList<>();
            for (Expression key : keys) {
                made.add(key instanceof ColumnRef ref ? own[ref.index()] : evaluator.evaluate(key, none));
            }
            made.addAll(List.of(others));
            push(new Batch(rows, made.toArray(Column[]::new)));
        }

        void end() {
            flush();
            table.release();
        }
    }
}
