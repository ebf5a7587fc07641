package org.unimeros.engine.expr;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.math.BigDecimal;
import java.time.Instant;
import java.time.LocalDate;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression.Case;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.model.TestTable;

class ExpressionTest {

    private static final ColumnRef A = new ColumnRef(0, "a", DataType.INT);
    private static final ColumnRef B = new ColumnRef(1, "b", DataType.INT);

    private static Expression lit(Object value) {
        DataType type = switch (value) {
            case Integer i -> DataType.INT;
            case Long l -> DataType.LONG;
            case Double d -> DataType.DOUBLE;
            case String s -> DataType.TEXT;
            case Boolean b -> DataType.BOOLEAN;
            case LocalDate d -> DataType.DATE;
            case Instant i -> DataType.TIMESTAMP;
            case BigDecimal d -> new DataType.Decimal(18, d.scale());
            default -> throw new IllegalArgumentException();
        };
        return new Literal(value, type);
    }

    private static Object value(Expression e) {
        return Evaluator.fold(e).value();
    }

    private static List<Object> values(Expression e, Object[]... rows) {
        Schema schema = Schema.of(Field.of("a", DataType.INT), Field.of("b", DataType.INT));
        List<List<Object>> list = new ArrayList<>();
        for (Object[] row : rows) {
            list.add(Arrays.asList(row));
        }
        Batch batch = TestTable.toBatch(schema, list);
        Column column = new Evaluator().evaluate(e, batch);
        List<Object> out = new ArrayList<>();
        for (int i = 0; i < rows.length; i++) {
            out.add(Values.get(column, i, e.type()));
        }
        return out;
    }

    @Test
    void wholeNumbersOverflowWithAnErrorThatNamesExpressionAndRow() {
        Expression sum = Operators.arithmetic("+", A, B);
        BadData e = assertThrows(
                BadData.class, () -> values(sum, new Object[] {1, 2}, new Object[] {Integer.MAX_VALUE, 1}));
        assertTrue(e.getMessage().contains("2147483647 + 1 is out of range for int in a + b"), e.getMessage());
        assertTrue(e.getMessage().contains("a = 2147483647, b = 1"), e.getMessage());
        for (String op : List.of("+", "-", "*")) {
            long big = op.equals("-") ? Long.MIN_VALUE : Long.MAX_VALUE;
            assertThrows(BadData.class, () -> value(Operators.arithmetic(op, lit(big), lit(2L))), op);
        }
        assertThrows(BadData.class, () -> value(Operators.arithmetic("/", lit(Long.MIN_VALUE), lit(-1L))));
        BadData minus =
                assertThrows(BadData.class, () -> values(Operators.negate(A), new Object[] {Integer.MIN_VALUE, 0}));
        assertTrue(minus.getMessage().contains("out of range for int"), minus.getMessage());
    }

    @Test
    void aNullNeverFails() {
        assertEquals(
                Arrays.asList(null, 3),
                values(Operators.arithmetic("/", A, B), new Object[] {null, 0}, new Object[] {9, 3}));
        assertEquals(
                Arrays.asList(null, null),
                values(Operators.arithmetic("*", A, B), new Object[] {Integer.MAX_VALUE, null}, new Object[] {null, null
                }));
    }

    @Test
    void divisionByZeroIsAnErrorThatSaysWhatToDo() {
        BadData e = assertThrows(BadData.class, () -> values(Operators.arithmetic("/", A, B), new Object[] {9, 0}));
        assertEquals(
                "division by zero in a / b, for the row with a = 9, b = 0; filter such rows, or divide by nullif(…, 0) to get"
                        + " null",
                e.getMessage());
        assertThrows(BadData.class, () -> value(Operators.arithmetic("/", lit(1.0), lit(0.0))));
        assertThrows(BadData.class, () -> value(Operators.arithmetic("%", lit(1), lit(0))));
    }

