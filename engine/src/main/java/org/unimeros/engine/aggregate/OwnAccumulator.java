package org.unimeros.engine.aggregate;

import org.unimeros.engine.data.Column;
import org.unimeros.engine.own.AggregateCode;

/** An aggregate of the job's own code. */
final class OwnAccumulator extends Accumulator {

    private final AggregateCode.States states;

    OwnAccumulator(AggregateCode.States states) {
        this.states = states;
    }

    @Override
    public void reserve(int groups) {
        states.reserve(groups);
    }

    @Override
    public void add(int[] groups, int rows, Column argument) {
        states.add(groups, rows, argument);
    }

    @Override
    public void merge(int[] groups, int rows, Column[] partial) {
        states.merge(groups, rows, partial[0]);
    }

    @Override
    public Column[] partial(int groups) {
        return new Column[] {states.partial(groups)};
    }

    @Override
    public Column result(int groups) {
        return states.result(groups);
    }

    @Override
    long sizeInBytes() {
        return states.sizeInBytes();
    }

    @Override
    public void clear() {
        states.clear();
    }
}
