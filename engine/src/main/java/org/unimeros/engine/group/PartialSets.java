package org.unimeros.engine.group;

import java.util.List;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.operator.Operator;
import org.unimeros.engine.plan.Plan.NamedAggregate;
import org.unimeros.engine.spill.StepSpace;
import org.unimeros.engine.stage.Step;

/**
 * Summarises what comes from a {@linkplain PartialGroup partial grouping} by all keys once more by those of each set. A set that has all of
 * them takes it as it is, and so does one whose groups turn out to be hardly fewer.
 */
public final class PartialSets extends Operator.Inner {

    private final Evaluator evaluator;
    private final int allKeys;
    private final List<Aggregate> aggregates;
    private final GroupForm form;
    private final StepSpace space;
    private final List<OfSet> sets;

    public PartialSets(Evaluator evaluator, Step.PartialSets step, StepSpace space, Operator next) {
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
    public void accept(Batch batch) {
        sets.forEach(set -> set.add(batch));
    }

    /** What is passed on as it came has its columns. */
    @Override
    public boolean forgetsBatch() {
        return next.forgetsBatch();
    }

    @Override
    public void finish() {
        sets.forEach(OfSet::end);
        next.finish();
    }

    /** The groups of one set. */
    private final class OfSet {
        /** What the keys are that go on: columns of those that come, or literals. */
        private final List<Expression> keys;

        private final List<ColumnRef> columns;
        private final Groups groups;
        private boolean passesOn;

        OfSet(List<Expression> keys) {
            this.keys = keys;
            this.columns = keys.stream()
                    .filter(ColumnRef.class::isInstance)
                    .map(ColumnRef.class::cast)
                    .toList();
            this.passesOn = columns.size() == allKeys;
            this.groups =
                    new Groups(evaluator, columns.stream().map(Expression::type).toList(), aggregates);
        }

        void add(Batch batch) {
            if (passesOn) {
                passOn(form.keys(batch), batch.rowCount(), form.others(batch));
                return;
            }
            Column[] own = columns.stream().map(c -> batch.column(c.index())).toArray(Column[]::new);
            groups.number(own, batch.rowCount());
            groups.add(form, batch);
            boolean tooLarge = groups.size() > 1 && groups.sizeInBytes() > space.limit() / 2 / sets.size();
            if (tooLarge || groups.size() >= PartialGroup.MOST_GROUPS) {
                passesOn = groups.rows() < PartialGroup.WORTHWHILE * groups.size();
                flush();
                if (tooLarge || passesOn) {
                    groups.restart();
                }
            }
        }

        private void flush() {
            int size = groups.size();
            Column[] own = groups.takeKeys();
            Column[] all = new Column[allKeys];
            for (int i = 0; i < own.length; i++) {
                all[columns.get(i).index()] = own[i];
            }
            passOn(all, size, groups.takePartial(size));
        }

        /** @param own by the number of the key among all keys */
        private void passOn(Column[] own, int rows, Column[] others) {
            Batch none = new Batch(rows);
            Column[] made = keys.stream()
                    .map(key -> key instanceof ColumnRef ref ? own[ref.index()] : evaluator.evaluate(key, none))
                    .toArray(Column[]::new);
            push(Groups.batch(rows, made, others));
        }

        void end() {
            flush();
            groups.release();
        }
    }
}
