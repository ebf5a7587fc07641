package org.unimeros.engine.aggregate;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DoubleColumn;
import org.unimeros.engine.key.RowsByGroup;

/** The mean: a sum and a count. */
final class Mean extends Accumulator {

    private final Sum sum;
    private final Count count = new Count();
    private final double divisor;

    Mean(Sum sum, DataType type) {
        this.sum = sum;
        this.divisor = type instanceof DataType.Decimal d && !d.isWide() ? Math.pow(10, d.scale()) : 1;
    }

    static List<DataType> partialTypes(DataType type) {
        List<DataType> all = new ArrayList<>(Sum.partialTypes(type));
        all.add(DataType.LONG);
        return all;
    }

    @Override
    public void reserve(int groups) {
        sum.reserve(groups);
        count.reserve(groups);
    }

    @Override
    public void add(int[] groups, int rows, Column argument) {
        sum.add(groups, rows, argument);
        count.add(groups, rows, argument);
    }

    @Override
    public void add(int[] groups, int rows, Column argument, RowsByGroup sorted) {
        sum.add(groups, rows, argument, sorted);
        count.add(groups, rows, argument, sorted);
    }

    @Override
    public void merge(int[] groups, int rows, Column[] partial) {
        sum.merge(groups, rows, partial);
        count.merge(groups, rows, new Column[] {partial[partial.length - 1]});
    }

    @Override
    public Column[] partial(int groups) {
        Column[] sums = sum.partial(groups);
        Column[] all = Arrays.copyOf(sums, sums.length + 1);
        all[sums.length] = count.partial(groups)[0];
        return all;
    }

    @Override
    public Column result(int groups) {
        double[] out = new double[groups];
        long[] nulls = Bits.make(groups);
        for (int i = 0; i < groups; i++) {
            if (count.count(i) == 0) {
                Bits.set(nulls, i);
            } else {
                out[i] = sum.total(i) / divisor / count.count(i);
            }
        }
        return new DoubleColumn(out, Bits.any(nulls, groups) ? nulls : null);
    }

    @Override
    long sizeInBytes() {
        return sum.sizeInBytes() + count.sizeInBytes();
    }

    @Override
    public void clear() {
        sum.clear();
        count.clear();
    }
}
