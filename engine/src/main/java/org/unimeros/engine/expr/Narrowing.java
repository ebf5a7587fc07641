package org.unimeros.engine.expr;

import java.math.BigDecimal;
import java.math.RoundingMode;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DataType.Decimal;
import org.unimeros.engine.data.DoubleColumn;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.SpareArrays;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.data.WideColumn;
import org.unimeros.engine.expr.ScalarFunction.RowProblem;

/**
 * Casts of numbers to types with fewer digits, rounded half away from zero. A double stands for the shortest decimal number that is read as
 * it; since that is hardly ever needed to know the result, it is made only where rounding is close to a half or the number is large.
 */
final class Narrowing {

    /** Below this, a double and its decimal number times a power of ten differ by less than {@link #CLOSE}. */
    private static final double MOST_EASY = 1L << 40;

    private static final double CLOSE = 0.001;
    private static final int MOST_DIGITS = 18;

    private final DataType from;
    private final DataType to;
    private final long[] out;
    private final long[] failed;

    private Narrowing(DataType from, DataType to, int rows) {
        this.from = from;
        this.to = to;
        this.out = SpareArrays.forLongs(rows);
        this.failed = Bits.make(rows);
    }

    /** Whether this class knows the cast. */
    static boolean isDefined(DataType from, DataType to) {
        boolean whole = to == DataType.INT || to == DataType.LONG;
        if (from == DataType.DOUBLE) {
            return whole || to instanceof Decimal d && !d.isWide();
        }
        return whole && (from == DataType.LONG || from instanceof Decimal d && !d.isWide());
    }

    /** Converts a column; a value that does not fit is null with {@code orNull} and a {@link RowProblem} without. */
    static Column narrow(Column column, int rows, DataType from, DataType to, boolean orNull) {
        Narrowing narrowing = new Narrowing(from, to, rows);
        if (column instanceof DoubleColumn doubles) {
            narrowing.doubles(doubles, rows);
        } else {
            long unit = from instanceof Decimal d ? power(d.scale()) : 1;
            narrowing.divided(((LongColumn) column).values(), rows, unit);
        }
        return narrowing.result(column, rows, orNull);
    }

    private static long power(int digits) {
        return WideColumn.powerOfTen(digits).longValueExact();
    }

    private void divided(long[] values, int rows, long unit) {
        for (int i = 0; i < rows; i++) {
            out[i] = divided(values[i], unit);
        }
    }

    /** A quotient rounded half away from zero. */
    static long divided(long value, long unit) {
        long quotient = value / unit;
        long rest = value % unit;
        return 2 * Math.abs(rest) >= unit ? quotient + Long.signum(value) : quotient;
    }

    private void doubles(DoubleColumn column, int rows) {
        double[] values = column.values();
        int scale = to instanceof Decimal d ? d.scale() : 0;
        // Powers of ten up to this one are exact doubles.
        double unit = power(scale);
        for (int i = 0; i < rows; i++) {
            double scaled = values[i] * unit;
            long whole = (long) scaled;
            double rest = Math.abs(scaled - whole);
            if (Math.abs(scaled) < MOST_EASY && (scale == 0 || Math.abs(rest - 0.5) > CLOSE)) {
                out[i] = rest >= 0.5 ? whole + (scaled < 0 ? -1 : 1) : whole;
            } else if (!column.isNull(i)) {
                exactly(i, values[i]);
            }
        }
    }

    private void exactly(int row, double value) {
        Object converted = Casts.convert(value, from, to);
        if (converted == null) {
            Bits.set(failed, row);
        } else {
            out[row] = converted instanceof BigDecimal decimal
                    ? decimal.unscaledValue().longValueExact()
                    : ((Number) converted).longValue();
        }
    }

    private Column result(Column column, int rows, boolean orNull) {
        long limit = to == DataType.INT
                ? Integer.MAX_VALUE
                : to instanceof Decimal d ? power(d.precision()) - 1 : Long.MAX_VALUE;
        for (int i = 0; i < rows; i++) {
            boolean fits = out[i] <= limit && out[i] >= (to instanceof Decimal ? -limit : -limit - 1);
            if (!fits) {
                Bits.set(failed, i);
            }
        }
        long[] nulls = column.nulls();
        if (Bits.any(failed, rows)) {
            for (int i = 0; !orNull && i < rows; i++) {
                if (Bits.get(failed, i) && !column.isNull(i)) {
                    throw new RowProblem(i, Values.literal(Values.get(column, i, from)) + " does not fit " + to);
                }
            }
            nulls = Bits.or(nulls, failed, rows);
        }
        if (to != DataType.INT) {
            return new LongColumn(out, nulls);
        }
        int[] ints = SpareArrays.forInts(rows);
        for (int i = 0; i < rows; i++) {
            ints[i] = (int) out[i];
        }
        return new IntColumn(ints, nulls);
    }

    /** A number rounded to digits behind the point, half away from zero, or cut. */
    static double rounded(double value, int places, boolean cuts) {
        if (places >= 0 && places <= MOST_DIGITS) {
            double unit = power(places);
            double scaled = value * unit;
            long whole = (long) scaled;
            double rest = Math.abs(scaled - whole);
            double danger = cuts ? Math.min(rest, 1 - rest) : Math.abs(rest - 0.5);
            if (Math.abs(scaled) < MOST_EASY && (places == 0 || danger > CLOSE)) {
                // A whole number of this size and the power of ten are exact, and so the quotient is rounded once.
                return (cuts || rest < 0.5 ? whole : whole + (scaled < 0 ? -1 : 1)) / unit;
            }
        }
        return exactlyRounded(value, places, cuts);
    }

    private static double exactlyRounded(double value, int places, boolean cuts) {
        return Double.isNaN(value) || Double.isInfinite(value)
                ? value
                : BigDecimal.valueOf(value)
                        .setScale(places, cuts ? RoundingMode.DOWN : RoundingMode.HALF_UP)
                        .doubleValue();
    }
}
