package org.unimeros.engine.key;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;

import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DoubleColumn;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.data.TextForms;
import org.unimeros.engine.data.Values;

class KeyTableTest {

    private static Column column(DataType type, Object... values) {
        ColumnBuilder builder = ColumnBuilder.of(type);
        for (Object value : values) {
            Values.append(builder, value);
        }
        return builder.build();
    }

    private static int[] number(KeyTable table, Column... columns) {
        int[] out = new int[5];
        table.number(columns, 5, out);
        return out;
    }

    @Test
    void keysAreNumberedInTheOrderInWhichTheyCome() {
        KeyTable table = KeyTables.of(List.of(DataType.TEXT, DataType.INT));
        Column texts = column(DataType.TEXT, "a", "b", "a", null, null);
        Column ints = column(DataType.INT, 1, 1, 1, 1, null);
        assertArrayEquals(new int[] {0, 1, 0, 2, 3}, number(table, texts, ints));
        assertArrayEquals(new int[] {0, 1, 0, 2, 3}, number(table, texts, ints));
        assertEquals(4, table.size());
    }

    @Test
    void whatStandsInTheArrayForANullDoesNotCount() {
        KeyTable table = KeyTables.of(List.of(DataType.DOUBLE));
        Column one = new DoubleColumn(new double[] {5, 6, 7, 8, 9}, new long[] {0b11111});
        assertArrayEquals(new int[5], number(table, one));
    }

    @Test
    void zerosAreOneKeyAndSoAreAllNaNs() {
        KeyTable table = KeyTables.of(List.of(DataType.DOUBLE));
        double otherNaN = Double.longBitsToDouble(0x7ff8000000000001L);
        Column values = new DoubleColumn(new double[] {0.0, -0.0, Double.NaN, otherNaN, 1}, null);
        assertArrayEquals(new int[] {0, 0, 1, 1, 2}, number(table, values));
    }

    @Test
    void aKeyOfAZeroIsThePositiveOneWhicheverCameFirst() {
        DataType list = DataType.parse("double[]");
        DataType struct = DataType.parse("struct(kg float, offsets double[])");
        KeyTable table = KeyTables.of(List.of(DataType.DOUBLE, list, struct));
        Column[] given = {
            column(DataType.DOUBLE, -0.0, 0.0, null, -0.25, -0.0),
            column(list, List.of(-0.0, 1.0), List.of(0.0, 1.0), null, List.of(), Arrays.asList(-0.0, null)),
            column(struct, parcel(-0.0f, -0.0), parcel(0.0f, 0.0), parcel(null, -1.0), null, parcel(-0.0f))
        };
        assertArrayEquals(new int[] {0, 0, 1, 2, 3}, number(table, given));

        Column[] keys = table.takeKeys();
        assertEquals(Arrays.asList(0.0, null, -0.25, 0.0), values(keys[0], DataType.DOUBLE));
        assertEquals(
                Arrays.asList(List.of(0.0, 1.0), null, List.of(), Arrays.asList(0.0, null)), values(keys[1], list));
        assertEquals(Arrays.asList(parcel(0.0f, 0.0), parcel(null, -1.0), null, parcel(0.0f)), values(keys[2], struct));
    }

    private static Map<String, Object> parcel(Float kg, Double... offsets) {
        Map<String, Object> parcel = new LinkedHashMap<>();
        parcel.put("kg", kg);
        parcel.put("offsets", List.of(offsets));
        return parcel;
    }

    /** The values of the first four rows. */
    private static List<Object> values(Column column, DataType type) {
        List<Object> values = new ArrayList<>();
        for (int row = 0; row < 4; row++) {
            values.add(Values.get(column, row, type));
        }
        return values;
    }

    @Test
    void plainAndDictionaryTextAreTheSameKeys() {
        KeyTable table = KeyTables.of(List.of(DataType.TEXT));
        ColumnBuilder builder = ColumnBuilder.of(DataType.TEXT);
        for (String text : List.of("x", "yy", "a long key of many bytes", "", "x")) {
            byte[] utf8 = text.getBytes(StandardCharsets.UTF_8);
            builder.appendText(utf8, 0, utf8.length);
        }
        TextColumn plain = (TextColumn) builder.build();
        TextColumn encoded = TextColumn.encoded(new int[] {4, 3, 2, 1, 0}, plain, 5, null);
        // Short ones first.
        assertArrayEquals(new int[] {0, 1, 3, 2, 0}, number(table, plain));
        assertArrayEquals(new int[] {0, 2, 3, 1, 0}, number(table, encoded));
    }

    @Test
    void textsOfAnyLengthInAnyFormAreKeys() {
        for (int seed = 0; seed < 60; seed++) {
            Random random = new Random(seed);
            int most = seed % 3 == 0 ? 6 : 14;
            KeyTable table = KeyTables.of(List.of(DataType.TEXT));
            for (int life = 0; life < 2; life++) {
                Map<Object, Integer> known = new HashMap<>();
                for (int batch = 0; batch < 6; batch++) {
                    Object[] texts = random.ints(700, 0, 1 + most * 40)
                            .mapToObj(x -> x == 0 ? null : "ä".repeat(x % 3) + "x".repeat(x % most) + x % 7)
                            .toArray();
                    Column column = TextForms.other(column(DataType.TEXT, texts), 700, random);
                    int[] out = new int[700];
                    table.number(new Column[] {column}, 700, out);
                    for (int i = 0; i < 700; i++) {
                        assertEquals(
                                known.computeIfAbsent(texts[i], k -> -1) < 0 ? out[i] : known.get(texts[i]), out[i]);
                        known.put(texts[i], out[i]);
                    }
                    assertEquals(known.size(), table.size());
                    assertEquals(
                            known.size(), known.values().stream().distinct().count());
                    Object[] others = {"x1", null, "never seen", "no", texts[3]};
                    int[] found = new int[5];
                    table.reader().find(new Column[] {column(DataType.TEXT, others)}, 5, found);
                    assertArrayEquals(
                            Arrays.stream(others)
                                    .mapToInt(o -> known.getOrDefault(o, -1))
                                    .toArray(),
                            found);
                }
                Column keys = table.takeKeys()[0];
                known.forEach((key, number) -> assertEquals(key, Values.get(keys, number, DataType.TEXT)));
            }
        }
    }

    @Test
    void manyRandomKeysAgreeWithAMapAndAreFoundAgain() {
        Random random = new Random(3);
        KeyTable table = KeyTables.of(List.of(DataType.LONG, DataType.TEXT));
        Map<List<Object>, Integer> model = new HashMap<>();
        for (int batch = 0; batch < 50; batch++) {
            Object[] longs = new Object[3000];
            Object[] texts = new Object[3000];
            int[] expected = new int[3000];
            for (int i = 0; i < 3000; i++) {
                longs[i] = random.nextInt(20) == 0 ? null : (Long) (long) random.nextInt(300);
                texts[i] = random.nextInt(20) == 0 ? null : "t" + random.nextInt(100);
                expected[i] = model.computeIfAbsent(Arrays.asList(longs[i], texts[i]), k -> model.size());
            }
            Column[] columns = {column(DataType.LONG, longs), column(DataType.TEXT, texts)};
            int[] out = new int[3000];
            table.number(columns, 3000, out);
            assertArrayEquals(expected, out);
            table.reader().find(columns, 3000, out);
            assertArrayEquals(expected, out);
        }
        assertEquals(model.size(), table.size());
        int[] missing = new int[1];
        table.find(new Column[] {column(DataType.LONG, 5000L), column(DataType.TEXT, "t1")}, 1, missing);
        assertEquals(-1, missing[0]);
    }
}
