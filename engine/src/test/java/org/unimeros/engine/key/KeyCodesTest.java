package org.unimeros.engine.key;

import static java.nio.charset.StandardCharsets.US_ASCII;
import static org.junit.jupiter.api.Assertions.assertEquals;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.BooleanColumn;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.TextColumn;

class KeyCodesTest {

    private static final TextColumn KINDS = texts("load", "unload", "load", "sort");

    private static TextColumn texts(String... values) {
        BatchBuilder batch = new BatchBuilder(List.of(DataType.TEXT));
        for (String value : values) {
            batch.column(0).appendText(value);
            batch.endRow();
        }
        return (TextColumn) batch.build().column(0);
    }

    /** Columns of one of the forms that have codes, with nulls in half of the cases, over which anything may stand. */
    private static Column random(Random random, int rows, boolean wide) {
        long[] nulls = random.nextBoolean() ? null : Bits.make(rows);
        for (int i = 0; nulls != null && i < rows; i++) {
            if (random.nextInt(5) == 0) {
                Bits.set(nulls, i);
            }
        }
        int span = wide ? 1_000_000 : 1 + random.nextInt(12);
        int least = random.nextInt(100) - 50;
        return switch (random.nextInt(4)) {
            case 0 -> new IntColumn(random.ints(rows, least, least + span).toArray(), nulls);
            case 1 ->
                new LongColumn(
                        random.longs(rows, Long.MAX_VALUE - span, Long.MAX_VALUE)
                                .toArray(),
                        nulls);
            case 2 -> TextColumn.encoded(random.ints(rows, 0, 4).toArray(), KINDS, 4, nulls);
            default -> new BooleanColumn(random.longs(Bits.words(rows)).toArray(), nulls);
        };
    }

    private static Object value(Column column, int row) {
        if (column.isNull(row)) {
            return "null";
        }
        return switch (column) {
            case IntColumn c -> c.values()[row];
            case LongColumn c -> c.values()[row];
            case TextColumn c -> c.text(row);
            case BooleanColumn c -> c.value(row);
            default -> throw new IllegalStateException();
        };
    }

    private static List<Object> key(Column[] columns, int row) {
        List<Object> key = new ArrayList<>();
        for (Column column : columns) {
            key.add(value(column, row));
        }
        return key;
    }

    @Test
    void keysGetTheNumbersThatLookingAtEveryRowWouldGive() {
        Random random = new Random(4);
        for (int round = 0; round < 400; round++) {
            boolean wide = round % 7 == 0;
            List<DataType> types = new ArrayList<>();
            int width = 1 + random.nextInt(3);
            Column[] first = new Column[width];
            for (int c = 0; c < width; c++) {
                first[c] = random(random, 500, wide);
                types.add(
                        switch (first[c]) {
                            case IntColumn i -> DataType.INT;
                            case LongColumn l -> DataType.LONG;
                            case TextColumn t -> DataType.TEXT;
                            default -> DataType.BOOLEAN;
                        });
            }
            KeyTable table = KeyTables.of(types);
            Map<List<Object>, Integer> expected = new LinkedHashMap<>();
            int[] numbers = new int[500];
            for (int half = 0; half < 2; half++) {
                table.number(first, 500, numbers);
                for (int row = 0; row < 500; row++) {
                    int number = expected.computeIfAbsent(key(first, row), k -> expected.size());
                    assertEquals(number, numbers[row], "round " + round + ", row " + row);
                }
                for (int c = 0; c < width; c++) {
                    first[c] = first[c].gather(random.ints(500, 0, 500).toArray(), 500);
                }
            }
            assertEquals(expected.size(), table.size());
            table.reader().find(first, 500, numbers);
            for (int row = 0; row < 500; row++) {
                assertEquals(expected.getOrDefault(key(first, row), -1), numbers[row]);
            }
        }
    }

    private static Column[] ints(int... values) {
        return new Column[] {new IntColumn(values, null)};
    }

    @Test
    void keysOfTheirOwnAreNotReduced() {
        int[] out = new int[1000];
        assertEquals(
                -1,
                new KeyCodes().reduce(ints(new Random(5).ints(1000, 0, 60_000).toArray()), 1000, out));
        assertEquals(-1, new KeyCodes().reduce(ints(new Random(5).ints(1000).toArray()), 1000, out));
        assertEquals(1, new KeyCodes().reduce(ints(new int[1000]), 1000, out));
    }

