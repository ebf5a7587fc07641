package org.unimeros.engine.key;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertNull;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.time.LocalDate;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.function.Function;
import java.util.stream.IntStream;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.MethodSource;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Values;

/** What every way to number keys keeps, with and without what is remembered before it. */
class KeyTableContractTest {

    private static final int ROWS = 300;

    /** A way to number keys, and values for it, which tell of {@code n} by the type. */
    private record Way(String name, List<DataType> types, Function<List<DataType>, KeyTable> table, boolean keepsKeys) {
        private static Way of(String name, Function<List<DataType>, KeyTable> table, DataType... types) {
            return new Way(name, List.of(types), table, true);
        }

        private Way remembering() {
            return new Way(name + ", remembering", types, t -> new RememberingTable(table.apply(t)), keepsKeys);
        }

        @Override
        public String toString() {
            return name;
        }
    }

    static Stream<Way> ways() {
        List<Way> plain = List.of(
                Way.of("rows of text and number", RowTable::new, DataType.TEXT, DataType.INT),
                Way.of("rows of one number", RowTable::new, DataType.DOUBLE),
                Way.of("texts", types -> new TextTable(types.get(0)), DataType.TEXT),
                Way.of("ints", types -> new WholeNumberTable(new WholeKeys(), types.get(0), true), DataType.INT),
                Way.of("longs", types -> new WholeNumberTable(new WholeKeys(), types.get(0), true), DataType.LONG),
                Way.of("dates", types -> new WholeNumberTable(new WholeKeys(), types.get(0), true), DataType.DATE),
                new Way(
                        "near numbers",
                        List.of(DataType.LONG),
                        types -> new WholeNumberTable(near(), DataType.LONG, false),
                        false));
        return plain.stream().flatMap(way -> Stream.of(way, way.remembering()));
    }

    private static NearKeys near() {
        ColumnBuilder all = ColumnBuilder.of(DataType.LONG);
        for (long n = 0; n < 400; n++) {
            all.appendLong(n);
        }
        return NearKeys.of(all.build(), 400);
    }

    private static Object value(DataType type, int n) {
        return switch (type.toString()) {
            case "int" -> n * 7_000_003;
            case "long" -> (long) n;
            case "double" -> n / 4.0;
            case "date" -> LocalDate.ofEpochDay(n);
            default -> n % 5 == 0 ? "a long name of parcel " + n : "p" + n;
        };
    }

    /** Rows of values below a bound; some are null. */
    private static List<List<Object>> rows(Way way, Random random, int bound) {
        boolean nulls = random.nextInt(3) > 0;
        return IntStream.range(0, ROWS)
                .mapToObj(row -> way.types().stream()
                        .map(type -> nulls && random.nextInt(20) == 0 ? null : value(type, random.nextInt(bound)))
                        .toList())
                .toList();
    }

    private static Column[] columns(Way way, List<List<Object>> rows) {
        Column[] columns = new Column[way.types().size()];
        for (int c = 0; c < columns.length; c++) {
            ColumnBuilder builder = ColumnBuilder.of(way.types().get(c));
            for (List<Object> row : rows) {
                Values.append(builder, row.get(c));
            }
            columns[c] = builder.build();
        }
        return columns;
    }

    @ParameterizedTest
    @MethodSource("ways")
    void equalKeysHaveEqualNumbersWithoutGaps(Way way) {
        for (int seed = 0; seed < 15; seed++) {
            Random random = new Random(seed);
            KeyTable table = way.table().apply(way.types());
            Map<List<Object>, Integer> known = new HashMap<>();
            int bound = 1 + random.nextInt(399);
            List<Column[]> before = new ArrayList<>();
            List<List<List<Object>>> rowsBefore = new ArrayList<>();
            for (int batch = 0; batch < 12; batch++) {
                boolean again = batch > 2 && random.nextInt(3) == 0;
                int which = again ? random.nextInt(before.size()) : before.size();
                if (!again) {
                    rowsBefore.add(rows(way, random, 1 + random.nextInt(bound)));
                    before.add(columns(way, rowsBefore.get(which)));
                }
                if (random.nextInt(4) == 0) {
                    table.expect(random.nextInt(2000));
                }
                check(table, before.get(which), rowsBefore.get(which), known, random.nextInt(3) == 0);
            }
        }
    }

