package org.unimeros.engine.aggregate;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.math.BigInteger;
import java.util.Arrays;
import java.util.List;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Aggregates;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.key.RowsByGroup;

/** Sums that leave the range of a long on the way, and come back or not, however they are put together. */
class SumOfLongsTest {

    private static final int GROUPS = 5;
    private static final Aggregate SUM =
            Aggregates.of(Aggregates.Call.of("sum", List.of(new ColumnRef(0, "grams", DataType.LONG))));

    private static SumOfLongs sum() {
        SumOfLongs sum = new SumOfLongs(SUM);
        sum.reserve(GROUPS);
        return sum;
    }

    @Test
    void partialSumsOfAnySizeMergeToTheExactSum() {
        Random random = new Random(12);
        for (int round = 0; round < 300; round++) {
            BigInteger[] expected = new BigInteger[GROUPS];
            SumOfLongs all = sum();
            for (int part = 0; part < 4; part++) {
                SumOfLongs partial = sum();
                int rows = random.nextInt(200);
                int[] groups = random.ints(rows, 0, GROUPS - 1).toArray();
                long[] values = random.longs(rows).toArray();
                long[] nulls = Bits.make(Math.max(1, rows));
                for (int i = 0; i < rows; i++) {
                    values[i] = round % 2 == 0 ? values[i] : values[i] >> 40;
                    if (random.nextInt(10) == 0) {
                        Bits.set(nulls, i);
                    } else {
                        BigInteger value = BigInteger.valueOf(values[i]);
                        BigInteger before = expected[groups[i]];
                        expected[groups[i]] = before == null ? value : before.add(value);
                    }
                }
                RowsByGroup sorted = part % 2 == 0 ? null : RowsByGroup.of(groups, rows);
                if (sorted == null) {
                    partial.add(groups, rows, new LongColumn(values, nulls));
                } else {
                    partial.add(groups, rows, new LongColumn(values, nulls), sorted);
                }
                Column[] columns = partial.partial(GROUPS);
                int[] each = new int[GROUPS];
                Arrays.setAll(each, i -> i);
                all.merge(each, GROUPS, columns);
            }
            check(expected, all);
        }
    }

    private static void check(BigInteger[] expected, SumOfLongs sum) {
        boolean inRange = true;
        for (int g = 0; g < GROUPS; g++) {
            BigInteger exact = expected[g] == null ? BigInteger.ZERO : expected[g];
            assertEquals(exact.doubleValue(), sum.total(g));
            inRange &= exact.bitLength() < 64;
        }
        if (!inRange) {
            assertTrue(assertThrows(BadData.class, () -> sum.result(GROUPS))
                    .getMessage()
                    .contains("out of range for long"));
            return;
        }
        LongColumn result = (LongColumn) sum.result(GROUPS);
        for (int g = 0; g < GROUPS; g++) {
            assertEquals(expected[g] == null, result.isNull(g));
            assertEquals(expected[g] == null ? 0 : expected[g].longValueExact(), result.values()[g]);
        }
    }

    @Test
    void aSumThatComesBackIntoRangeIsNoError() {
        SumOfLongs sum = sum();
        long[] values = {Long.MAX_VALUE, Long.MAX_VALUE, 5, -Long.MAX_VALUE, -Long.MAX_VALUE, Long.MIN_VALUE};
        sum.add(new int[] {0, 0, 0, 0, 0, 0}, 5, new LongColumn(values, null));
        assertEquals(5, ((LongColumn) sum.result(1)).values()[0]);
        sum.add(new int[] {0}, 1, new LongColumn(new long[] {Long.MIN_VALUE}, null));
        assertEquals(Long.MIN_VALUE + 5, ((LongColumn) sum.result(1)).values()[0]);
        sum.add(new int[] {0}, 1, new LongColumn(new long[] {-6}, null));
        assertTrue(assertThrows(BadData.class, () -> sum.result(1)).getMessage().contains("-9223372036854775809"));
        sum.clear();
        assertTrue(sum.result(1).isNull(0));
    }
}
