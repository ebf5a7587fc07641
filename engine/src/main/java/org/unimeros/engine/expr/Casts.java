package org.unimeros.engine.expr;

import java.math.BigDecimal;
import java.math.RoundingMode;
import java.time.Instant;
import java.time.LocalDate;
import java.time.ZoneOffset;
import java.util.Optional;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DataType.Decimal;
import org.unimeros.engine.data.DataType.ListOf;
import org.unimeros.engine.data.DataType.Struct;
import org.unimeros.engine.data.DoubleColumn;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.ListColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.Parse;
import org.unimeros.engine.data.SpareArrays;
import org.unimeros.engine.data.StructColumn;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.data.TextValues;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.data.WideColumn;
import org.unimeros.engine.expr.ScalarFunction.RowProblem;

/** Conversions between types. Widening ones run on arrays, texts are read without an object for each; the others go value by value. */
final class Casts {

    private Casts() {}

    /** Whether a conversion between the types is defined at all. */
    static boolean isDefined(DataType from, DataType to) {
        if (from.equals(to) || from == DataType.NULL || from == DataType.TEXT || to == DataType.TEXT) {
            return to != DataType.NULL;
        }
        if (from instanceof ListOf a && to instanceof ListOf b) {
            return isDefined(a.element(), b.element());
        }
        if (from instanceof Struct a && to instanceof Struct b) {
            return structsMeet(a, b);
        }
        boolean times = isTime(from) && isTime(to) || from == DataType.TIMESTAMP && to == DataType.TIME;
        boolean truth =
                from == DataType.BOOLEAN && to == DataType.INT || from == DataType.INT && to == DataType.BOOLEAN;
        return times || truth || from.isNumeric() && to.isNumeric();
    }

    /** Structs are converted field by field, by name. */
    private static boolean structsMeet(Struct from, Struct to) {
        return from.parts().size() == to.parts().size()
                && to.parts().stream()
                        .allMatch(p -> from.indexOf(p.name()) >= 0
                                && isDefined(
                                        from.parts().get(from.indexOf(p.name())).type(), p.type()));
    }

    static boolean canFail(DataType from, DataType to) {
        if (from instanceof ListOf a && to instanceof ListOf b) {
            return canFail(a.element(), b.element());
        }
        if (from == DataType.TIMESTAMP && to == DataType.TIME || to == DataType.FLOAT && from != DataType.DOUBLE) {
            return from == DataType.TEXT;
        }
        if (from.equals(to) || from == DataType.NULL || to == DataType.TEXT || isTime(from) && isTime(to)) {
            return false;
        }
        if (from.isNumeric() && to instanceof Decimal d) {
            return from.isFloating() || !holds(d, Types.decimal(from));
        }
        boolean widens = from == DataType.INT && (to == DataType.LONG || to == DataType.DOUBLE)
                || to == DataType.DOUBLE && from.isNumeric()
                || from == DataType.BOOLEAN
                || to == DataType.BOOLEAN && from == DataType.INT;
        return !widens;
    }

    private static boolean holds(Decimal wide, Decimal narrow) {
        return wide.scale() >= narrow.scale() && wide.precision() - wide.scale() >= narrow.precision() - narrow.scale();
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
        if (from == DataType.DATE && to == DataType.TIMESTAMP) {
            return datesToTimestamps((IntColumn) column, rows);
        }
        if (from == DataType.TIMESTAMP && to == DataType.TIME) {
            return timestampsToTimes((LongColumn) column, rows);
        }
        if (Narrowing.isDefined(from, to)) {
            return Narrowing.narrow(column, rows, from, to, orNull);
        }
        if (to instanceof Decimal d && from.isNumeric() && !from.isFloating()) {
            return DecimalKernels.rescaled(column, rows, Types.decimal(from).scale(), d, orNull);
        }
        if (from instanceof ListOf a && to instanceof ListOf b) {
            ListColumn lists = ((ListColumn) column).packed(rows);
            return lists.withElements(cast(lists.elements(), lists.elementCount(), a.element(), b.element(), orNull));
        }
        if (from instanceof Struct a && to instanceof Struct b) {
            return structs((StructColumn) column, rows, a, b, orNull);
        }
        if (from == DataType.TEXT && to != DataType.NULL) {
            return texts((TextColumn) column, rows, to, orNull);
        }
        if (to == DataType.TEXT && ToText.isDefined(from)) {
            return ToText.texts(column, rows, from);
        }
        return valueByValue(column, rows, from, to, orNull);
    }

    /** Each entry of a dictionary is read once. */
    private static Column texts(TextColumn text, int rows, DataType to, boolean orNull) {
        boolean byEntry = text.ids() != null && text.entries() > 0 && text.entries() <= rows;
        Column read = byEntry
                ? TextKernels.spread(TextValues.read(text.dictionary(), text.entries(), to), text, rows, text.nulls())
                : TextValues.read(text, rows, to);
        if (to == DataType.DATE && read.nulls() != null) {
            read = daysOfTimes(text, rows, read);
        }
        for (int i = 0; !orNull && read.nulls() != null && i < rows; i++) {
            if (read.isNull(i) && !text.isNull(i)) {
                throw new RowProblem(i, Values.literal(text.text(i)) + " does not fit " + to);
            }
        }
        return read;
    }

