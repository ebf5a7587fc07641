package org.unimeros.engine.operator;

import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DoubleColumn;

/** The mean: a sum and a count. */
final class Mean extends Accumulator {

    private final Accumulator sum;
    private final Count count = new Count();
    private final double divisor;

    Mean(Accumulator sum, DataType type) {
        this.sum = sum;
        this.divisor = type instanceof DataType.Decimal d ? Math.pow(10, d.scale()) : 1;
    }

    @Override
    void reserve(int groups) {
        sum.reserve(groups);
        count.reserve(groups);
    }

    @Override
    void add(int[] groups, int rows, Column argument) {
        sum.add(groups, rows, argument);
        count.add(groups, rows, argument);
    }

    @Override
    void merge(int[] groups, int rows, Column[] partial) {
        sum.merge(groups, rows, partial);
        count.merge(groups, rows, new Column[] {partial[2]});
    }

    @Override
    Column[] partial(int groups) {
        Column[] sums = sum.partial(groups);
        return new Column[] {sums[0], sums[1], count.partial(groups)[0]};
    }

    @Override
    Column result(int groups) {
        double[] out = new double[groups];
        long[] nulls = Bits.make(groups);
        for (int i = 0; i < groups; i++) {
            if (count.count(i) == 0) {
                Bits.set(nulls, i);
            } else {
                double total = sum instanceof SumOfLongs longs ? longs.approximate(i) : ((SumOfDoubles) sum).value(i);
                out[i] = total / divisor / count.count(i);
            }
        }
        return new DoubleColumn(out, Bits.any(nulls, groups) ? nulls : null);
    }

    @Override
    long sizeInBytes() {
        return sum.sizeInBytes() + count.sizeInBytes();
    }

    @Override
    void clear() {
        sum.clear();
        count.clear();
    }
}