    @Test
    void aConditionGuardsWhatStandsBehindIt() {
        Expression quotient = Operators.compare(">", Operators.arithmetic("/", A, B), lit(1));
        Expression guarded = Operators.and(List.of(Operators.compare("<>", B, lit(0)), quotient));
        Expression either = Operators.or(List.of(Operators.compare("=", B, lit(0)), quotient));
        Expression choice = Operators.choose(
                List.of(new Case.Branch(Operators.compare("<>", B, lit(0)), Operators.arithmetic("/", A, B))), lit(-1));
        Object[][] rows = {{8, 0}, {8, 2}, {null, 0}, {8, null}, {1, 1}};
        assertEquals(Arrays.asList(false, true, false, null, false), values(guarded, rows));
        assertEquals(Arrays.asList(true, true, true, null, false), values(either, rows));
        assertEquals(Arrays.asList(-1, 4, -1, -1, 1), values(choice, rows));
    }

    @Test
    void logicHasThreeValues() {
        Expression t = Operators.compare("=", A, lit(1));
        Expression u = Operators.compare("=", B, lit(1));
        Object[][] rows = {{1, 1}, {1, 0}, {1, null}, {0, 0}, {0, null}, {null, null}};
        assertEquals(Arrays.asList(true, false, null, false, false, null), values(Operators.and(List.of(t, u)), rows));
        assertEquals(Arrays.asList(true, true, true, false, null, null), values(Operators.or(List.of(t, u)), rows));
        assertEquals(Arrays.asList(false, false, false, true, true, null), values(Operators.not(t), rows));
    }

    @Test
    void doublesAreOrderedTotally() {
        assertEquals(true, value(Operators.compare("=", lit(Double.NaN), lit(Double.NaN))));
        assertEquals(true, value(Operators.compare(">", lit(Double.NaN), lit(Double.POSITIVE_INFINITY))));
        assertEquals(false, value(Operators.compare("<", lit(Double.NaN), lit(1.0))));
        assertEquals(true, value(Operators.compare("=", lit(0.0), lit(-0.0))));
    }

    @Test
    void decimalsAreExact() {
        Expression sum = Operators.arithmetic("+", lit(new BigDecimal("0.1")), lit(new BigDecimal("0.20")));
        assertEquals(new BigDecimal("0.30"), value(sum));
        Expression product =
                Operators.arithmetic("*", new Literal(new BigDecimal("1.25"), new DataType.Decimal(3, 2)), lit(3));
        assertEquals(new BigDecimal("3.75"), value(product));
        assertEquals("decimal(13, 2)", product.type().toString());
    }

    @Test
    void castsFailOrGiveNull() {
        assertEquals(42, value(Operators.cast(lit(" 42 "), DataType.INT, false)));
        assertEquals(null, value(Operators.cast(lit("4x"), DataType.INT, true)));
        BadData e = assertThrows(BadData.class, () -> value(Operators.cast(lit("4x"), DataType.INT, false)));
        assertTrue(e.getMessage().contains("'4x' does not fit int in cast('4x' as int)"), e.getMessage());
        assertEquals(3, value(Operators.cast(lit(2.5), DataType.INT, false)));
        assertThrows(BadData.class, () -> value(Operators.cast(lit(Double.NaN), DataType.LONG, false)));
        assertThrows(BadData.class, () -> value(Operators.cast(lit(1L << 40), DataType.INT, false)));
        assertEquals(LocalDate.of(2031, 3, 4), value(Operators.cast(lit("2031-03-04"), DataType.DATE, false)));
        assertEquals(
                Instant.parse("2031-03-04T05:06:07.25Z"),
                value(Operators.cast(lit("2031-03-04 05:06:07.25"), DataType.TIMESTAMP, false)));
        assertEquals(
                "2031-03-04 00:00:00",
                value(Operators.cast(
                        Operators.cast(lit(LocalDate.of(2031, 3, 4)), DataType.TIMESTAMP, false),
                        DataType.TEXT,
                        false)));
        assertThrows(UserMistake.class, () -> Operators.cast(lit(true), DataType.DATE, false));
    }

