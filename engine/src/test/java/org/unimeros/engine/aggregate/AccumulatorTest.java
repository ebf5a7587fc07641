package org.unimeros.engine.aggregate;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertNull;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.List;
import java.util.Random;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DoubleColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Aggregates;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.key.Hashing;
import org.unimeros.engine.key.RowsByGroup;

class AccumulatorTest {

    private static Aggregate aggregate(String name, DataType type) {
        return Aggregates.of(Aggregates.Call.of(name, List.of(new ColumnRef(0, "x", type))));
    }

    private static double sum(double[] values, int[] cuts) {
        Accumulator all = Accumulator.of(aggregate("sum", DataType.DOUBLE), new Evaluator());
        all.reserve(1);
        for (int i = 0; i + 1 < cuts.length; i++) {
            int n = cuts[i + 1] - cuts[i];
            double[] part = new double[n];
            System.arraycopy(values, cuts[i], part, 0, n);
            Accumulator one = Accumulator.of(aggregate("sum", DataType.DOUBLE), new Evaluator());
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
        Accumulator sum = Accumulator.of(aggregate("sum", DataType.LONG), new Evaluator());
        sum.reserve(2);
        long[] values = {Long.MAX_VALUE, Long.MAX_VALUE, -Long.MAX_VALUE, Long.MIN_VALUE, 7};
        sum.add(new int[] {0, 0, 0, 1, 1}, 5, new LongColumn(values, null));
        assertEquals(Long.MAX_VALUE, ((LongColumn) sum.result(2)).values()[0]);
        sum.add(new int[] {0}, 1, new LongColumn(new long[] {1}, null));
        BadData e = assertThrows(BadData.class, () -> sum.result(2));
        assertTrue(e.getMessage().contains("9223372036854775808 in sum(x) is out of range for long"), e.getMessage());
    }

    @Test
    void rowsThatAreSortedByGroupChangeNothing() {
        Random random = new Random(8);
        int[] groups = random.ints(500, 0, 20).map(g -> g * 3).toArray();
        long[] nulls = random.longs(8).toArray();
        RowsByGroup sorted = RowsByGroup.of(groups, 500);
        assertNull(RowsByGroup.of(IntStream.range(0, 500).toArray(), 500), "each row has a group of its own");
        for (String name : List.of("sum", "count", "avg", "min", "max", "stddev")) {
            for (boolean withNulls : new boolean[] {false, true}) {
                boolean doubles = name.equals("stddev");
                Column column = doubles
                        ? new DoubleColumn(random.doubles(500).toArray(), withNulls ? nulls : null)
                        : new LongColumn(random.longs(500, -900, 900).toArray(), withNulls ? nulls : null);
                Aggregate aggregate = aggregate(name, doubles ? DataType.DOUBLE : DataType.LONG);
                Accumulator plain = Accumulator.of(aggregate, new Evaluator());
                Accumulator other = Accumulator.of(aggregate, new Evaluator());
                plain.reserve(60);
                other.reserve(60);
                plain.add(groups, 500, column);
                other.add(groups, 500, column, sorted);
                for (int group = 0; group < 60; group++) {
                    assertEquals(
                            Values.get(plain.result(60), group, aggregate.type()),
                            Values.get(other.result(60), group, aggregate.type()),
                            name + " of group " + group);
                }
            }
        }
    }

    @Test
    void anEmptyGroupHasNoSumNoMeanAndNoExtreme() {
        for (String name : List.of("sum", "avg", "min", "max")) {
            Accumulator a = Accumulator.of(aggregate(name, DataType.LONG), new Evaluator());
            a.reserve(1);
            a.add(new int[1], 1, new LongColumn(new long[1], new long[] {1}));
            Column result = a.result(1);
            assertTrue(result.isNull(0), name);
        }
    }

    @Test
    void sketchesAreNearAndDoNotDependOnHowRowsAreDivided() {
        for (int n : new int[] {0, 1, 200, 257, 5_000, 300_000}) {
            DistinctSketch whole = new DistinctSketch();
            DistinctSketch[] parts = {new DistinctSketch(), new DistinctSketch(), new DistinctSketch()};
            QuantileSketch values = new QuantileSketch();
            QuantileSketch[] valueParts = {new QuantileSketch(), new QuantileSketch(), new QuantileSketch()};
            long[] hash = new long[1];
            for (int i = 0; i < 2 * n; i++) {
                Hashing.rows(new Column[] {new LongColumn(new long[] {i % Math.max(1, n)}, null)}, 1, hash);
                whole.add(hash[0]);
                parts[i % 3].add(hash[0]);
                values.add(i - n, 1);
                valueParts[i % 3].add(i - n, 1);
            }
            DistinctSketch merged = new DistinctSketch();
            QuantileSketch mergedValues = new QuantileSketch();
            for (int p = 2; p >= 0; p--) {
                byte[] bytes = parts[p].write();
                merged.addAll(DistinctSketch.read(bytes, 0, bytes.length));
                byte[] valueBytes = valueParts[p].write();
                mergedValues.addAll(QuantileSketch.read(valueBytes, 0, valueBytes.length));
            }
            assertEquals(whole.estimate(), merged.estimate(), n + " values");
            assertEquals(n, whole.estimate(), n <= 256 ? 0 : 0.05 * n);
            if (n > 0) {
                for (double fraction : new double[] {0, 0.25, 0.5, 0.9, 1}) {
                    double exact = Math.max(1, Math.ceil(fraction * 2 * n)) - 1 - n;
                    assertEquals(exact, values.at(fraction), Math.abs(exact) * 0.0051);
                    assertEquals(values.at(fraction), mergedValues.at(fraction));
                }
            }
        }
    }
}
