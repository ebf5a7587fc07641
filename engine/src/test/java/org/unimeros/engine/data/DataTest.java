package org.unimeros.engine.data;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertNull;
import static org.junit.jupiter.api.Assertions.assertSame;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.math.BigDecimal;
import java.math.BigInteger;
import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalTime;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.BitSet;
import java.util.Collections;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.error.NameSuggestions;
import org.unimeros.engine.error.UserMistake;

class DataTest {

    private static final List<DataType> TYPES = List.of(
            DataType.BOOLEAN,
            DataType.INT,
            DataType.LONG,
            DataType.DOUBLE,
            DataType.TEXT,
            DataType.DATE,
            DataType.TIMESTAMP,
            new DataType.Decimal(9, 2),
            new DataType.Decimal(38, 5),
            DataType.FLOAT,
            DataType.BYTES,
            DataType.TIME,
            DataType.parse("int[]"),
            DataType.parse("struct(depot text, at timestamp, stops struct(n int, weight decimal(20, 3))[][])"));

    private static Object randomValue(DataType type, Random random) {
        if (random.nextInt(4) == 0) {
            return null;
        }
        int n = random.nextInt(1000) - 500;
        return switch (type) {
            case DataType.Simple.BOOLEAN -> n > 0;
            case DataType.Simple.INT -> n;
            case DataType.Simple.LONG -> (long) n << 33;
            case DataType.Simple.DOUBLE -> n / 8.0;
            case DataType.Simple.TEXT -> "t".repeat(random.nextInt(40)) + n;
            case DataType.Simple.DATE -> LocalDate.ofEpochDay(n);
            case DataType.Simple.TIMESTAMP -> Instant.ofEpochSecond(n, 5000);
            case DataType.Decimal d ->
                new BigDecimal(
                        d.isWide()
                                ? BigInteger.valueOf(n).multiply(BigInteger.TEN.pow(d.precision() - 4))
                                : BigInteger.valueOf(n),
                        d.scale());
            case DataType.Simple.FLOAT -> n / 3.0f;
            case DataType.Simple.BYTES -> Bytes.of((byte) n, (byte) (n >> 3));
            case DataType.Simple.TIME -> LocalTime.ofSecondOfDay(n + 500);
            case DataType.ListOf l -> {
                List<Object> list = new ArrayList<>();
                for (int i = random.nextInt(4); i > 0; i--) {
                    list.add(randomValue(l.element(), random));
                }
                yield list;
            }
            case DataType.Struct s -> {
                Map<String, Object> fields = new LinkedHashMap<>();
                s.parts().forEach(p -> fields.put(p.name(), randomValue(p.type(), random)));
                yield fields;
            }
            case DataType.Simple.NULL -> null;
        };
    }

    private static Column column(DataType type, List<Object> values) {
        ColumnBuilder builder = ColumnBuilder.of(type);
        values.forEach(v -> Values.append(builder, v));
        return TextForms.other(builder.build(), values.size(), new Random(values.size()));
    }

    private static List<Object> values(Column column, DataType type, int rows) {
        List<Object> values = new ArrayList<>();
        for (int i = 0; i < rows; i++) {
            values.add(Values.get(column, i, type));
        }
        return values;
    }

    @Test
    void whatIsAppendedIsThere() {
        Random random = new Random(1);
        for (DataType type : TYPES) {
            for (int size : new int[] {0, 1, 63, 64, 65, 1000}) {
                List<Object> values = new ArrayList<>();
                for (int i = 0; i < size; i++) {
                    values.add(randomValue(type, random));
                }
                Column column = column(type, values);
                assertEquals(values, values(column, type, size), type.toString());
                assertEquals(values.stream().filter(v -> v == null).count(), Bits.count(column.nulls(), size));
            }
        }
    }

    @Test
    void gatheringPicksRowsInTheirOrder() {
        Random random = new Random(2);
        for (DataType type : TYPES) {
            List<Object> values = new ArrayList<>();
            for (int i = 0; i < 200; i++) {
                values.add(randomValue(type, random));
            }
            Column column = column(type, values);
            int[] rows = random.ints(300, 0, 200).toArray();
            List<Object> expected = new ArrayList<>();
            for (int row : rows) {
                expected.add(values.get(row));
            }
            assertEquals(expected, values(column.gather(rows, 300), type, 300), type.toString());
        }
    }

