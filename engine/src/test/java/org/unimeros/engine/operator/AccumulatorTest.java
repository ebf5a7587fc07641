package org.unimeros.engine.operator;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.List;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DoubleColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Aggregates;
import org.unimeros.engine.expr.Expression.ColumnRef;

class AccumulatorTest {

    private static Aggregate aggregate(String name, DataType type) {
        return Aggregates.of(Aggregates.Call.of(name, List.of(new ColumnRef(0, "x", type))));
    }

    private static double sum(double[] values, int[] cuts) {
        Accumulator all = Accumulator.of(aggregate("sum", DataType.DOUBLE));
        all.reserve(1);
        for (int i = 0; i + 1 < cuts.length; i++) {
            int n = cuts[i + 1] - cuts[i];
            double[] part = new double[n];
            System.arraycopy(values, cuts[i], part, 0, n);
            Accumulator one = Accumulator.of(aggregate("sum", DataType.DOUBLE));
            one.reserve(1);
            one.add(new int[n], n, new DoubleColumn(part, null));
            all.merge(new int[1], 1, one.partial(1));
        }
        return ((DoubleColumn) all.result(1)).values()[0];
    }

    @Test
    void sumsOfDoublesDoNotDependOnHowTheyAreDivided() {
        Random random = new Random(5);
        for (int round = 0; round < 200; round++) {
            double[] values = new double[200];
            for (int i = 0; i < values.length; i++) {
                values[i] = (random.nextDouble() - 0.5) * Math.pow(10, random.nextInt(12));
            }
            double whole = sum(values, new int[] {0, 200});
            int cut = 1 + random.nextInt(198);
            assertEquals(whole, sum(values, new int[] {0, cut, 200}));
            assertEquals(whole, sum(values, new int[] {0, cut / 2, cut, 200}));
        }
        assertEquals(2.0, sum(new double[] {1, 1e100, 1, -1e100}, new int[] {0, 2, 4}));
        assertEquals(Double.POSITIVE_INFINITY, sum(new double[] {1, Double.POSITIVE_INFINITY}, new int[] {0, 1, 2}));
    }

    @Test
    void sumsOfLongsMayLeaveTheRangeOnTheWay() {
        Accumulator sum = Accumulator.of(aggregate("sum", DataType.LONG));
        sum.reserve(2);
        long[] values = {Long.MAX_VALUE, Long.MAX_VALUE, -Long.MAX_VALUE, Long.MIN_VALUE, 7};
        sum.add(new int[] {0, 0, 0, 1, 1}, 5, new LongColumn(values, null));
        assertEquals(Long.MAX_VALUE, ((LongColumn) sum.result(2)).values()[0]);
        sum.add(new int[] {0}, 1, new LongColumn(new long[] {1}, null));
        BadData e = assertThrows(BadData.class, () -> sum.result(2));
        assertTrue(e.getMessage().contains("9223372036854775808 in sum(x) is out of range for long"), e.getMessage());
    }

    @Test
    void anEmptyGroupHasNoSumNoMeanAndNoExtreme() {
        for (String name : List.of("sum", "avg", "min", "max")) {
            Accumulator a = Accumulator.of(aggregate(name, DataType.LONG));
            a.reserve(1);
            a.add(new int[1], 1, new LongColumn(new long[1], new long[] {1}));
            Column result = a.result(1);
            assertTrue(result.isNull(0), name);
        }
    }
}