    @Test
    void functionsGiveWhatTheirDocumentationSays() {
        Object[][] cases = {
            {"lower", "ÄB", "äb"},
            {"upper", "äb", "ÄB"},
            {"trim", "  x ", "x"},
            {"length", "Käse", 4},
            {"abs", -3, 3},
            {"floor", -1.5, -2.0},
            {"ceil", -1.5, -1.0},
            {"sqrt", 9.0, 3.0},
            {"round", 2.5, 3.0},
            {"timestamp_of_millis", 1_000L, Instant.ofEpochSecond(1)},
            {"timestamp_of_seconds", 60, Instant.ofEpochSecond(60)},
            {"millis_of", Instant.ofEpochSecond(2), 2000L},
            {"seconds_of", Instant.ofEpochSecond(2), 2L},
            {"year", LocalDate.of(2031, 3, 4), 2031},
            {"quarter", LocalDate.of(2031, 5, 4), 2},
            {"month", LocalDate.of(2031, 3, 4), 3},
            {"week", LocalDate.of(2031, 1, 1), 1},
            {"day", LocalDate.of(2031, 3, 4), 4},
            {"weekday", LocalDate.of(2031, 3, 3), 1},
            {"hour", Instant.parse("1931-03-04T05:06:07Z"), 5},
            {"minute", Instant.parse("1931-03-04T05:06:07Z"), 6},
            {"second", Instant.parse("1931-03-04T05:06:07Z"), 7},
        };
        for (Object[] c : cases) {
            assertEquals(c[2], value(Functions.call((String) c[0], List.of(lit(c[1])))), (String) c[0]);
        }
        assertEquals("ell", value(Functions.call("substring", List.of(lit("hello"), lit(2), lit(3)))));
        assertEquals("hello", value(Functions.call("substring", List.of(lit("hello"), lit(-2)))));
        assertEquals("a1true", value(Functions.call("concat", List.of(lit("a"), lit(1), lit(true)))));
        assertEquals("a-b", value(Functions.call("replace", List.of(lit("a.b"), lit("."), lit("-")))));
        assertEquals(3, value(Functions.call("position", List.of(lit("l"), lit("hello")))));
        assertEquals(true, value(Functions.call("starts_with", List.of(lit("hello"), lit("he")))));
        assertEquals(-1, value(Functions.call("mod", List.of(lit(-7), lit(3)))));
        assertEquals(2.35, value(Functions.call("round", List.of(lit(2.345), lit(2)))));
        assertEquals("x", value(Functions.call("coalesce", List.of(new Literal(null, DataType.TEXT), lit("x")))));
        assertEquals(null, value(Functions.call("nullif", List.of(lit(3), lit(3)))));
        assertEquals(5, value(Functions.call("greatest", List.of(lit(3), lit(5)))));
        assertEquals(3, value(Functions.call("least", List.of(lit(3), lit(5)))));
        assertEquals(
                LocalDate.of(2031, 1, 1),
                value(Functions.call("date_trunc", List.of(lit("quarter"), lit(LocalDate.of(2031, 3, 4))))));
        assertEquals(
                Instant.parse("1931-03-04T05:00:00Z"),
                value(Functions.call("date_trunc", List.of(lit("hour"), lit(Instant.parse("1931-03-04T05:06:07Z"))))));
    }

    @Test
    void intervalsMoveDatesAndTimestamps() {
        Interval month = Interval.of("1", "month");
        assertEquals(LocalDate.of(2031, 2, 28), value(Operators.move(lit(LocalDate.of(2031, 1, 31)), month, false)));
        assertEquals(
                Instant.parse("2031-02-28T10:00:00Z"),
                value(Operators.move(lit(Instant.parse("2031-03-28T10:00:00Z")), month, true)));
        assertEquals(
                Instant.parse("2031-03-01T22:00:00Z"),
                value(Operators.move(lit(LocalDate.of(2031, 3, 2)), Interval.of("2", "hours"), true)));
        assertThrows(UserMistake.class, () -> Operators.move(lit(3), month, false));
        assertThrows(UserMistake.class, () -> Interval.of("x", "day"));
    }