    @Test
    void slicesAndRepeatedRowsAreWhatGatheringGives() {
        Random random = new Random(4);
        for (DataType type : TYPES) {
            List<Object> values = new ArrayList<>();
            for (int i = 0; i < 260; i++) {
                values.add(randomValue(type, random));
            }
            Column whole = column(type, values);
            Column gathered = whole.gather(IntStream.range(0, 260).toArray(), 260);
            for (int round = 0; round < 100; round++) {
                int from = random.nextInt(260);
                int n = random.nextInt(260 - from + 1);
                Column column = round % 2 == 0 ? whole : gathered.repeat(from, 260);
                List<Object> expected = round % 2 == 0 ? values : Collections.nCopies(260, values.get(from));
                assertEquals(expected.subList(from, from + n), values(column.slice(from, n), type, n), type.toString());
                assertEquals(
                        Collections.nCopies(n, expected.get(from)),
                        values(column.repeat(from, n), type, n),
                        type.toString());
            }
        }
    }

    @Test
    void aBuilderCanForgetRowsAndStartsAnew() {
        for (DataType type : TYPES) {
            Random random = new Random(3);
            ColumnBuilder builder = ColumnBuilder.of(type);
            List<Object> kept = new ArrayList<>();
            for (int i = 0; i < 300; i++) {
                Object value = randomValue(type, random);
                Values.append(builder, value);
                if (i % 7 == 3) {
                    builder.truncate(kept.size());
                } else {
                    kept.add(value);
                }
            }
            assertEquals(kept.size(), builder.size());
            assertEquals(kept, values(builder.peek(), type, kept.size()), type.toString());
            assertEquals(kept, values(builder.build(), type, kept.size()), type.toString());
            Values.append(builder, kept.get(0));
            assertEquals(kept.subList(0, 1), values(builder.build(), type, 1), type.toString());
        }
    }

    /** Texts stand once while there are few of them, and none must be lost where that ends. */
    @Test
    void textsThatComeAgainAreWhatTheyWere() {
        // Both hash alike.
        assertEquals("Aa ".hashCode(), "BB ".hashCode());
        for (int seed = 0; seed < 300; seed++) {
            Random random = new Random(seed);
            int different = 1 + random.nextInt(random.nextBoolean() ? 5 : 200);
            boolean mixes = random.nextInt(3) == 0;
            ColumnBuilder builder = ColumnBuilder.of(DataType.TEXT);
            Column other = column(DataType.TEXT, List.of("from another column", "ü"));
            for (int round = 0; round < 3; round++) {
                List<Object> kept = new ArrayList<>();
                int rows = random.nextInt(400);
                while (kept.size() < rows) {
                    int kind = random.nextInt(40);
                    String alike = random.nextBoolean() ? "Aa " : "BB ";
                    String text = alike + random.nextInt(different) + (kind == 5 ? " ü" : "");
                    if (kind == 0) {
                        builder.appendNull();
                        kept.add(null);
                    } else if (kind == 1 && mixes) {
                        builder.append(other, 1);
                        kept.add("ü");
                    } else if (kind == 2 && mixes) {
                        byte[] utf8 = text.getBytes(StandardCharsets.UTF_8);
                        builder.appendText(utf8, 0, utf8.length);
                        kept.add(text);
                    } else if (kind == 3 && !kept.isEmpty()) {
                        int left = random.nextInt(kept.size());
                        builder.truncate(left);
                        kept.subList(left, kept.size()).clear();
                        rows--;
                    } else {
                        builder.appendText(text);
                        kept.add(text);
                    }
                }
                assertTrue(kept.isEmpty() || builder.sizeInBytes() > 0);
                assertEquals(kept, values(builder.peek(), DataType.TEXT, kept.size()), "seed " + seed);
                TextColumn built = (TextColumn) builder.build();
                assertEquals(kept, values(built, DataType.TEXT, kept.size()), "seed " + seed);
                assertEquals(
                        kept.stream().filter(v -> v == null).count(), Bits.count(built.nulls(), kept.size()), "nulls");
            }
        }
        ColumnBuilder builder = ColumnBuilder.of(DataType.TEXT);
        for (int i = 0; i < 1000; i++) {
            builder.appendText("depot " + i % 7);
        }
        assertEquals(7, ((TextColumn) builder.build()).entries());
    }

    @Test
    void aBuilderRefusesValuesOfAnotherForm() {
        assertThrows(
                IllegalStateException.class,
                () -> ColumnBuilder.of(DataType.INT).appendText("x"));
        assertThrows(
                IllegalStateException.class,
                () -> ColumnBuilder.of(DataType.TEXT).appendLong(1));
        assertThrows(
                IllegalStateException.class,
                () -> ColumnBuilder.of(DataType.DOUBLE).appendBoolean(true));
        assertThrows(
                IllegalStateException.class,
                () -> ColumnBuilder.of(DataType.BOOLEAN).appendInt(1));
        assertThrows(
                IllegalStateException.class,
                () -> ColumnBuilder.of(DataType.LONG).appendDouble(1));
    }

