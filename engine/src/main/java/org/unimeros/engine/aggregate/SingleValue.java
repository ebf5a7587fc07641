package org.unimeros.engine.aggregate;

import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.error.BadData;

/** The value of the only row of a group. */
final class SingleValue extends Accumulator {

    private final Extreme value;
    private final Count rows = new Count();

    SingleValue(Extreme value) {
        this.value = value;
    }

    @Override
    public void reserve(int groups) {
        value.reserve(groups);
        rows.reserve(groups);
    }

    @Override
    public void add(int[] groups, int n, Column argument) {
        value.add(groups, n, argument);
        rows.add(groups, n, null);
    }

    @Override
    public void merge(int[] groups, int n, Column[] partial) {
        value.add(groups, n, partial[0]);
        rows.merge(groups, n, new Column[] {partial[1]});
    }

    @Override
    public Column[] partial(int groups) {
        return new Column[] {value.result(groups), rows.result(groups)};
    }

    @Override
    public Column result(int groups) {
        long[] counts = ((LongColumn) rows.result(groups)).values();
        for (int i = 0; i < groups; i++) {
            if (counts[i] > 1) {
                throw new BadData("a query that is used as a value gave " + counts[i]
                        + " rows; let it give one, with an aggregate or a narrower condition");
            }
        }
        return value.result(groups);
    }

    @Override
    long sizeInBytes() {
        return value.sizeInBytes() + rows.sizeInBytes();
    }

    @Override
    public void clear() {
        value.clear();
        rows.clear();
    }
}
