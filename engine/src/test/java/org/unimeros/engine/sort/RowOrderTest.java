package org.unimeros.engine.sort;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.math.BigDecimal;
import java.math.BigInteger;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.HashSet;
import java.util.List;
import java.util.Random;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.data.ValueOrder;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.SortKey;

/** Sorting by words against the JDK's sort with plain comparisons. */
class RowOrderTest {

    private static final List<DataType> TYPES = List.of(
            DataType.INT,
            DataType.LONG,
            DataType.DOUBLE,
            DataType.BOOLEAN,
            DataType.TEXT,
            DataType.parse("decimal(30, 2)"),
            DataType.parse("int[]"));

    private static final String[] STARTS = {"", "a", "parcel ", "parcel of the northern line ", "\u0000", "\uD83D\uDE00"
    };

    private static Object value(DataType type, Random random, int range) {
        int n = random.nextInt(range) - range / 2;
        return switch (type) {
            case DataType.Simple.INT -> random.nextInt(50) == 0 ? Integer.MIN_VALUE : n;
            case DataType.Simple.LONG -> random.nextInt(50) == 0 ? Long.MAX_VALUE : (long) n << 32;
            case DataType.Simple.DOUBLE ->
                switch (random.nextInt(20)) {
                    case 0 -> Double.NaN;
                    case 1 -> -0.0;
                    case 2 -> 0.0;
                    case 3 -> Double.NEGATIVE_INFINITY;
                    default -> n / 7.0;
                };
            case DataType.Simple.BOOLEAN -> n > 0;
            case DataType.Simple.TEXT ->
                STARTS[random.nextInt(STARTS.length)] + "x".repeat(random.nextInt(9)) + (n % 3 == 0 ? "" : n);
            case DataType.Decimal d ->
                new BigDecimal(BigInteger.valueOf(n).shiftLeft(random.nextInt(3) * 30), d.scale());
            default -> List.of(n % 3, n);
        };
    }

    private static Column column(DataType type, int rows, boolean nulls, Random random) {
        ColumnBuilder builder = ColumnBuilder.of(type);
        int range = 2 + random.nextInt(3 * rows + 1);
        for (int i = 0; i < rows; i++) {
            Values.append(builder, nulls && random.nextInt(5) == 0 ? null : value(type, random, range));
        }
        return builder.build();
    }

    /** Puts keys of any type, with and without nulls, into columns, to be sorted in any way. */
    private static List<SortKey> fill(Column[] columns, int rows, Random random) {
        List<SortKey> keys = new ArrayList<>();
        for (int k = 0; k < columns.length; k++) {
            DataType type = TYPES.get(random.nextInt(TYPES.size()));
            columns[k] = column(type, rows, random.nextBoolean(), random);
            keys.add(new SortKey(new ColumnRef(k, "k", type), random.nextBoolean(), random.nextBoolean()));
        }
        return keys;
    }

    private static Comparator<Integer> comparator(Column[] columns, List<SortKey> keys) {
        Comparator<Integer> order = (a, b) -> 0;
        for (int k = 0; k < columns.length; k++) {
            Column column = columns[k];
            SortKey key = keys.get(k);
            order = order.thenComparing((a, b) -> {
                if (column.isNull(a) || column.isNull(b)) {
                    int nullSide = key.nullsFirst() ? -1 : 1;
                    return column.isNull(a) == column.isNull(b) ? 0 : column.isNull(a) ? nullSide : -nullSide;
                }
                int values = ValueOrder.compare(column, a, column, b);
                return key.descending() ? -values : values;
            });
        }
        return order;
    }

    @Test
    void rowsAreInTheOrderOfTheirKeysAndEqualOnesStay() {
        for (int seed = 0; seed < 120; seed++) {
            Random random = new Random(seed);
            int rows = new int[] {0, 1, 7, 150, 700, 5000}[random.nextInt(6)];
            Column[] columns = new Column[1 + random.nextInt(3)];
            List<SortKey> keys = fill(columns, rows, random);
            List<Integer> expected =
                    new ArrayList<>(IntStream.range(0, rows).boxed().toList());
            expected.sort(comparator(columns, keys));
            int[] sorted = new RowOrder(columns, keys).sorted(rows);
            assertEquals(expected, IntStream.of(sorted).boxed().toList(), "seed " + seed + " " + keys);
        }
    }

