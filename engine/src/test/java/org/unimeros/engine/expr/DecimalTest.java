package org.unimeros.engine.expr;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;

import java.math.BigDecimal;
import java.math.BigInteger;
import java.math.RoundingMode;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DataType.Decimal;
import org.unimeros.engine.data.Parse;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.Expression.Literal;

/** Decimals of up to 38 digits against {@link BigDecimal}. */
class DecimalTest {

    private static final int ROWS = 300;

    private final Random random = new Random(38);

    /** Numbers of all lengths, among them the longest, those around the bounds of a long, and null. */
    private BigDecimal number(Decimal type) {
        BigInteger limit = BigInteger.TEN.pow(type.precision()).subtract(BigInteger.ONE);
        BigInteger value = switch (random.nextInt(8)) {
            case 0 -> limit;
            case 1 -> BigInteger.valueOf(random.nextInt(3));
            case 2 -> BigInteger.valueOf(Long.MAX_VALUE).add(BigInteger.valueOf(random.nextInt(3) - 1));
            case 3 -> BigInteger.ONE.shiftLeft(64).add(BigInteger.valueOf(random.nextInt(3) - 1));
            default -> new BigInteger(1 + random.nextInt(127), random);
        };
        BigInteger cut = value.min(limit);
        return new BigDecimal(random.nextBoolean() ? cut : cut.negate(), type.scale());
    }

    private List<Object> numbers(Decimal type) {
        List<Object> all = new ArrayList<>();
        for (int i = 0; i < ROWS; i++) {
            all.add(random.nextInt(10) == 0 ? null : number(type));
        }
        return all;
    }

    private static Column column(DataType type, List<Object> values) {
        ColumnBuilder builder = ColumnBuilder.of(type);
        values.forEach(v -> Values.append(builder, v));
        return builder.build();
    }

    private static BigDecimal exact(String op, BigDecimal a, BigDecimal b) {
        return switch (op) {
            case "+" -> a.add(b);
            case "-" -> a.subtract(b);
            case "*" -> a.multiply(b);
            default -> a.remainder(b);
        };
    }

    @Test
    void arithmeticIsExactOrFails() {
        String[][] types = {
            {"38, 4", "38, 4"}, {"19, 2", "18, 2"}, {"18, 6", "18, 6"}, {"30, 0", "10, 5"}, {"9, 2", "9, 2"}
        };
        for (String[] pair : types) {
            Decimal left = (Decimal) DataType.parse("decimal(" + pair[0] + ")");
            Decimal right = (Decimal) DataType.parse("decimal(" + pair[1] + ")");
            for (String op : List.of("+", "-", "*", "%")) {
                ColumnRef a = new ColumnRef(0, "a", left);
                ColumnRef b = new ColumnRef(1, "b", right);
                Expression e = Operators.arithmetic(op, a, b);
                Decimal type = (Decimal) e.type();
                List<Object> x = numbers(left);
                List<Object> y = numbers(right);
                for (int i = 0; i < ROWS; i++) {
                    checkOne(op, e, type, x.get(i), y.get(i), left, right);
                }
            }
        }
    }

    private static void checkOne(
            String op, Expression e, Decimal type, Object x, Object y, DataType left, DataType right) {
        Batch batch = new Batch(1, column(left, Arrays.asList(x)), column(right, Arrays.asList(y)));
        String what = x + " " + op + " " + y;
        if (x == null || y == null) {
            assertEquals(null, Values.get(new Evaluator().evaluate(e, batch), 0, type), what);
            return;
        }
        boolean byZero = op.equals("%") && ((BigDecimal) y).signum() == 0;
        BigDecimal expected =
                byZero ? null : exact(op, (BigDecimal) x, (BigDecimal) y).setScale(type.scale());
        if (byZero || expected.precision() > type.precision() || tooLongInside(op, e, (BigDecimal) x, (BigDecimal) y)) {
            assertThrows(BadData.class, () -> new Evaluator().evaluate(e, batch), what);
        } else {
            assertEquals(expected, Values.get(new Evaluator().evaluate(e, batch), 0, type), what);
        }
    }