    @Test
    void selectionsOfSelectionsSeeTheRightRows() {
        Random random = new Random(4);
        List<Object> numbers = new ArrayList<>();
        List<Object> texts = new ArrayList<>();
        for (int i = 0; i < 500; i++) {
            numbers.add(i);
            texts.add(i % 11 == 0 ? null : "row " + i);
        }
        Batch batch = new Batch(500, column(DataType.INT, numbers), column(DataType.TEXT, texts));
        List<Object> expected = numbers;
        for (int round = 0; round < 5; round++) {
            int n = batch.rowCount() / 2;
            int[] rows = random.ints(n, 0, batch.rowCount()).toArray();
            List<Object> next = new ArrayList<>();
            for (int row : rows) {
                next.add(expected.get(row));
            }
            if (round % 2 == 0) {
                batch.column(0);
            }
            batch = batch.select(rows, n);
            expected = next;
            assertEquals(expected, values(batch.column(0), DataType.INT, n));
        }
        int rows = batch.rowCount();
        List<Object> expectedTexts =
                expected.stream().map(i -> texts.get((Integer) i)).toList();
        assertEquals(expectedTexts, values(batch.column(1), DataType.TEXT, rows));
        assertEquals(expectedTexts, values(batch.dense().column(1), DataType.TEXT, rows));
        assertEquals(expectedTexts, values(batch.pick(new int[] {1}).column(0), DataType.TEXT, rows));
        assertEquals(expected.subList(2, 6), values(batch.slice(2, 4).column(0), DataType.INT, 4));
        assertSame(batch, batch.slice(0, rows));
    }

    @Test
    void aDictionaryColumnMovesIdsOnly() {
        TextColumn dictionary = (TextColumn) column(DataType.TEXT, List.of("a", "bb", ""));
        TextColumn encoded = TextColumn.encoded(new int[] {2, 1, 0, 1}, dictionary, 3, new long[] {0b1000});
        assertEquals("", encoded.text(0));
        assertEquals("bb", encoded.text(1));
        TextColumn gathered = encoded.gather(new int[] {3, 2}, 2);
        assertSame(encoded.bytes(), gathered.bytes());
        assertTrue(gathered.isNull(0));
        assertEquals("a", gathered.text(1));
        assertTrue(TextColumn.constant("x", 5).isConstant());
        assertFalse(encoded.isConstant());
    }

    /** They differ in one byte at the most, wherever it is, and stand anywhere in their arrays. */
    @Test
    void equalTextsAreThoseWithTheSameBytes() {
        for (int seed = 0; seed < 3000; seed++) {
            Random random = new Random(seed);
            byte[] text = new byte[random.nextInt(40)];
            random.nextBytes(text);
            byte[] other = random.nextInt(5) == 0 ? Arrays.copyOf(text, random.nextInt(40)) : text.clone();
            if (other.length > 0 && random.nextBoolean()) {
                other[random.nextInt(other.length)] ^= (byte) (1 << random.nextInt(8));
            }
            boolean equal = TextColumn.equal(among(text, random), 1, among(other, random), 1);
            assertEquals(Arrays.equals(text, other), equal, "seed " + seed);
        }
    }

    /** A text between others, as the second one of a column. */
    private static TextColumn among(byte[] text, Random random) {
        int before = random.nextInt(12);
        byte[] bytes = new byte[before + text.length + random.nextInt(12)];
        random.nextBytes(bytes);
        System.arraycopy(text, 0, bytes, before, text.length);
        return new TextColumn(bytes, new int[] {0, before, before + text.length, bytes.length}, null);
    }

    @Test
    void bitsBehaveLikeASet() {
        Random random = new Random(5);
        for (int size : new int[] {1, 63, 64, 65, 127, 128, 1000}) {
            BitSet model = new BitSet();
            long[] bits = Bits.make(size);
            for (int i = 0; i < size; i++) {
                if (random.nextBoolean()) {
                    model.set(i);
                    Bits.set(bits, i);
                }
            }
            assertEquals(model.cardinality(), Bits.count(bits, size));
            int[] indices = new int[size];
            int n = Bits.indices(bits, size, indices);
            assertArrayEquals(model.stream().toArray(), Arrays.copyOf(indices, n));
            int cut = random.nextInt(size);
            long[] slice = Bits.slice(bits, cut, size - cut);
            for (int i = cut; i < size; i++) {
                assertEquals(model.get(i), slice != null && Bits.get(slice, i - cut));
            }
        }
        assertNull(Bits.gather(new long[] {0b101}, new int[] {1, 1}, 2));
        assertNull(Bits.or(null, null, 5));
        assertEquals(0, Bits.count(null, 5));
    }