    @Test
    void rowsBeforeAnotherAreThoseThatCompareSo() {
        for (int seed = 0; seed < 300; seed++) {
            Random random = new Random(seed);
            int rows = 1 + random.nextInt(random.nextInt(8) == 0 ? 3000 : 300);
            Column[] columns = new Column[1 + random.nextInt(3)];
            List<SortKey> keys = fill(columns, rows, random);
            int other = random.nextInt(rows);
            // Columns of their own, as those of the row that was the last one so far.
            Column[] others = Arrays.stream(columns)
                    .map(c -> c.gather(new int[] {other}, 1))
                    .toArray(Column[]::new);
            int[] found = new int[rows];
            RowOrder.Keys bound = new RowOrder.Keys(others, keys);
            int n = new RowOrder.Keys(columns, keys).before(rows, bound, 0, found);
            Comparator<Integer> order = comparator(columns, keys);
            RowOrder.Keys first = new RowOrder.Keys(Arrays.copyOf(columns, 1), keys.subList(0, 1));
            Comparator<Integer> byFirst = comparator(Arrays.copyOf(columns, 1), keys);
            int[] near = new int[rows];
            int nearRows = first.notBehind(rows, bound, 0, near);
            List<Integer> notBehind = Arrays.stream(near, 0, nearRows).boxed().toList();
            List<Integer> expected = IntStream.range(0, rows)
                    .filter(row -> byFirst.compare(row, other) <= 0)
                    .boxed()
                    .toList();
            assertEquals(
                    expected,
                    notBehind.stream().filter(new HashSet<>(expected)::contains).toList(),
                    "seed " + seed + " " + keys);
            boolean oneWordTells =
                    columns[0].nulls() == null && (columns[0] instanceof IntColumn || columns[0] instanceof LongColumn);
            assertTrue(!oneWordTells || nearRows == expected.size(), "seed " + seed + " " + keys);
            assertEquals(
                    IntStream.range(0, rows)
                            .filter(row -> order.compare(row, other) < 0)
                            .boxed()
                            .toList(),
                    Arrays.stream(found, 0, n).boxed().toList(),
                    "seed " + seed + " " + keys);
        }
    }

    @Test
    void longEqualTextsAreNoProblem() {
        ColumnBuilder builder = ColumnBuilder.of(DataType.TEXT);
        String start = "the same way through all depots ".repeat(300);
        for (int i = 0; i < 1000; i++) {
            builder.appendText(start + (999 - i) / 2);
        }
        Column[] columns = {builder.build()};
        List<SortKey> keys = List.of(SortKey.ascending(new ColumnRef(0, "k", DataType.TEXT)));
        List<Integer> expected =
                new ArrayList<>(IntStream.range(0, 1000).boxed().toList());
        expected.sort(comparator(columns, keys));
        assertEquals(
                expected,
                IntStream.of(new RowOrder(columns, keys).sorted(1000)).boxed().toList());
    }

    @Test
    void dictionaryTextIsSortedLikePlainText() {
        TextColumn plain = (TextColumn) column(DataType.TEXT, 50, false, new Random(3));
        int[] ids = new Random(4).ints(3000, 0, 50).toArray();
        Column[] encoded = {TextColumn.encoded(ids, plain, 50, null)};
        List<SortKey> keys = List.of(new SortKey(new ColumnRef(0, "k", DataType.TEXT), true, false));
        Integer[] expected = IntStream.range(0, 3000).boxed().toArray(Integer[]::new);
        Arrays.sort(expected, comparator(encoded, keys));
        int[] sorted = new RowOrder(encoded, keys).sorted(3000);
        assertEquals(List.of(expected), IntStream.of(sorted).boxed().toList());
    }
}
