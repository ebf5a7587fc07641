package org.unimeros.engine.group;

import java.util.List;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.operator.Operator;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.Plan.NamedAggregate;
import org.unimeros.engine.spill.StepSpace;

/** Merges partial summaries. Its input has the keys first, then the partial columns of each aggregate. */
public final class FinalGroup extends Operator.Inner {

    private final GroupMerger merger;

    public FinalGroup(
            Evaluator evaluator, List<Named> keys, List<NamedAggregate> aggregates, StepSpace space, Operator next) {
        super(next);
        this.merger = new GroupMerger(
                evaluator,
                keys.stream().map(k -> k.expression().type()).toList(),
                aggregates.stream().map(NamedAggregate::aggregate).toList(),
                space,
                0);
    }

    @Override
    public void accept(Batch batch) {
        merger.add(batch);
    }

    @Override
    public void finish() {
        merger.finish(this::push);
        next.finish();
    }
}