    @Test
    void whatIsKnownIsNotLookedUpAgain() {
        KeyCodes codes = new KeyCodes();
        int[] values = new Random(6).ints(1000, 0, 50).toArray();
        int[] out = new int[1000];
        int fresh = codes.reduce(ints(values), 1000, out);
        int[] found = new int[fresh];
        for (int k = 0; k < fresh; k++) {
            found[k] = 7 * values[codes.firstRows()[k]];
        }
        codes.spread(found, fresh, 1000, out);
        int[] fewer = new Random(7).ints(1000, 10, 20).toArray();
        assertEquals(0, codes.reduce(ints(fewer), 1000, out));
        for (int i = 0; i < 1000; i++) {
            assertEquals(7 * fewer[i], out[i]);
        }
        fewer[3] = 55;
        assertEquals(1, codes.reduce(ints(fewer), 1000, out), "one that is new, in the same block of numbers");
        assertEquals(3, codes.firstRows()[0]);
        codes.spread(new int[] {-1}, 1, 1000, out);
        assertEquals(-1, out[3]);
        assertEquals(1, codes.reduce(ints(fewer), 1000, out), "what was not found may be there the next time");
        codes.spread(new int[] {4}, 1, 1000, out);
        assertEquals(4, out[3]);
        codes.forget();
        assertEquals(11, codes.reduce(ints(fewer), 1000, out));
    }

    /** Where differences of numbers do not fit into a number. */
    @Test
    void rangesAtBothEndsOfAllNumbers() {
        Random random = new Random(9);
        long[] bases = {Long.MAX_VALUE - 16, Long.MAX_VALUE - 70, Long.MIN_VALUE, Long.MIN_VALUE + 60, 0, -40, 1L << 62
        };
        for (int life = 0; life < 200; life++) {
            KeyTable table = KeyTables.of(List.of(DataType.LONG, DataType.BOOLEAN));
            Map<List<Object>, Integer> expected = new LinkedHashMap<>();
            int[] numbers = new int[100];
            for (int batch = 0; batch < 4; batch++) {
                long base = bases[random.nextInt(bases.length)];
                Column[] columns = {
                    new LongColumn(
                            random.ints(100, 0, 17).mapToLong(x -> base + x).toArray(), null),
                    new BooleanColumn(random.longs(2).toArray(), null)
                };
                table.number(columns, 100, numbers);
                for (int row = 0; row < 100; row++) {
                    int number = expected.computeIfAbsent(key(columns, row), k -> expected.size());
                    assertEquals(number, numbers[row], "life " + life + ", batch " + batch + ", row " + row);
                }
            }
        }
    }

    /** Pieces of the texts of one dictionary have its bytes, and stand in arrays that are used again. */
    @Test
    void otherPiecesOfTheSameBytesAreOtherTexts() {
        byte[] bytes = "abcd".getBytes(US_ASCII);
        int[] starts = {0, 1};
        int[] ends = {1, 2};
        int[] ids = new Random(10).ints(100, 0, 2).toArray();
        KeyTable table = KeyTables.of(List.of(DataType.TEXT));
        int[] numbers = new int[100];
        table.number(new Column[] {pieces(bytes, starts, ends, ids)}, 100, numbers);
        assertEquals(2, table.size());
        starts[0] = 2;
        ends[0] = 3;
        table.number(new Column[] {pieces(bytes, starts, ends, ids)}, 100, numbers);
        assertEquals(3, table.size());
    }

    private static TextColumn pieces(byte[] bytes, int[] starts, int[] ends, int[] ids) {
        return TextColumn.encoded(ids, TextColumn.slices(bytes, starts, ends, null), 2, null);
    }

    /** Values that move on, come back, and are other texts under the same numbers. */
    @Test
    void rangesFollowTheValues() {
        Random random = new Random(8);
        KeyTable table = KeyTables.of(List.of(DataType.LONG, DataType.TEXT));
        Map<List<Object>, Integer> expected = new LinkedHashMap<>();
        int[] numbers = new int[300];
        for (int round = 0; round < 300; round++) {
            long base = round % 5 == 0 ? random.nextInt(3) : round * 50L;
            long[] values =
                    random.longs(300, base, base + 1 + random.nextInt(20)).toArray();
            TextColumn texts = texts("a" + round % 3, "b", "c" + round % 4, "d", "e", "f");
            Column[] columns = {
                new LongColumn(values, null),
                TextColumn.encoded(random.ints(300, 0, 6).toArray(), texts, 6, null)
            };
            table.number(columns, 300, numbers);
            for (int row = 0; row < 300; row++) {
                int number = expected.computeIfAbsent(key(columns, row), k -> expected.size());
                assertEquals(number, numbers[row], "round " + round + ", row " + row);
            }
        }
    }
}
