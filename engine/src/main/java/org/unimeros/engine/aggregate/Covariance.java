package org.unimeros.engine.aggregate;

import java.util.List;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DoubleColumn;
import org.unimeros.engine.data.StructColumn;
import org.unimeros.engine.expr.Aggregate.PairSummary;

/**
 * Covariance, correlation and the line of least squares of pairs {@code (y, x)}, from the sums of both, of their squares and of their products, in twice
 * the precision of a double as in {@link Variance}.
 */
final class Covariance extends Accumulator {

    static final List<DataType> PARTIAL_TYPES = List.of(
            DataType.DOUBLE,
            DataType.DOUBLE,
            DataType.DOUBLE,
            DataType.DOUBLE,
            DataType.DOUBLE,
            DataType.DOUBLE,
            DataType.DOUBLE,
            DataType.DOUBLE,
            DataType.DOUBLE,
            DataType.DOUBLE,
            DataType.LONG);

    /** Sixteen times the square of the relative error of a double. */
    private static final double SMALLEST_PART = 0x1p-102;

    private final PairSummary summary;
    private final SumOfDoubles ys = new SumOfDoubles();
    private final SumOfDoubles xs = new SumOfDoubles();
    private final SumOfDoubles yys = new SumOfDoubles();
    private final SumOfDoubles xxs = new SumOfDoubles();
    private final SumOfDoubles yxs = new SumOfDoubles();
    private final List<SumOfDoubles> sums = List.of(ys, xs, yys, xxs, yxs);
    private final Count count = new Count();

    Covariance(PairSummary summary) {
        this.summary = summary;
    }

    @Override
    public void reserve(int groups) {
        sums.forEach(s -> s.reserve(groups));
        count.reserve(groups);
    }

    @Override
    public void add(int[] groups, int rows, Column argument) {
        count.add(groups, rows, argument);
        StructColumn pairs = (StructColumn) argument;
        double[] y = ((DoubleColumn) pairs.field(0)).values();
        double[] x = ((DoubleColumn) pairs.field(1)).values();
        for (int i = 0; i < rows; i++) {
            if (!argument.isNull(i)) {
                ys.add(groups[i], y[i], 0);
                xs.add(groups[i], x[i], 0);
                product(yys, groups[i], y[i], y[i]);
                product(xxs, groups[i], x[i], x[i]);
                product(yxs, groups[i], y[i], x[i]);
            }
        }
    }

    private static void product(SumOfDoubles to, int group, double a, double b) {
        double product = a * b;
        to.add(group, product, Math.fma(a, b, -product));
    }

    @Override
    public void merge(int[] groups, int rows, Column[] partial) {
        for (int i = 0; i < sums.size(); i++) {
            sums.get(i).merge(groups, rows, new Column[] {partial[2 * i], partial[2 * i + 1]});
        }
        count.merge(groups, rows, new Column[] {partial[2 * sums.size()]});
    }

    @Override
    public Column[] partial(int groups) {
        Column[] all = new Column[PARTIAL_TYPES.size()];
        for (int i = 0; i < sums.size(); i++) {
            Column[] pair = sums.get(i).partial(groups);
            all[2 * i] = pair[0];
            all[2 * i + 1] = pair[1];
        }
        all[2 * sums.size()] = count.partial(groups)[0];
        return all;
    }

    @Override
    public Column result(int groups) {
        double[] out = new double[groups];
        long[] nulls = Bits.make(groups);
        for (int g = 0; g < groups; g++) {
            long n = count.count(g);
            double value = n == 0 ? Double.NaN : value(g, n);
            if (isNothing(g, n)) {
                Bits.set(nulls, g);
            } else {
                out[g] = value;
            }
        }
        return new DoubleColumn(out, Bits.any(nulls, groups) ? nulls : null);
    }

    /** Whether there are too few pairs, or all of them are on a line that has no slope or no correlation. */
    private boolean isNothing(int g, long n) {
        if (n < (summary == PairSummary.COVAR_SAMP ? 2 : 1)) {
            return true;
        }
        return switch (summary) {
            case CORR -> together(xs, xs, xxs, g, n) == 0 || together(ys, ys, yys, g, n) == 0;
            case REGR_SLOPE, REGR_INTERCEPT, REGR_R2 -> together(xs, xs, xxs, g, n) == 0;
            default -> false;
        };
    }

    private double value(int g, long n) {
        double xx = together(xs, xs, xxs, g, n);
        double yy = together(ys, ys, yys, g, n);
        double yx = together(ys, xs, yxs, g, n);
        return switch (summary) {
            case COVAR_POP -> yx / n;
            case COVAR_SAMP -> yx / (n - 1);
            case CORR -> Math.clamp(yx / root(xx, yy), -1, 1);
            case REGR_SLOPE -> yx / xx;
            case REGR_INTERCEPT -> (ys.sum(g) - xs.sum(g) * yx / xx) / n;
            case REGR_R2 -> yy == 0 ? 1 : Math.clamp(yx / xx * (yx / yy), 0, 1);
        };
    }

    /** The root of a product, also where that is out of range. */
    private static double root(double a, double b) {
        double product = a * b;
        boolean inRange = product >= Double.MIN_NORMAL && product <= Double.MAX_VALUE;
        return inRange ? Math.sqrt(product) : Math.sqrt(a) * Math.sqrt(b);
    }

    /** The sum of products less the product of the sums divided by the count. */
    private static double together(SumOfDoubles as, SumOfDoubles bs, SumOfDoubles products, int g, long n) {
        double a = as.sum(g);
        double b = bs.sum(g);
        double product = a * b;
        double productError = Math.fma(a, b, -product) + a * bs.error(g) + b * as.error(g);
        double mean = product / n;
        double meanError = (Math.fma(-mean, n, product) + productError) / n;
        double whole = products.sum(g);
        double distances = whole - mean;
        double part = distances - whole;
        double lost = whole - (distances - part) - (mean + part);
        double result = distances + (lost + products.error(g) - meanError);
        // What is left of equal values is smaller than the errors of so many additions in twice the precision.
        boolean isNothing = Math.abs(result) <= Math.max(Math.abs(whole), Math.abs(mean)) * n * SMALLEST_PART;
        return isNothing || as == bs && result < 0 ? 0 : result;
    }

    @Override
    long sizeInBytes() {
        return sums.stream().mapToLong(SumOfDoubles::sizeInBytes).sum() + count.sizeInBytes();
    }

    @Override
    public void clear() {
        sums.forEach(SumOfDoubles::clear);
        count.clear();
    }
}
