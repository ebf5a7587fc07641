package org.unimeros.engine.expr;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.Collections;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Objects;
import java.util.Random;
import java.util.function.Function;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.Expression.Literal;

/** Functions of lists and structs on random values, against what Java's own lists do. */
class ListFunctionsTest {

    private static final int ROWS = 400;
    private static final DataType INTS = DataType.parse("int[]");
    private static final ColumnRef A = new ColumnRef(0, "a", INTS);
    private static final ColumnRef B = new ColumnRef(1, "b", INTS);
    private static final ColumnRef N = new ColumnRef(2, "n", DataType.INT);

    private final Random random = new Random(77);
    private final List<List<Integer>> a = lists();
    private final List<List<Integer>> b = lists();
    private final List<Integer> n = numbers();
    /** Rows in another order than they stand in memory, so that elements are shared and out of place. */
    private final Batch batch = shuffled();

    private List<List<Integer>> lists() {
        List<List<Integer>> all = new ArrayList<>();
        for (int i = 0; i < ROWS; i++) {
            List<Integer> list = new ArrayList<>();
            for (int k = random.nextInt(6); k > 0; k--) {
                list.add(random.nextInt(5) == 0 ? null : (Integer) random.nextInt(4));
            }
            all.add(random.nextInt(10) == 0 ? null : list);
        }
        return all;
    }

    private List<Integer> numbers() {
        List<Integer> all = new ArrayList<>();
        for (int i = 0; i < ROWS; i++) {
            all.add(random.nextInt(10) == 0 ? null : (Integer) (random.nextInt(9) - 4));
        }
        return all;
    }

    private static Column column(DataType type, List<?> values) {
        ColumnBuilder builder = ColumnBuilder.of(type);
        values.forEach(v -> Values.append(builder, v));
        return builder.build();
    }

    private Batch shuffled() {
        Batch all = new Batch(ROWS, column(INTS, a), column(INTS, b), column(DataType.INT, n));
        List<Integer> order = new ArrayList<>();
        for (int i = 0; i < ROWS; i++) {
            order.add(i);
        }
        Collections.shuffle(order, random);
        for (List<?> list : List.of(a, b, n)) {
            reorder(list, order);
        }
        return all.select(order.stream().mapToInt(i -> i).toArray(), ROWS);
    }

    private static <T> void reorder(List<T> list, List<Integer> order) {
        List<T> before = new ArrayList<>(list);
        for (int i = 0; i < before.size(); i++) {
            list.set(i, before.get(order.get(i)));
        }
    }

    private static Object value(Expression e, Batch rows, int row) {
        return Values.get(new Evaluator().evaluate(e, rows), row, e.type());
    }

    private void check(String name, List<Expression> args, Function<Integer, Object> expected) {
        Expression call = Functions.call(name, args);
        Column column = new Evaluator().evaluate(call, batch);
        for (int i = 0; i < ROWS; i++) {
            boolean absent = args.contains(A) && a.get(i) == null
                    || args.contains(B) && b.get(i) == null
                    || args.contains(N) && n.get(i) == null;
            Object wanted = absent ? null : expected.apply(i);
            assertEquals(
                    wanted,
                    Values.get(column, i, call.type()),
                    call + " of " + a.get(i) + ", " + b.get(i) + ", " + n.get(i));
        }
    }

    private static final Comparator<Integer> NULLS_LAST = Comparator.nullsLast(Comparator.naturalOrder());

    @Test
    void listsAreRearranged() {
        check("cardinality", List.of(A), i -> a.get(i).size());
        check("sorted", List.of(A), i -> a.get(i).stream().sorted(NULLS_LAST).toList());
        check("without_repeats", List.of(A), i -> new ArrayList<>(new LinkedHashSet<>(a.get(i))));
        check(
                "without_nulls",
                List.of(A),
                i -> a.get(i).stream().filter(Objects::nonNull).toList());
        check("reverse", List.of(A), i -> {
            List<Integer> reversed = new ArrayList<>(a.get(i));
            Collections.reverse(reversed);
            return reversed;
        });
        check("concat", List.of(A, B), i -> {
            List<Integer> both = new ArrayList<>(a.get(i));
            both.addAll(b.get(i));
            return both;
        });
    }

