package org.unimeros.engine.aggregate;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.math.BigDecimal;
import java.math.MathContext;
import java.util.Arrays;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DoubleColumn;
import org.unimeros.engine.data.StructColumn;
import org.unimeros.engine.expr.Aggregate.PairSummary;

class CovarianceTest {

    private static final int PAIRS = 900;

    private final Random random = new Random(2531);
    private final double[] y = new double[PAIRS];
    private final double[] x = new double[PAIRS];

    /** One group, of parts that are summarised apart and merged. */
    private double summary(PairSummary summary, int parts) {
        Covariance whole = new Covariance(summary);
        whole.reserve(1);
        for (int p = 0; p < parts; p++) {
            int from = p * PAIRS / parts;
            int rows = (p + 1) * PAIRS / parts - from;
            double[] ys = new double[rows];
            double[] xs = new double[rows];
            System.arraycopy(y, from, ys, 0, rows);
            System.arraycopy(x, from, xs, 0, rows);
            Covariance part = new Covariance(summary);
            part.reserve(1);
            Column[] fields = {new DoubleColumn(ys, null), new DoubleColumn(xs, null)};
            part.add(new int[rows], rows, new StructColumn(fields, null));
            whole.merge(new int[1], 1, part.partial(1));
        }
        return ((DoubleColumn) whole.result(1)).values()[0];
    }

    private static double together(double[] as, double[] bs) {
        BigDecimal count = BigDecimal.valueOf(PAIRS);
        BigDecimal sum = BigDecimal.ZERO;
        BigDecimal sumA = BigDecimal.ZERO;
        BigDecimal sumB = BigDecimal.ZERO;
        for (int i = 0; i < PAIRS; i++) {
            sum = sum.add(new BigDecimal(as[i]).multiply(new BigDecimal(bs[i])));
            sumA = sumA.add(new BigDecimal(as[i]));
            sumB = sumB.add(new BigDecimal(bs[i]));
        }
        BigDecimal mean = sumA.multiply(sumB).divide(count, new MathContext(80));
        return sum.subtract(mean).doubleValue();
    }

    @Test
    void summariesAreThoseOfExactSumsHoweverPairsAreDivided() {
        for (double offset : new double[] {0, 1e3, 1e7}) {
            for (int i = 0; i < PAIRS; i++) {
                x[i] = offset + random.nextGaussian();
                y[i] = 3 * x[i] - offset + random.nextGaussian() / 10;
            }
            double yx = together(y, x);
            double xx = together(x, x);
            double yy = together(y, y);
            for (int parts : new int[] {1, 2, 7, 300}) {
                near(yx / PAIRS, summary(PairSummary.COVAR_POP, parts));
                near(yx / (PAIRS - 1), summary(PairSummary.COVAR_SAMP, parts));
                near(yx / Math.sqrt(xx * yy), summary(PairSummary.CORR, parts));
                near(yx / xx, summary(PairSummary.REGR_SLOPE, parts));
                near(yx * yx / (xx * yy), summary(PairSummary.REGR_R2, parts));
            }
        }
    }

    private static void near(double expected, double found) {
        assertEquals(expected, found, Math.abs(expected) * 1e-13);
    }

    @Test
    void equalValuesHaveNoCorrelation() {
        Arrays.fill(x, 0.1);
        for (int i = 0; i < PAIRS; i++) {
            y[i] = random.nextDouble();
        }
        Covariance spread = new Covariance(PairSummary.CORR);
        spread.reserve(2);
        Column[] fields = {new DoubleColumn(y, null), new DoubleColumn(x, null)};
        spread.add(new int[PAIRS], PAIRS, new StructColumn(fields, null));
        Column result = spread.result(2);
        assertTrue(result.isNull(0), "all x are the same");
        assertTrue(result.isNull(1), "a group without pairs");
    }
}