    @Test
    void likeMatchesAnyTextAndAnyCharacter() {
        String[][] yes = {
            {"hello", "h%"}, {"hello", "%o"}, {"hello", "%ell%"}, {"hello", "h_llo"}, {"", "%"}, {"a.c", "a.c"}
        };
        String[][] no = {{"hello", "h"}, {"abc", "a.c"}, {"hello", "_"}, {"", "_"}};
        for (String[] c : yes) {
            assertEquals(true, value(Functions.like(lit(c[0]), lit(c[1]), Optional.empty())), c[0] + " like " + c[1]);
        }
        for (String[] c : no) {
            assertEquals(false, value(Functions.like(lit(c[0]), lit(c[1]), Optional.empty())), c[0] + " like " + c[1]);
        }
    }

    @Test
    void wrongTypesAreRefusedWithBothTypes() {
        UserMistake e = assertThrows(UserMistake.class, () -> Operators.compare("=", A, lit("x")));
        assertTrue(e.getMessage().contains("int") && e.getMessage().contains("text"), e.getMessage());
        UserMistake plus = assertThrows(UserMistake.class, () -> Operators.arithmetic("+", lit("x"), A));
        assertTrue(plus.getMessage().contains("found text ('x') and int (a)"), plus.getMessage());
        UserMistake name = assertThrows(UserMistake.class, () -> Functions.call("lenght", List.of(A)));
        assertEquals("unknown function lenght; did you mean length?", name.getMessage());
        UserMistake count = assertThrows(UserMistake.class, () -> Functions.call("lower", List.of()));
        assertEquals("function lower is called as lower(text), but found 0 arguments", count.getMessage());
    }

    @Test
    void aTextLiteralBesideATimeIsReadAsOne() {
        ColumnRef day = new ColumnRef(0, "day", DataType.DATE);
        assertEquals(
                "day >= date '2031-03-04'",
                Operators.compare(">=", day, lit("2031-03-04")).toString());
        assertThrows(UserMistake.class, () -> Operators.compare(">=", day, lit("4 March")));
    }

    @Test
    void expressionsPrintThemselvesAsSql() {
        Expression e = Operators.and(List.of(
                Operators.compare(">", Operators.arithmetic("*", Operators.arithmetic("+", A, B), lit(2)), lit(5)),
                Operators.not(new Expression.IsNull(B)),
                Operators.in(A, List.of(lit(1), lit(2), lit(1)))));
        assertEquals("(((a + b) * 2) > 5) and (b is not null) and (a in (1, 2))", e.toString());
        assertEquals("'it''s'", lit("it's").toString());
        assertEquals(
                "'5%s' like '5!%%' escape '!'",
                Functions.like(lit("5%s"), lit("5!%%"), Optional.of("!")).toString());
        assertEquals(
                "'a' like 'b' escape ''''",
                Functions.like(lit("a"), lit("b"), Optional.of("'")).toString());
    }

    @Test
    void piecesOfDataAreLeftOutOnlyWhenNoRowCanMatch() {
        Ranges.Range range = new Ranges.Range(10, 20, 0, 100);
        Object[][] cases = {
            {"=", 9, false}, {"=", 10, true}, {"=", 20, true}, {"=", 21, false}, {"<", 10, false}, {"<", 11, true},
            {"<=", 10, true}, {"<=", 9, false}, {">", 20, false}, {">", 19, true}, {">=", 20, true}, {">=", 21, false},
            {"<>", 10, true}
        };
        for (Object[] c : cases) {
            Expression straight = Operators.compare((String) c[0], A, lit(c[1]));
            assertEquals(c[2], Ranges.canMatch(straight, i -> range), straight.toString());
        }
        assertTrue(Ranges.canMatch(Operators.compare("<", A, lit(1)), i -> new Ranges.Range(null, null, -1, 5)));
        assertEquals(false, Ranges.canMatch(new Expression.IsNull(A), i -> range));
        assertEquals(
                false, Ranges.canMatch(Operators.compare("=", A, lit(1)), i -> new Ranges.Range(null, null, 5, 5)));
        assertEquals(false, Ranges.canMatch(Operators.in(A, List.of(lit(1), lit(99))), i -> range));
    }
}
