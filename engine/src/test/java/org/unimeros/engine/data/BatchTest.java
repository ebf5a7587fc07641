package org.unimeros.engine.data;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertSame;

import java.util.Arrays;
import java.util.List;
import java.util.Random;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;

class BatchTest {

    private static final List<DataType> TYPES = List.of(DataType.LONG, DataType.INT, DataType.DOUBLE, DataType.TEXT);

    private static Batch longs(long[]... columns) {
        return new Batch(
                columns[0].length,
                Arrays.stream(columns).map(c -> new LongColumn(c, null)).toArray(Column[]::new));
    }

    private static long[] values(Batch batch, int column) {
        return Arrays.copyOf(((LongColumn) batch.column(column)).values(), batch.rowCount());
    }

    @Test
    void batchesSideBySideKeepTheirOwnSelections() {
        Random random = new Random(1);
        for (int round = 0; round < 200; round++) {
            long[] a = random.longs(50).toArray();
            long[] b = random.longs(50).toArray();
            long[] c = random.longs(70).toArray();
            int n = 1 + random.nextInt(60);
            int[] left = random.ints(n, 0, 50).toArray();
            int[] right = random.ints(n, 0, 70).toArray();
            Batch wide = longs(a, b);
            Batch both = Batch.beside(
                    round % 3 == 0 ? longs(pick(a, left), pick(b, left)) : wide.select(left, n),
                    round % 5 == 0 ? longs(pick(c, right)) : longs(c).select(right, n));
            int[] again = random.ints(n, 0, n).toArray();
            Batch selected = both.select(again, n);
            if (round % 2 == 0) {
                both.dense();
            }
            assertEquals(3, selected.columnCount());
            assertArrayEquals(pick(pick(a, left), again), values(selected, 0));
            assertArrayEquals(pick(pick(b, left), again), values(selected, 1));
            assertArrayEquals(pick(pick(c, right), again), values(selected.dense(), 2));
            assertArrayEquals(pick(c, right), values(both, 2));
            assertArrayEquals(pick(b, left), values(both.pick(new int[] {2, 1}), 1));
        }
    }

    @Test
    void runsAndRepeatedRowsMeanRowsOfWhatWasSelectedBefore() {
        Random random = new Random(2);
        for (int round = 0; round < 300; round++) {
            long[] a = random.longs(50).toArray();
            Batch batch = Batch.beside(
                    longs(a), longs(a).select(random.ints(50, 0, 50).toArray(), 50));
            long[] b = values(batch, 1);
            int n = 50;
            for (int step = 0; step < 4 && n > 0; step++) {
                int from = random.nextInt(n);
                int more = 1 + random.nextInt(n - from);
                int[] rows;
                int kind = random.nextInt(3);
                if (kind == 0) {
                    rows = IntStream.range(from, from + more).toArray();
                    batch = batch.slice(from, more);
                } else if (kind == 1) {
                    rows = IntStream.generate(() -> from).limit(more).toArray();
                    batch = batch.repeat(from, more);
                } else {
                    rows = random.ints(more, 0, n).toArray();
                    batch = batch.select(rows, more);
                }
                a = pick(a, rows);
                b = pick(b, rows);
                n = more;
            }
            assertArrayEquals(a, values(batch, 0));
            assertArrayEquals(b, values(batch, 1));
        }
    }

    private static long[] pick(long[] values, int[] rows) {
        return Arrays.stream(rows).mapToLong(r -> values[r]).toArray();
    }

    @Test
    void whatIsWholeIsNotCopied() {
        Batch batch = longs(new long[] {1, 2, 3});
        assertSame(batch, batch.slice(0, 3));
        assertSame(batch, batch.dense());
        assertSame(batch.column(0), Batch.beside(batch, batch).column(1));
        assertArrayEquals(new long[] {2, 3}, values(batch.slice(1, 2), 0));
    }

    /** A batch of just as many rows as were expected has the array of its builder, which must not be written any more. */
    @Test
    void whatWasBuiltDoesNotChangeWhateverWasExpected() {
        for (int rows : new int[] {0, 1, 63, 64, 100, 101, 300}) {
            BatchBuilder builder = new BatchBuilder(TYPES);
            builder.expect(100);
            Batch first = numbered(builder, rows, 0);
            builder.expect(100);
            Batch second = numbered(builder, rows, 1000);
            for (int i = 0; i < rows; i++) {
                for (int c = 0; c < TYPES.size(); c++) {
                    assertEquals(i, number(first, c, i));
                    assertEquals(1000 + i, number(second, c, i));
                }
            }
        }
    }

    private static double number(Batch batch, int column, int row) {
        return Double.parseDouble(
                Values.get(batch.column(column), row, TYPES.get(column)).toString());
    }

    private static Batch numbered(BatchBuilder builder, int rows, int from) {
        for (int i = from; i < from + rows; i++) {
            builder.column(0).appendLong(i);
            builder.column(1).appendInt(i);
            builder.column(2).appendDouble(i);
            builder.column(3).appendText(String.valueOf(i));
            builder.endRow();
        }
        return builder.build();
    }

    @Test
    void largeBatchesMadeReadyForGatheringGiveTheSameRows() {
        Random random = new Random(8);
        int rows = 150_000;
        int[] chosen = random.ints(5000, 0, rows).toArray();
        chosen[1] = 7;
        chosen[2] = 9;
        long[] spans = {0, 255, 256, 65_535, 65_536, 1L << 40, -1};
        for (long span : spans) {
            long least = span < 0 ? Long.MIN_VALUE : random.nextInt() - (1L << 33);
            long[] longs = random.longs(rows, 0, Math.max(1, span + 1))
                    .map(v -> v + least)
                    .toArray();
            longs[7] = least;
            longs[9] = span < 0 ? Long.MAX_VALUE : least + span;
            int leastInt = span > 65_536 ? Integer.MIN_VALUE : -300;
            int[] ints = Arrays.stream(longs)
                    .mapToInt(v -> leastInt + (int) Math.floorMod(v - least, 1L << 31))
                    .toArray();
            int[] ids = random.ints(rows, 0, 3).toArray();
            ColumnBuilder names = ColumnBuilder.of(DataType.TEXT);
            List.of("D01", "", "Nordkamp").forEach(names::appendText);
            TextColumn depots = (TextColumn) names.build();
            long[] nulls = Bits.make(rows);
            Bits.set(nulls, chosen[0]);
            Batch batch = new Batch(
                    rows,
                    new LongColumn(longs, null),
                    new IntColumn(ints, nulls),
                    TextColumn.encoded(ids, depots, 3, nulls),
                    depots.gather(ids, rows));
            Batch ready = batch.forGathering();
            Batch expected = batch.select(chosen, chosen.length);
            Batch found = ready.select(chosen, chosen.length);
            for (int c = 0; c < batch.columnCount(); c++) {
                DataType type = List.of(DataType.LONG, DataType.INT, DataType.TEXT, DataType.TEXT)
                        .get(c);
                for (int i = 0; i < chosen.length; i++) {
                    assertEquals(
                            Values.get(expected.column(c), i, type),
                            Values.get(found.column(c), i, type),
                            "span " + span);
                }
                Column without = ready.column(c).withNulls(null).gather(chosen, 1);
                assertEquals(
                        Values.get(batch.column(c).withNulls(null), chosen[0], type), Values.get(without, 0, type));
            }
        }
    }
}
