package org.unimeros.engine.key;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertNotNull;
import static org.junit.jupiter.api.Assertions.assertNull;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.SpareArrays;
import org.unimeros.engine.data.Values;

/** Scans of one container beside all scans of it: columns of one value, and columns that come with each of them again. */
class KeptNumbersTest {

    private static final List<DataType> TYPES =
            List.of(DataType.INT, DataType.LONG, DataType.DOUBLE, DataType.TEXT, DataType.BOOLEAN);

    private static Object value(DataType type, Random random, int span) {
        int n = random.nextInt(span + 1);
        if (n == span) {
            return null;
        }
        return switch ((DataType.Simple) type) {
            case INT -> n;
            case LONG -> n * 1_000_003L;
            case DOUBLE -> n / 8.0;
            case TEXT -> n % 3 == 0 ? "parcel " + n : "a parcel with a name that is long " + n;
            default -> n % 2 == 0;
        };
    }

    private static Batch scans(List<DataType> types, int rows, Random random, int span) {
        BatchBuilder builder = new BatchBuilder(types);
        for (int i = 0; i < rows; i++) {
            for (int c = 0; c < types.size(); c++) {
                Values.append(builder.column(c), value(types.get(c), random, span));
            }
            builder.endRow();
        }
        return builder.build();
    }

    private static List<Object> key(Column[] columns, List<DataType> types, int row) {
        List<Object> key = new ArrayList<>();
        for (int c = 0; c < columns.length; c++) {
            key.add(Values.get(columns[c], row, types.get(c)));
        }
        return key;
    }

    /** The columns of one row beside those of a whole batch, where {@code ofOne} says so. */
    private static Column[] pairs(Batch probe, int row, Batch piece, boolean[] ofOne, SpareArrays spare) {
        Batch one = probe.repeat(row, piece.rowCount());
        one.gatherInto(spare);
        Column[] columns = new Column[ofOne.length];
        for (int c = 0; c < columns.length; c++) {
            columns[c] = ofOne[c] ? one.column(c) : piece.column(c);
        }
        return columns;
    }

    @Test
    void keysOfPairsAreNumberedAsIfNothingWereKept() {
        int kept = 0;
        for (int seed = 0; seed < 120; seed++) {
            Random random = new Random(seed);
            List<DataType> types = new ArrayList<>();
            boolean[] ofOne = new boolean[1 + random.nextInt(3)];
            for (int c = 0; c < ofOne.length; c++) {
                types.add(TYPES.get(random.nextInt(TYPES.size())));
                ofOne[c] = random.nextBoolean();
            }
            int span = 1 + random.nextInt(seed % 5 == 0 ? 200 : 6);
            Batch probe = scans(types, 12, random, span);
            Batch[] pieces = {scans(types, 300, random, span), scans(types, 300, random, span)};
            SpareArrays spare = new SpareArrays();
            KeyTable table = KeyTables.of(types);
            for (int life = 0; life < 2; life++) {
                Map<List<Object>, Integer> expected = new HashMap<>();
                for (int batch = 0; batch < 60; batch++) {
                    Batch piece = pieces[random.nextInt(2)];
                    Column[] columns = pairs(probe, random.nextInt(12), piece, ofOne, spare);
                    int[] out = new int[300];
                    table.number(columns, 300, out);
                    long[] sizes = new long[table.size()];
                    for (int i = 0; i < 300; i++) {
                        int number = out[i];
                        assertEquals(
                                number,
                                expected.computeIfAbsent(key(columns, types, i), k -> number),
                                "seed " + seed + ", row " + i);
                        sizes[number]++;
                    }
                    assertEquals(expected.size(), table.size());
                    if (table.rowsByKey() != null) {
                        kept++;
                        long[] counted = new long[sizes.length];
                        table.rowsByKey().count(counted);
                        assertTrue(Arrays.equals(sizes, counted), "seed " + seed);
                    }
                }
                Column[] keys = table.takeKeys();
                expected.forEach((key, number) -> assertEquals(key, key(keys, types, number)));
            }
        }
        assertTrue(kept > 2_000, kept + " batches were known");
    }

    @Test
    void whatWasNotFoundIsLookedForAgain() {
        List<DataType> types = List.of(DataType.INT);
        Batch piece = scans(types, 100, new Random(1), 3);
        Column[] columns = {piece.column(0)};
        KeyTable table = KeyTables.of(types);
        int[] out = new int[100];
        for (int i = 0; i < 4; i++) {
            table.find(columns, 100, out);
            assertTrue(Arrays.stream(out).allMatch(n -> n == -1));
        }
        table.number(columns, 100, out);
        assertTrue(Arrays.stream(out).allMatch(n -> n >= 0));
    }

    @Test
    void nothingIsKeptOfColumnsThatDoNotComeAgainOrTooSeldom() {
        KeptNumbers numbers = new KeptNumbers();
        Random random = new Random(2);
        List<DataType> types = List.of(DataType.LONG);
        int[] found = new int[4096];
        for (int i = 0; i < 1000; i++) {
            Column[] once = {scans(types, 100, random, 9).column(0)};
            assertNull(numbers.find(once, 100));
            numbers.keep(once, 100, found);
        }
        // More than are kept at a time come twice each, and so are never used.
        for (int i = 0; i < 200; i++) {
            Column[] twice = {scans(types, 4096, random, 9).column(0)};
            for (int time = 0; time < 2; time++) {
                assertNull(numbers.find(twice, 4096));
                numbers.keep(twice, 4096, found);
            }
        }
        Column[] often = {scans(types, 100, random, 9).column(0)};
        for (int time = 0; time < 5; time++) {
            assertNull(numbers.find(often, 100), "given up");
            numbers.keep(often, 100, found);
        }
    }

    @Test
    void whatComesThriceIsKnown() {
        KeptNumbers numbers = new KeptNumbers();
        Column[] often = {scans(List.of(DataType.LONG), 100, new Random(3), 9).column(0)};
        int[] found = new Random(3).ints(100, 0, 5).toArray();
        for (int time = 0; time < 2; time++) {
            assertNull(numbers.find(often, 100));
            numbers.keep(often, 100, found);
        }
        assertNotNull(numbers.find(often, 100));
        assertNull(numbers.find(often, 99), "fewer rows of it");
        numbers.forget();
        assertNull(numbers.find(often, 100));
    }
}
