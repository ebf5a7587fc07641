package org.unimeros.engine.aggregate;

import java.util.List;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DoubleColumn;
import org.unimeros.engine.expr.Aggregate.Kind;

/**
 * Variances and standard deviations, from the sum of the values and the sum of their squares. Both are held in twice the
 * precision of a double (see {@link SumOfDoubles}), squares with their rounding errors (T. J. Dekker's product by a
 * fused multiply-add), so that the subtraction of two large numbers keeps enough digits and the order of rows does not
 * show.
 */
final class Variance extends Accumulator {

    static final List<DataType> PARTIAL_TYPES =
            List.of(DataType.DOUBLE, DataType.DOUBLE, DataType.DOUBLE, DataType.DOUBLE, DataType.LONG);

    /** Four times the square of the relative error of a double. */
    private static final double SMALLEST_PART = 0x1p-104;

    private final Kind kind;
    private final SumOfDoubles sums = new SumOfDoubles();
    private final SumOfDoubles squares = new SumOfDoubles();
    private final Count count = new Count();

    Variance(Kind kind) {
        this.kind = kind;
    }

    @Override
    public void reserve(int groups) {
        sums.reserve(groups);
        squares.reserve(groups);
        count.reserve(groups);
    }

    @Override
    public void add(int[] groups, int rows, Column argument) {
        sums.add(groups, rows, argument);
        count.add(groups, rows, argument);
        double[] values = ((DoubleColumn) argument).values();
        for (int i = 0; i < rows; i++) {
            if (!argument.isNull(i)) {
                double square = values[i] * values[i];
                squares.add(groups[i], square, Math.fma(values[i], values[i], -square));
            }
        }
    }

    @Override
    public void merge(int[] groups, int rows, Column[] partial) {
        sums.merge(groups, rows, new Column[] {partial[0], partial[1]});
        squares.merge(groups, rows, new Column[] {partial[2], partial[3]});
        count.merge(groups, rows, new Column[] {partial[4]});
    }

    @Override
    public Column[] partial(int groups) {
        Column[] s = sums.partial(groups);
        Column[] q = squares.partial(groups);
        return new Column[] {s[0], s[1], q[0], q[1], count.partial(groups)[0]};
    }

    @Override
    public Column result(int groups) {
        boolean sample = kind == Kind.VAR_SAMP || kind == Kind.STDDEV_SAMP;
        boolean root = kind == Kind.STDDEV_POP || kind == Kind.STDDEV_SAMP;
        double[] out = new double[groups];
        long[] nulls = Bits.make(groups);
        for (int g = 0; g < groups; g++) {
            long n = count.count(g);
            if (n < (sample ? 2 : 1)) {
                Bits.set(nulls, g);
                continue;
            }
            double variance = variance(g, n, sample ? n - 1 : n);
            out[g] = root ? Math.sqrt(variance) : variance;
        }
        return new DoubleColumn(out, Bits.any(nulls, groups) ? nulls : null);
    }

    /** The sum of squares less the square of the sum divided by the count, divided once more, in twice the precision. */
    private double variance(int group, long n, long divisor) {
        double sum = sums.sum(group);
        double square = sum * sum;
        double squareError = Math.fma(sum, sum, -square) + 2 * sum * sums.error(group);
        double mean = square / n;
        double meanError = (Math.fma(-mean, n, square) + squareError) / n;
        double distances = squares.sum(group) - mean;
        double part = distances - squares.sum(group);
        double lost = squares.sum(group) - (distances - part) - (mean + part);
        double error = lost + squares.error(group) - meanError;
        double quotient = (distances + error) / divisor;
        double rest = Math.fma(-quotient, divisor, distances) + error;
        double variance = quotient + rest / divisor;
        // What is left of equal values is smaller than the errors of so many additions in twice the precision.
        boolean isNothing = distances + error <= squares.sum(group) * n * SMALLEST_PART;
        return isNothing ? 0 : variance;
    }

    @Override
    long sizeInBytes() {
        return sums.sizeInBytes() + squares.sizeInBytes() + count.sizeInBytes();
    }

    @Override
    public void clear() {
        sums.clear();
        squares.clear();
        count.clear();
    }
}