    /** A text of a timestamp means its day, as the timestamp does. */
    private static Column daysOfTimes(TextColumn text, int rows, Column days) {
        LongColumn times = (LongColumn) TextValues.read(text, rows, DataType.TIMESTAMP);
        ColumnBuilder out = ColumnBuilder.of(DataType.DATE);
        for (int i = 0; i < rows; i++) {
            if (!days.isNull(i) || text.isNull(i) || times.isNull(i)) {
                out.append(days, i);
            } else {
                out.appendInt((int) Math.floorDiv(times.values()[i], Interval.MICROS_PER_DAY));
            }
        }
        return out.build();
    }

    private static Column structs(StructColumn column, int rows, Struct from, Struct to, boolean orNull) {
        Column[] fields = new Column[to.parts().size()];
        for (int i = 0; i < fields.length; i++) {
            int source = from.indexOf(to.parts().get(i).name());
            Column values = column.fieldOrNull(source, rows);
            fields[i] = cast(
                    values,
                    rows,
                    from.parts().get(source).type(),
                    to.parts().get(i).type(),
                    orNull);
        }
        return new StructColumn(fields, column.nulls());
    }

    private static Column intsToLongs(IntColumn column, int rows) {
        int[] values = column.values();
        long[] out = SpareArrays.forLongs(rows);
        for (int i = 0; i < rows; i++) {
            out[i] = values[i];
        }
        return new LongColumn(out, column.nulls());
    }

    private static Column toDoubles(Column column, int rows, DataType from) {
        if (column instanceof DoubleColumn) {
            return column;
        }
        double[] out = SpareArrays.forDoubles(rows);
        if (column instanceof IntColumn ints) {
            for (int i = 0; i < rows; i++) {
                out[i] = ints.values()[i];
            }
        } else if (column instanceof WideColumn wide) {
            for (int i = 0; i < rows; i++) {
                out[i] = new BigDecimal(wide.value(i), ((Decimal) from).scale()).doubleValue();
            }
        } else {
            double divisor = from instanceof Decimal d ? Math.pow(10, d.scale()) : 1;
            long[] values = ((LongColumn) column).values();
            for (int i = 0; i < rows; i++) {
                out[i] = values[i] / divisor;
            }
        }
        return new DoubleColumn(out, column.nulls());
    }

    private static Column timestampsToDates(LongColumn column, int rows) {
        return new IntColumn(Days.of(column.values(), rows), column.nulls());
    }

    private static Column datesToTimestamps(IntColumn column, int rows) {
        int[] days = column.values();
        long[] out = SpareArrays.forLongs(rows);
        for (int i = 0; i < rows; i++) {
            out[i] = days[i] * Interval.MICROS_PER_DAY;
        }
        return new LongColumn(out, column.nulls());
    }

    private static Column timestampsToTimes(LongColumn column, int rows) {
        long[] out = new long[rows];
        for (int i = 0; i < rows; i++) {
            out[i] = Math.floorMod(column.values()[i], Interval.MICROS_PER_DAY);
        }
        return new LongColumn(out, column.nulls());
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
                case Integer i -> to == DataType.BOOLEAN ? (Object) (i != 0) : number(BigDecimal.valueOf(i), to, i);
                case Double d -> number(exact(d), to, d);
                case Float f -> number(exact(f), to, f);
                case BigDecimal d -> number(d, to, d.doubleValue());
                case Number n -> number(BigDecimal.valueOf(n.longValue()), to, n.doubleValue());
                default -> throw new IllegalArgumentException("no cast from " + from + " to " + to);
            };
        } catch (ArithmeticException e) {
            return null;
        }
    }

    /** The shortest decimal number that is read as this one; of those that are not finite, nothing. */
    private static Optional<BigDecimal> exact(Number value) {
        return Double.isFinite(value.doubleValue()) ? Optional.of(new BigDecimal(value.toString())) : Optional.empty();
    }

    private static Object number(BigDecimal value, DataType to, double approximate) {
        return number(Optional.of(value), to, approximate);
    }

    private static Object number(Optional<BigDecimal> exact, DataType to, double approximate) {
        if (to.isFloating()) {
            return to == DataType.FLOAT ? Parse.single(approximate) : (Object) approximate;
        }
        BigDecimal value = exact.orElseThrow(() -> new ArithmeticException("not a finite number"));
        return switch (to) {
            case DataType.Simple.INT -> value.setScale(0, RoundingMode.HALF_UP).intValueExact();
            case DataType.Simple.LONG -> value.setScale(0, RoundingMode.HALF_UP).longValueExact();
            case Decimal d -> Parse.decimal(value, d);
            default -> throw new IllegalArgumentException("no cast from a number to " + to);
        };
    }
}
