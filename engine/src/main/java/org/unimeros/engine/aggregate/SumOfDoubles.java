package org.unimeros.engine.aggregate;

import java.util.Arrays;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DoubleColumn;

/**
 * Sums of doubles with the rounding errors kept in a second double (T. O. Ogita, S. M. Rump, S. Oishi, "Accurate sum
 * and dot product", 2005, algorithm Sum2; the exact error of each addition is D. Knuth's TwoSum). The result is as good
 * as if it had been computed in twice the precision and rounded once, so that the order of addition does not show.
 */
final class SumOfDoubles extends Sum {

    private double[] sums = new double[16];
    private double[] errors = new double[16];

    @Override
    public void reserve(int groups) {
        seen.reserve(groups);
        if (groups > sums.length) {
            int length = Math.max(groups, sums.length * 2);
            sums = Arrays.copyOf(sums, length);
            errors = Arrays.copyOf(errors, length);
        }
    }

    @Override
    public void add(int[] groups, int rows, Column argument) {
        double[] values = ((DoubleColumn) argument).values();
        long[] nulls = argument.nulls();
        seen.add(groups, rows, nulls);
        for (int i = 0; i < rows; i++) {
            if (nulls == null || !Bits.get(nulls, i)) {
                put(groups[i], values[i], 0);
            }
        }
    }

    void add(int group, double value, double error) {
        seen.add(group);
        put(group, value, error);
    }

    private void put(int group, double value, double error) {
        double a = sums[group];
        double sum = a + value;
        double part = sum - a;
        errors[group] += (a - (sum - part)) + (value - part) + error;
        sums[group] = sum;
    }

    @Override
    public void merge(int[] groups, int rows, Column[] partial) {
        double[] from = ((DoubleColumn) partial[0]).values();
        double[] fromErrors = ((DoubleColumn) partial[1]).values();
        seen.add(groups, rows, partial[0].nulls());
        for (int i = 0; i < rows; i++) {
            if (!partial[0].isNull(i)) {
                put(groups[i], from[i], fromErrors[i]);
            }
        }
    }

    @Override
    public Column[] partial(int groups) {
        long[] empty = seen.empty(groups);
        return new Column[] {
            new DoubleColumn(Arrays.copyOf(sums, groups), empty), new DoubleColumn(Arrays.copyOf(errors, groups), empty)
        };
    }

    @Override
    public Column result(int groups) {
        double[] out = new double[groups];
        for (int i = 0; i < groups; i++) {
            out[i] = value(i);
        }
        return new DoubleColumn(out, seen.empty(groups));
    }

    /** Once a sum is infinite or NaN its error means nothing. */
    double value(int group) {
        return Double.isFinite(sums[group]) ? sums[group] + errors[group] : sums[group];
    }

    @Override
    double total(int group) {
        return value(group);
    }

    double sum(int group) {
        return sums[group];
    }

    double error(int group) {
        return Double.isFinite(sums[group]) ? errors[group] : 0;
    }

    @Override
    long sizeInBytes() {
        return 16L * sums.length + seen.sizeInBytes();
    }

    @Override
    public void clear() {
        Arrays.fill(sums, 0);
        Arrays.fill(errors, 0);
        seen.clear();
    }
}