    /** Whether an operand does not fit the type in which both meet. */
    private static boolean tooLongInside(String op, Expression e, BigDecimal x, BigDecimal y) {
        Decimal meet = (Decimal) e.children().get(0).type();
        return !op.equals("*")
                && (x.setScale(meet.scale()).precision() > meet.precision()
                        || y.setScale(meet.scale()).precision() > meet.precision());
    }

    @Test
    void valuesAreOrderedAndConvertedAsNumbers() {
        Decimal type = new Decimal(38, 6);
        List<Object> x = numbers(type);
        List<Object> y = numbers(type);
        Batch batch = new Batch(ROWS, column(type, x), column(type, y));
        ColumnRef a = new ColumnRef(0, "a", type);
        Expression below = Operators.compare("<", a, new ColumnRef(1, "b", type));
        Expression rounded = Operators.cast(a, new Decimal(38, 2), false);
        Expression narrow = Operators.cast(a, new Decimal(12, 2), true);
        Expression whole = Operators.cast(a, DataType.LONG, true);
        Expression approximate = Operators.cast(a, DataType.DOUBLE, false);
        Expression text = Operators.cast(Operators.cast(a, DataType.TEXT, false), type, false);
        Expression negative = Operators.negate(a);
        for (int i = 0; i < ROWS; i++) {
            BigDecimal v = (BigDecimal) x.get(i);
            Object isBelow = v == null || y.get(i) == null ? null : v.compareTo((BigDecimal) y.get(i)) < 0;
            assertEquals(isBelow, value(below, batch, i));
            if (v == null) {
                assertEquals(null, value(rounded, batch, i));
                continue;
            }
            BigDecimal cents = v.setScale(2, RoundingMode.HALF_UP);
            assertEquals(cents, value(rounded, batch, i));
            assertEquals(cents.precision() > 12 ? null : cents, value(narrow, batch, i));
            BigInteger units = v.setScale(0, RoundingMode.HALF_UP).toBigInteger();
            assertEquals(units.bitLength() > 63 ? null : (Object) units.longValue(), value(whole, batch, i));
            assertEquals(v.doubleValue(), value(approximate, batch, i));
            assertEquals(v, value(text, batch, i));
            assertEquals(v.negate(), value(negative, batch, i));
        }
    }

    private static Object value(Expression e, Batch batch, int row) {
        return Values.get(new Evaluator().evaluate(e, batch), row, e.type());
    }

    /** Neither takes long, though written out they would fill the memory. */
    @Test
    void enormousExponentsAreNoBurden() {
        Decimal type = new Decimal(20, 2);
        assertEquals(Optional.empty(), Parse.value("1e999999999", type));
        assertEquals(Optional.empty(), Parse.value("-1e999999999", type));
        assertEquals(Optional.of(new BigDecimal("0.00")), Parse.value("1e-999999999", type));
        assertEquals(Optional.of(new BigDecimal("0.00")), Parse.value("0e999999999", type));
        assertEquals(Optional.of(new BigDecimal("0.01")), Parse.value("5e-3", type));
        assertEquals(Optional.of(new BigDecimal("0.00")), Parse.value("4.9e-3", type));
        assertEquals(Optional.of(new BigDecimal("1000.00")), Parse.value("1e3", type));
    }

    @Test
    void roundingAndCuttingKeepLongNumbers() {
        BigDecimal v = new BigDecimal("12345678901234567890123456.789");
        Literal literal = new Literal(v, new Decimal(29, 3));
        Literal one = new Literal(1, DataType.INT);
        assertEquals(
                new BigDecimal("12345678901234567890123456.8"),
                Evaluator.fold(Functions.call("round", List.of(literal, one))).value());
        assertEquals(
                new BigDecimal("12345678901234567890123456.7"),
                Evaluator.fold(Functions.call("trunc", List.of(literal, one))).value());
        assertEquals(
                v,
                Evaluator.fold(Functions.call("abs", List.of(Operators.negate(literal))))
                        .value());
    }
}
