package org.unimeros.engine.expr;

import java.io.Serializable;
import java.math.BigDecimal;
import java.math.BigInteger;
import java.util.function.LongBinaryOperator;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType.Decimal;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.SpareArrays;
import org.unimeros.engine.data.WideColumn;
import org.unimeros.engine.expr.ScalarFunction.Kernel;
import org.unimeros.engine.expr.ScalarFunction.RowProblem;

/**
 * Arithmetic of decimals on their unscaled values, in 64 or 128 bits as the types of arguments and result ask. Sums and
 * products of arguments that fit into longs never leave primitive arithmetic; others go through {@link BigInteger}.
 */
final class DecimalKernels {

    private DecimalKernels() {}

    /** Kernel of {@code + - * %} whose result has 128 bits; its arguments, of one scale unless for *, have either form. */
    static Kernel wide(String op, Decimal type) {
        return switch (op) {
            case "+" -> (args, rows, nulls) -> sums(args, rows, nulls, type, false);
            case "-" -> (args, rows, nulls) -> sums(args, rows, nulls, type, true);
            case "*" -> (args, rows, nulls) -> products(args, rows, nulls, type);
            default -> (args, rows, nulls) -> remainders(args, rows, nulls);
        };
    }

    /** Kernel of {@code + - * %} whose arguments and result have 64 bits, and no more digits than its type. */
    static Kernel narrow(Kernel longs, Decimal type) {
        long limit = WideColumn.powerOfTen(type.precision()).longValueExact();
        return (args, rows, nulls) -> {
            LongColumn column = (LongColumn) longs.apply(args, rows, nulls);
            long[] values = column.values();
            for (int i = 0; i < rows; i++) {
                if ((values[i] >= limit || values[i] <= -limit) && !Arithmetic.isNull(nulls, i)) {
                    throw tooLong(i, type);
                }
            }
            return column;
        };
    }

    private static RowProblem tooLong(int row, Decimal type) {
        return Arithmetic.overflow(row, "the result", type.toString());
    }

    /** The same numbers in 128 bits. */
    private static WideColumn widened(Column column, int rows) {
        if (column instanceof WideColumn wide) {
            return wide;
        }
        long[] low = ((LongColumn) column).values();
        long[] high = new long[rows];
        for (int i = 0; i < rows; i++) {
            high[i] = low[i] >> 63;
        }
        return new WideColumn(high, low, column.nulls());
    }

    private static Column sums(Column[] args, int rows, long[] nulls, Decimal type, boolean minus) {
        WideColumn a = widened(args[0], rows);
        WideColumn b = widened(args[1], rows);
        long[] high = new long[rows];
        long[] low = new long[rows];
        for (int i = 0; i < rows; i++) {
            long x = a.low()[i];
            long y = b.low()[i];
            if (minus) {
                low[i] = x - y;
                high[i] = a.high()[i] - b.high()[i] - (Long.compareUnsigned(x, y) < 0 ? 1 : 0);
            } else {
                low[i] = x + y;
                high[i] = a.high()[i] + b.high()[i] + (Long.compareUnsigned(low[i], x) < 0 ? 1 : 0);
            }
        }
        // Two decimals of 38 digits cannot wrap 128 bits: twice the greatest is too long, not negative, or isLonger.
        requireDigits(high, low, rows, nulls, type);
        return new WideColumn(high, low, nulls);
    }

    private static Column products(Column[] args, int rows, long[] nulls, Decimal type) {
        long[] high = new long[rows];
        long[] low = new long[rows];
        if (args[0] instanceof LongColumn a && args[1] instanceof LongColumn b) {
            for (int i = 0; i < rows; i++) {
                high[i] = Math.multiplyHigh(a.values()[i], b.values()[i]);
                low[i] = a.values()[i] * b.values()[i];
            }
            requireDigits(high, low, rows, nulls, type);
            return new WideColumn(high, low, nulls);
        }
        WideColumn a = widened(args[0], rows);
        WideColumn b = widened(args[1], rows);
        for (int i = 0; i < rows; i++) {
            if (!Arithmetic.isNull(nulls, i)) {
                BigInteger product = a.value(i).multiply(b.value(i));
                if (product.abs().compareTo(WideColumn.powerOfTen(type.precision())) >= 0) {
                    throw tooLong(i, type);
                }
                high[i] = WideColumn.high(product);
                low[i] = product.longValue();
            }
        }
        return new WideColumn(high, low, nulls);
    }

    private static Column remainders(Column[] args, int rows, long[] nulls) {
        WideColumn a = widened(args[0], rows);
        WideColumn b = widened(args[1], rows);
        long[] high = new long[rows];
        long[] low = new long[rows];
        for (int i = 0; i < rows; i++) {
            if (!Arithmetic.isNull(nulls, i)) {
                BigInteger divisor = b.value(i);
                if (divisor.signum() == 0) {
                    throw RowProblem.divisionByZero(i);
                }
                BigInteger rest = a.value(i).remainder(divisor);
                high[i] = WideColumn.high(rest);
                low[i] = rest.longValue();
            }
        }
        return new WideColumn(high, low, nulls);
    }

