package org.unimeros.engine.expr;

import java.math.BigDecimal;
import java.math.RoundingMode;
import java.time.Instant;
import java.time.LocalDate;
import java.time.ZoneOffset;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DoubleColumn;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.Parse;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.expr.ScalarFunction.RowProblem;

/** Conversions between types. Widening ones run on arrays; the others go value by value. */
final class Casts {

    private static final long MICROS_PER_DAY = 86_400_000_000L;

    private Casts() {}

    /** Whether a conversion between the types is defined at all. */
    static boolean isDefined(DataType from, DataType to) {
        if (from.equals(to) || from == DataType.NULL || from == DataType.TEXT || to == DataType.TEXT) {
            return to != DataType.NULL;
        }
        boolean times = isTime(from) && isTime(to);
        boolean truth =
                from == DataType.BOOLEAN && to == DataType.INT || from == DataType.INT && to == DataType.BOOLEAN;
        return times || truth || from.isNumeric() && to.isNumeric();
    }

    static boolean canFail(DataType from, DataType to) {
        if (from.equals(to) || from == DataType.NULL || to == DataType.TEXT || isTime(from) && isTime(to)) {
            return false;
        }
        boolean widens = from == DataType.INT && (to == DataType.LONG || to == DataType.DOUBLE)
                || to == DataType.DOUBLE && from.isNumeric()
                || from == DataType.BOOLEAN
                || to == DataType.BOOLEAN && from == DataType.INT;
        return !widens;
    }

    private static boolean isTime(DataType type) {
        return type == DataType.DATE || type == DataType.TIMESTAMP;
    }

    /** Converts a column; a value that does not fit is null with {@code orNull} and a {@link RowProblem} without. */
    static Column cast(Column column, int rows, DataType from, DataType to, boolean orNull) {
        if (from.equals(to)) {
            return column;
        }
        if (from == DataType.INT && to == DataType.LONG) {
            return intsToLongs((IntColumn) column, rows);
        }
        if (to == DataType.DOUBLE && from.isNumeric()) {
            return toDoubles(column, rows, from);
        }
        if (from == DataType.TIMESTAMP && to == DataType.DATE) {
            return timestampsToDates((LongColumn) column, rows);
        }
        return valueByValue(column, rows, from, to, orNull);
    }

    private static Column intsToLongs(IntColumn column, int rows) {
        int[] values = column.values();
        long[] out = new long[rows];
        for (int i = 0; i < rows; i++) {
            out[i] = values[i];
        }
        return new LongColumn(out, column.nulls());
    }

    private static Column toDoubles(Column column, int rows, DataType from) {
        double[] out = new double[rows];
        if (column instanceof IntColumn ints) {
            for (int i = 0; i < rows; i++) {
                out[i] = ints.values()[i];
            }
        } else {
            double divisor = from instanceof DataType.Decimal d ? Math.pow(10, d.scale()) : 1;
            long[] values = ((LongColumn) column).values();
            for (int i = 0; i < rows; i++) {
                out[i] = values[i] / divisor;
            }
        }
        return new DoubleColumn(out, column.nulls());
    }

    private static Column timestampsToDates(LongColumn column, int rows) {
        int[] out = new int[rows];
        for (int i = 0; i < rows; i++) {
            out[i] = (int) Math.floorDiv(column.values()[i], MICROS_PER_DAY);
        }
        return new IntColumn(out, column.nulls());
    }

    private static Column valueByValue(Column column, int rows, DataType from, DataType to, boolean orNull) {
        ColumnBuilder out = ColumnBuilder.of(to);
        for (int i = 0; i < rows; i++) {
            if (column.isNull(i) || from == DataType.NULL) {
                out.appendNull();
                continue;
            }
            Object value = Values.get(column, i, from);
            Object converted = convert(value, from, to);
            if (converted == null && !orNull) {
                throw new RowProblem(i, Values.literal(value) + " does not fit " + to);
            }
            Values.append(out, converted);
        }
        Column built = out.build();
        return Bits.any(built.nulls(), rows) ? built : built.withNulls(null);
    }

    /** The value in the other type, or null when it does not fit. */
    static Object convert(Object value, DataType from, DataType to) {
        if (to == DataType.TEXT) {
            return Values.text(value);
        }
        if (value instanceof String text) {
            return Parse.value(text, to).orElse(null);
        }
        try {
            return switch (value) {
                case LocalDate date -> date.atStartOfDay(ZoneOffset.UTC).toInstant();
                case Instant instant -> instant.atOffset(ZoneOffset.UTC).toLocalDate();
                case Boolean truth -> truth ? 1 : 0;
                case Integer i -> to == DataType.BOOLEAN ? (Object) (i != 0) : number(BigDecimal.valueOf(i), to);
                case Double d -> number(exact(d), to);
                case BigDecimal d -> number(d, to);
                case Number n -> number(BigDecimal.valueOf(n.longValue()), to);
                default -> throw new IllegalArgumentException("no cast from " + from + " to " + to);
            };
        } catch (ArithmeticException e) {
            return null;
        }
    }

    private static BigDecimal exact(double value) {
        if (Double.isNaN(value) || Double.isInfinite(value)) {
            throw new ArithmeticException("not a finite number");
        }
        return BigDecimal.valueOf(value);
    }

    private static Object number(BigDecimal value, DataType to) {
        return switch (to) {
            case DataType.Simple.INT -> value.setScale(0, RoundingMode.HALF_UP).intValueExact();
            case DataType.Simple.LONG -> value.setScale(0, RoundingMode.HALF_UP).longValueExact();
            case DataType.Simple.DOUBLE -> value.doubleValue();
            case DataType.Decimal d -> Parse.decimal(value, d);
            default -> throw new IllegalArgumentException("no cast from a number to " + to);
        };
    }
}