    @Test
    void elementsAreFound() {
        check("element_at", List.of(A, N), i -> {
            int place = n.get(i) < 0 ? a.get(i).size() + n.get(i) : n.get(i) - 1;
            return place < 0 || place >= a.get(i).size() ? null : a.get(i).get(place);
        });
        check("position", List.of(N, A), i -> a.get(i).indexOf(n.get(i)) + 1);
        check("contains", List.of(A, N), i -> {
            boolean found = a.get(i).contains(n.get(i));
            return found ? (Object) true : a.get(i).contains(null) ? null : false;
        });
        check(
                "min_element",
                List.of(A),
                i -> a.get(i).stream().filter(Objects::nonNull).min(NULLS_LAST).orElse(null));
        check(
                "max_element",
                List.of(A),
                i -> a.get(i).stream().filter(Objects::nonNull).max(NULLS_LAST).orElse(null));
        check(
                "concat_ws",
                List.of(new Literal("-", DataType.TEXT), A),
                i -> String.join(
                        "-",
                        a.get(i).stream()
                                .filter(Objects::nonNull)
                                .map(String::valueOf)
                                .toList()));
    }

    @Test
    void partsOfLists() {
        Literal two = new Literal(2, DataType.INT);
        check("slice", List.of(A, N, two), i -> slice(a.get(i), n.get(i), 2));
        check("slice", List.of(A, two, N), i -> slice(a.get(i), 2, n.get(i)));
    }

    /** The elements whose positions lie in the range, where negative bounds count from the end. */
    private static List<Integer> slice(List<Integer> list, int from, int to) {
        int first = from < 0 ? Math.max(0, list.size() + from + 1) : from;
        int last = to < 0 ? Math.max(0, list.size() + to + 1) : to;
        List<Integer> part = new ArrayList<>();
        for (int position = 1; position <= list.size(); position++) {
            if (position >= first && position <= last) {
                part.add(list.get(position - 1));
            }
        }
        return part;
    }

    @Test
    void comparisonsGoElementByElement() {
        for (int i = 0; i < ROWS; i++) {
            Object equal =
                    a.get(i) == null || b.get(i) == null ? null : a.get(i).equals(b.get(i));
            assertEquals(equal, value(Operators.compare("=", A, B), batch, i));
            Object below = a.get(i) == null || b.get(i) == null ? null : order(a.get(i), b.get(i)) < 0;
            assertEquals(below, value(Operators.compare("<", A, B), batch, i), a.get(i) + " < " + b.get(i));
        }
    }

    private static int order(List<Integer> x, List<Integer> y) {
        for (int i = 0; i < Math.min(x.size(), y.size()); i++) {
            int order = NULLS_LAST.compare(x.get(i), y.get(i));
            if (order != 0) {
                return order;
            }
        }
        return Integer.compare(x.size(), y.size());
    }

    @Test
    void castsGoElementByElement() {
        Expression longs = Operators.cast(A, DataType.parse("bigint[]"), false);
        Expression texts = Operators.cast(A, DataType.TEXT, false);
        Expression back = Operators.cast(texts, INTS, false);
        for (int i = 0; i < ROWS; i++) {
            List<Integer> list = a.get(i);
            List<Object> expected = new ArrayList<>();
            if (list != null) {
                list.forEach(v -> expected.add(v == null ? null : (Object) v.longValue()));
            }
            assertEquals(list == null ? null : expected, value(longs, batch, i));
            assertEquals(list == null ? null : list.toString().replace(" ", ""), value(texts, batch, i));
            assertEquals(list, value(back, batch, i));
        }
        Expression wide = new Literal(List.of(1L << 40), DataType.parse("bigint[]"));
        BadData e = assertThrows(BadData.class, () -> Evaluator.fold(Operators.cast(wide, INTS, false)));
        assertTrue(e.getMessage().contains("1099511627776 does not fit int"), e.getMessage());
        assertEquals(
                Arrays.asList((Object) null),
                Evaluator.fold(Operators.cast(wide, INTS, true)).value());
    }