    private static void requireDigits(long[] high, long[] low, int rows, long[] nulls, Decimal type) {
        for (int i = 0; i < rows; i++) {
            boolean mayBeLong = high[i] != low[i] >> 63;
            if (mayBeLong && WideColumn.isLonger(high[i], low[i], type.precision()) && !Arithmetic.isNull(nulls, i)) {
                throw tooLong(i, type);
            }
        }
    }

    /** The numbers with the other sign. */
    static Column negated(Column column, int rows, long[] nulls) {
        WideColumn wide = (WideColumn) column;
        long[] high = new long[rows];
        long[] low = new long[rows];
        for (int i = 0; i < rows; i++) {
            low[i] = -wide.low()[i];
            high[i] = ~wide.high()[i] + (low[i] == 0 ? 1 : 0);
        }
        return new WideColumn(high, low, nulls);
    }

    /** The values in units of more, what is left over cut off. */
    static Column cut(Column column, int rows, long[] nulls, int digits) {
        if (column instanceof WideColumn wide) {
            return eachWide(wide, rows, nulls, v -> v.divide(WideColumn.powerOfTen(digits)));
        }
        long unit = WideColumn.powerOfTen(digits).longValueExact();
        return eachLong((LongColumn) column, unit, rows, nulls, (value, by) -> value / by);
    }

    /** A function of unscaled values whose results are not longer than they. */
    @FunctionalInterface
    interface OfUnscaled extends Serializable {
        BigInteger apply(BigInteger value);
    }

    static Column eachWide(WideColumn column, int rows, long[] nulls, OfUnscaled each) {
        long[] high = new long[rows];
        long[] low = new long[rows];
        for (int i = 0; i < rows; i++) {
            if (!Arithmetic.isNull(nulls, i)) {
                BigInteger result = each.apply(column.value(i));
                high[i] = WideColumn.high(result);
                low[i] = result.longValue();
            }
        }
        return new WideColumn(high, low, nulls);
    }

    private static Column eachLong(LongColumn column, long by, int rows, long[] nulls, LongBinaryOperator each) {
        long[] out = SpareArrays.forLongs(rows);
        for (int i = 0; i < rows; i++) {
            out[i] = each.applyAsLong(column.values()[i], by);
        }
        return new LongColumn(out, nulls);
    }

    /**
     * Whole numbers or decimals as decimals of another type, rounded half away from zero.
     *
     * @param scale that of the column; 0 for whole numbers
     * @param orNull whether a value that does not fit becomes null
     */
    static Column rescaled(Column column, int rows, int scale, Decimal to, boolean orNull) {
        Column source = column instanceof IntColumn ints ? longs(ints, rows) : column;
        int digits = to.scale() - scale;
        boolean isLong = source instanceof LongColumn;
        boolean simple = isLong && digits >= 0 && digits <= Decimal.LONG_PRECISION;
        boolean divides = isLong && digits < 0 && digits >= -Decimal.LONG_PRECISION;
        long[] high = new long[rows];
        long[] low = new long[rows];
        long[] failed = Bits.make(rows);
        long factor =
                simple || divides ? WideColumn.powerOfTen(Math.abs(digits)).longValueExact() : 0;
        for (int i = 0; i < rows; i++) {
            if (simple) {
                long value = ((LongColumn) source).values()[i];
                high[i] = Math.multiplyHigh(value, factor);
                low[i] = value * factor;
            } else if (divides) {
                low[i] = Narrowing.divided(((LongColumn) source).values()[i], factor);
                high[i] = low[i] >> 63;
            } else if (!source.isNull(i)) {
                BigInteger value = scaled(source, i, digits);
                boolean fits = value.bitLength() < 128;
                high[i] = fits ? WideColumn.high(value) : Long.MIN_VALUE;
                low[i] = fits ? value.longValue() : 0;
            }
            if (WideColumn.isLonger(high[i], low[i], to.precision()) && !source.isNull(i)) {
                if (!orNull) {
                    throw new RowProblem(i, shown(source, i, scale) + " does not fit " + to);
                }
                Bits.set(failed, i);
            }
        }
        long[] nulls = Bits.any(failed, rows) ? Bits.or(column.nulls(), failed, rows) : column.nulls();
        return to.isWide() ? new WideColumn(high, low, nulls) : new LongColumn(low, nulls);
    }

    private static LongColumn longs(IntColumn column, int rows) {
        long[] out = SpareArrays.forLongs(rows);
        for (int i = 0; i < rows; i++) {
            out[i] = column.values()[i];
        }
        return new LongColumn(out, column.nulls());
    }

    private static BigInteger unscaled(Column column, int row) {
        return column instanceof WideColumn wide
                ? wide.value(row)
                : BigInteger.valueOf(((LongColumn) column).values()[row]);
    }

    private static String shown(Column column, int row, int scale) {
        return new BigDecimal(unscaled(column, row), scale).toPlainString();
    }

    private static BigInteger scaled(Column column, int row, int digits) {
        BigInteger value = unscaled(column, row);
        if (digits >= 0) {
            return value.multiply(WideColumn.powerOfTen(digits));
        }
        BigInteger unit = WideColumn.powerOfTen(-digits);
        BigInteger half = unit.shiftRight(1);
        return (value.signum() < 0 ? value.subtract(half) : value.add(half)).divide(unit);
    }
}
