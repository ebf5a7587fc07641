package org.unimeros.engine.group;

import java.util.List;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.operator.Operator;
import org.unimeros.engine.plan.Plan.NamedAggregate;
import org.unimeros.engine.spill.StepSpace;

/**
 * Summarises what one task sees before it is shuffled. When the table is full it is passed on and begun anew; when that
 * shows that nearly every row has a key of its own, rows are passed on as they are ({@link GroupForm}).
 */
public final class PartialGroup extends Operator.Inner {

    /** Groups held before they are passed on. */
    static final int MOST_GROUPS = 1 << 17;
    /** With fewer rows per group than this, grouping costs more than it saves. */
    static final double WORTHWHILE = 1.5;

    private final Evaluator evaluator;
    private final List<Expression> keys;
    private final List<NamedAggregate> aggregates;
    private final GroupForm form;
    private final StepSpace space;
    private final Groups groups;
    private boolean givenUp;

    public PartialGroup(
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
        this.groups = new Groups(
                evaluator,
                keys.stream().map(Expression::type).toList(),
                aggregates.stream().map(NamedAggregate::aggregate).toList());
        this.space = space;
    }

    @Override
    public void accept(Batch batch) {
        int rows = batch.rowCount();
        Column[] keyColumns = new Column[keys.size()];
        for (int i = 0; i < keyColumns.length; i++) {
            keyColumns[i] = evaluator.evaluate(keys.get(i), batch);
        }
        if (givenUp) {
            push(form.ofRows(keyColumns, batch, evaluator));
            return;
        }
        groups.number(keyColumns, rows);
        groups.addValues(i -> argument(i, batch), rows);
        boolean tooLarge = groups.size() > 1 && groups.sizeInBytes() > space.limit() / 2;
        if (tooLarge || groups.size() >= MOST_GROUPS) {
            givenUp = groups.rows() < WORTHWHILE * groups.size();
            flush();
            if (tooLarge || givenUp) {
                groups.restart();
            }
        }
    }

    private Column argument(int aggregate, Batch batch) {
        return aggregates
                .get(aggregate)
                .aggregate()
                .argument()
                .map(a -> evaluator.evaluateForNow(a, batch))
                .orElse(null);
    }

    /** Keys and values are copied, until rows are passed on with the columns as they came. */
    @Override
    public boolean forgetsBatch() {
        return !givenUp || next.forgetsBatch();
    }

    private void flush() {
        int size = groups.size();
        push(Groups.batch(size, groups.takeKeys(), groups.takePartial(size)));
    }

    @Override
    public void finish() {
        flush();
        groups.release();
        next.finish();
    }
}
