package org.unimeros.engine.group;

import org.unimeros.engine.data.Batch;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.operator.Operator;
import org.unimeros.engine.spill.StepSpace;
import org.unimeros.engine.stage.Step;

/** Summarises groups whose aggregates must see all values together. */
public final class WholeGroup extends Operator.Inner {

    private final GroupCollector collector;

    public WholeGroup(Evaluator evaluator, Step.WholeGroup step, StepSpace space, Operator next) {
        super(next);
        this.collector = new GroupCollector(evaluator, step, space, 0);
    }

    @Override
    public void accept(Batch batch) {
        collector.add(batch);
    }

    @Override
    public void finish() {
        collector.finish(this::push);
        next.finish();
    }
}