    private static void check(
            KeyTable table, Column[] columns, List<List<Object>> rows, Map<List<Object>, Integer> known, boolean find) {
        int[] out = new int[ROWS];
        if (find) {
            table.reader().find(columns, ROWS, out);
        } else {
            table.number(columns, ROWS, out);
        }
        for (int i = 0; i < ROWS; i++) {
            if (!find) {
                known.putIfAbsent(rows.get(i), out[i]);
            }
            assertEquals(known.getOrDefault(rows.get(i), -1), out[i], "row " + i + " of " + rows.get(i));
        }
        assertEquals(known.size(), table.size());
        assertEquals(
                IntStream.range(0, known.size()).boxed().toList(),
                known.values().stream().sorted().toList());
    }

    @ParameterizedTest
    @MethodSource("ways")
    void theKeysOfATableAreTakenByNumberAndItBeginsAnew(Way way) {
        KeyTable table = way.table().apply(way.types());
        for (int life = 0; life < 3; life++) {
            List<List<Object>> rows = rows(way, new Random(life), 100);
            Map<List<Object>, Integer> known = new HashMap<>();
            check(table, columns(way, rows), rows, known, false);
            assertTrue(table.sizeInBytes() > 0);
            if (!way.keepsKeys()) {
                assertThrows(UnsupportedOperationException.class, table::takeKeys);
                return;
            }
            Column[] keys = table.takeKeys();
            known.forEach((key, number) -> {
                Object[] found = new Object[keys.length];
                Arrays.setAll(
                        found, c -> Values.get(keys[c], number, way.types().get(c)));
                assertEquals(key, Arrays.asList(found));
            });
            assertEquals(0, table.size());
        }
        table.release();
    }

    @ParameterizedTest
    @MethodSource("ways")
    void whatIsKnownOfTheRowsOfANumberAgrees(Way way) {
        KeyTable table = way.table().apply(way.types());
        Column[] columns = columns(way, rows(way, new Random(5), 4));
        int[] out = new int[ROWS];
        assertNull(table.rowsByKey());
        for (int time = 0; time < 4; time++) {
            table.number(columns, ROWS, out);
        }
        RowsByGroup rows = table.rowsByKey();
        if (rows != null) {
            long[] sums = new long[table.size()];
            long[] ones = new long[ROWS];
            Arrays.fill(ones, 1);
            rows.sum(ones, sums);
            long[] expected = new long[table.size()];
            Arrays.stream(out).forEach(number -> expected[number]++);
            assertEquals(Arrays.toString(expected), Arrays.toString(sums));
        }
    }

    @Test
    void settledKeysAreFoundAsInAnyTable() {
        int many = 2 * SettledKeysBuilder.LEAST_KEYS;
        long[] keys = new Random(3).longs(many).toArray();
        SettledKeysBuilder.Settled settled = SettledKeysBuilder.of(keys, null, many, new JointWork());
        KeyLookUp lookUp = KeyTables.of(settled.keys());
        ColumnBuilder asked = ColumnBuilder.of(DataType.LONG);
        for (int i = 0; i < ROWS; i++) {
            if (i % 10 == 0) {
                asked.appendNull();
            } else {
                asked.appendLong(i % 3 == 0 ? i : keys[i]);
            }
        }
        int[] out = new int[ROWS];
        lookUp.reader().find(new Column[] {asked.build()}, ROWS, out);
        for (int i = 0; i < ROWS; i++) {
            boolean isThere = i % 10 != 0 && i % 3 != 0;
            assertEquals(isThere, out[i] >= 0, "row " + i);
            // No key comes twice, so that the rows of the table are in the order of the numbers.
            assertTrue(!isThere || keys[settled.order()[out[i]]] == keys[i], "row " + i);
        }
        assertTrue(lookUp.sizeInBytes() > 0);
        lookUp.release();
    }
}