    private static Object fold(String name, Object... args) {
        List<Expression> literals = new ArrayList<>();
        for (Object arg : args) {
            DataType type = arg instanceof String ? DataType.TEXT : arg instanceof Long ? DataType.LONG : DataType.INT;
            literals.add(new Literal(arg, type));
        }
        return Evaluator.fold(Functions.call(name, literals)).value();
    }

    @Test
    void seriesAndSplits() {
        assertEquals(List.of(3, 2, 1), fold("series", 3, 1, -1));
        assertEquals(List.of(), fold("series", 3, 1));
        assertEquals(List.of(1, 4), fold("series", 1, 6, 3));
        assertEquals(List.of(Long.MAX_VALUE), fold("series", Long.MAX_VALUE, Long.MAX_VALUE));
        assertTrue(assertThrows(BadData.class, () -> fold("series", 1, 3, 0))
                .getMessage()
                .contains("a step of 0"));
        assertTrue(assertThrows(BadData.class, () -> fold("series", 1, Integer.MAX_VALUE))
                .getMessage()
                .contains("a series of more than 10000000 numbers"));
        assertEquals(List.of("a", "", "b", ""), fold("split", "a,,b,", ","));
        assertEquals(List.of(""), fold("split", "", ","));
        assertEquals(List.of("ä", "😀"), fold("split", "ä😀", ""));
    }

    @Test
    void structsHaveFields() {
        Expression struct = Functions.call(
                "struct", List.of(new Literal("first", DataType.TEXT), N, new Literal("all", DataType.TEXT), A));
        Expression first = Functions.field(struct, "FIRST");
        for (int i = 0; i < ROWS; i++) {
            assertEquals(n.get(i), value(first, batch, i));
            Map<String, Object> expected = new LinkedHashMap<>();
            expected.put("first", n.get(i));
            expected.put("all", a.get(i));
            assertEquals(expected, value(struct, batch, i));
        }
        Expression other = Operators.cast(struct, DataType.parse("struct(\"all\" bigint[], first text)"), false);
        assertEquals(n.get(0) == null ? null : n.get(0).toString(), value(Functions.field(other, "first"), batch, 0));
    }

    @Test
    void jsonIsReadByPaths() {
        String json = "{\"a\": {\"b c\": [1, {\"d\": \"x\"}, null]}, \"a\": 2, \"t\": true}";
        String[][] values = {
            {"$.a.\"b c\"[0]", "1"},
            {"$.a.\"b c\"[1].d", "x"},
            {"$.a.\"b c\"[2]", null},
            {"$.a.\"b c\"[3]", null},
            {"$.a", null},
            {"$.t", "true"},
            {"$.t.x", null},
            {"$.z", null},
        };
        for (String[] v : values) {
            assertEquals(v[1], fold("json_value", json, v[0]), v[0]);
        }
        assertEquals("[1,{\"d\":\"x\"},null]", fold("json_query", json, "$.a.\"b c\""));
        assertEquals(true, fold("json_exists", json, "$.a.\"b c\"[2]"));
        assertEquals(false, fold("json_exists", json, "$.a.\"b c\"[3]"));
        assertEquals(List.of("a", "a", "t"), fold("json_keys", json));
        assertEquals(3, fold("json_length", json));
        for (String broken : List.of("", "{", "{\"a\"}", "[1, 2", "x")) {
            assertEquals(false, fold("is_json", broken), broken);
            assertEquals(null, fold("json_value", broken, "$.a"), broken);
            assertEquals(null, fold("json_length", broken), broken);
            assertEquals(null, fold("json_keys", broken), broken);
        }
        assertEquals(false, fold("is_json", "[1] [2]"));
        assertEquals(true, fold("is_json", " 7 "));
    }
}