    @Test
    void valuesAreReadFromText() {
        Object[][] cases = {
            {"int", " 42 ", 42},
            {"int", "4.0", null},
            {"int", "99999999999", null},
            {"long", "99999999999", 99999999999L},
            {"double", "1e3", 1000.0},
            {"double", "NaN", Double.NaN},
            {"double", "-Infinity", Double.NEGATIVE_INFINITY},
            {"double", "1d", null},
            {"double", "", null},
            {"decimal(5, 2)", "1.005", new BigDecimal("1.01")},
            {"decimal(5, 2)", "1000", null},
            {"boolean", "Yes", true},
            {"boolean", "f", false},
            {"boolean", "2", null},
            {"date", "2031-03-04", LocalDate.of(2031, 3, 4)},
            {"date", "2031-02-29", null},
            {"timestamp", "2031-03-04", Instant.parse("2031-03-04T00:00:00Z")},
            {"timestamp", "2031-03-04T05:06", Instant.parse("2031-03-04T05:06:00Z")},
            {"timestamp", "2031-03-04 05:06:07+02:00", Instant.parse("2031-03-04T03:06:07Z")},
            {"timestamp", "2031-03-04T05:06:07.123456789Z", Instant.parse("2031-03-04T05:06:07.123456Z")},
            {"timestamp", "yesterday", null},
            {"text", " as it is ", " as it is "},
        };
        for (Object[] c : cases) {
            Optional<Object> read = Parse.value((String) c[1], DataType.parse((String) c[0]));
            assertEquals(Optional.ofNullable(c[2]), read, c[0] + " " + c[1]);
        }
    }

    @Test
    void valuesPrintSoThatTheyCanBeReadBack() {
        Random random = new Random(6);
        for (DataType type : TYPES) {
            for (int i = 0; i < 200; i++) {
                Object value = randomValue(type, random);
                if (value != null) {
                    assertEquals(Optional.of(value), Parse.value(Values.text(value), type), type.toString());
                }
            }
        }
        assertEquals("2031-03-04 05:06:07.25", Values.text(Instant.parse("2031-03-04T05:06:07.250Z")));
        assertEquals("date '2031-03-04'", Values.literal(LocalDate.of(2031, 3, 4)));
        assertEquals("null", Values.literal(null));
    }

    @Test
    void typesAreReadFromTheirSqlNames() {
        String[][] cases = {
            {"INTEGER", "int"},
            {"bigint", "long"},
            {"double precision", "double"},
            {"varchar(20)", "text"},
            {"numeric(7)", "decimal(7, 0)"},
            {"Decimal ( 10 , 2 )", "decimal(10, 2)"},
            {"bool", "boolean"},
            {"timestamp with time zone", "timestamp"},
            {"date", "date"},
            {"decimal(38, 10)", "decimal(38, 10)"},
            {"real", "float"},
            {"varbinary(16)", "bytes"},
            {"time", "time"},
            {"int[]", "int[]"},
            {"list(decimal(5, 2))", "decimal(5, 2)[]"},
            {"int array", "int[]"},
            {"STRUCT (a int, \"odd name\" text[][])", "struct(a int, \"odd name\" text[][])"},
            {"struct(a struct(b long)[], c varchar(3))", "struct(a struct(b long)[], c text)"},
        };
        for (String[] c : cases) {
            assertEquals(c[1], DataType.parse(c[0]).toString());
        }
        for (String wrong : List.of(
                "decimal(39, 2)",
                "decimal(5, 6)",
                "decimal(0)",
                "object",
                "",
                "int[",
                "int]",
                "list()",
                "struct()",
                "struct(a)",
                "struct(a int, A text)",
                "struct(a int",
                "int int",
                "decimal(99999999999)")) {
            assertThrows(UserMistake.class, () -> DataType.parse(wrong), wrong);
        }
    }

    @Test
    void nearNamesAreProposed() {
        List<String> names = List.of("depot_id", "parcel_id", "day", "kind");
        assertEquals(List.of("depot_id"), NameSuggestions.names("depot", names));
        assertEquals(List.of("kind"), NameSuggestions.names("kidn", names));
        assertEquals(List.of("day"), NameSuggestions.names("dya", names));
        assertEquals(List.of(), NameSuggestions.names("something", names));
        assertEquals("; there are: depot_id, parcel_id, day, kind", NameSuggestions.hint("something", names));
        assertEquals("", NameSuggestions.hint("x", List.of()));
    }
}
