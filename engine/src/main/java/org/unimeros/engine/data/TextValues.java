package org.unimeros.engine.data;

import java.math.BigDecimal;
import java.util.Arrays;
import java.util.Optional;
import org.unimeros.engine.data.DataType.Decimal;

/**
 * Columns of values that stand as texts, by the rules of {@link Parse}. Plain numbers and the usual forms of dates are read
 * without an object for each.
 */
public final class TextValues {

    /**
     * So many digits, and the powers of ten that they are divided by, are exact doubles, and so one division rounds correctly (W. D. Clinger, "How
     * to read floating point numbers accurately", 1990).
     */
    private static final int EXACT_DIGITS = 15;

    private static final long[] POWERS = new long[Decimal.LONG_PRECISION + 1];

    static {
        POWERS[0] = 1;
        for (int i = 1; i < POWERS.length; i++) {
            POWERS[i] = 10 * POWERS[i - 1];
        }
    }

    private TextValues() {}

    /**
     * What the first rows of a column mean in a type; null where a text means nothing in it, and where there is none.
     *
     * @param to any type but that of nulls
     */
    public static Column read(TextColumn text, int rows, DataType to) {
        return read(text, rows, to, false);
    }

    /**
     * The same.
     *
     * @param exact whether a number with more digits behind the point than a decimal type has means nothing; else it is rounded
     */
    public static Column read(TextColumn text, int rows, DataType to, boolean exact) {
        if (to == DataType.TEXT) {
            return text;
        }
        if (to == DataType.DATE) {
            return dates(text, rows);
        }
        if (to == DataType.TIMESTAMP) {
            return timestamps(text, rows);
        }
        boolean isPlainNumber = to == DataType.INT
                || to == DataType.LONG
                || to == DataType.DOUBLE
                || to instanceof Decimal d && !d.isWide();
        return isPlainNumber ? numbers(text, rows, to, exact) : each(text, rows, to, exact);
    }

    private static Column numbers(TextColumn text, int rows, DataType to, boolean exact) {
        int[] ints = to == DataType.INT ? SpareArrays.forInts(rows) : null;
        double[] doubles = to == DataType.DOUBLE ? SpareArrays.forDoubles(rows) : null;
        long[] longs = ints == null && doubles == null ? SpareArrays.forLongs(rows) : null;
        int precision = to instanceof Decimal d ? d.precision() : Decimal.LONG_PRECISION;
        int scale = to instanceof Decimal d ? d.scale() : 0;
        boolean isWhole = !(to instanceof Decimal);
        byte[] bytes = text.bytes();
        boolean hasNulls = text.nulls() != null;
        Digits digits = new Digits();
        Left left = new Left(exact);
        for (int i = 0; i < rows; i++) {
            if (hasNulls && text.isNull(i)) {
                continue;
            }
            boolean isPlain = digits.read(bytes, text.start(i), text.end(i));
            int missing = scale - digits.behind();
            if (isPlain && doubles != null) {
                doubles[i] = digits.unscaled() / (double) POWERS[digits.behind()];
                // A negative zero is left to others.
                isPlain = digits.count() <= EXACT_DIGITS && (digits.unscaled() != 0 || bytes[text.start(i)] != '-');
            } else if (isPlain
                    && !(isWhole && digits.hasPoint())
                    && missing >= 0
                    && digits.count() + missing <= precision) {
                long value = digits.unscaled() * POWERS[missing];
                if (ints != null) {
                    ints[i] = (int) value;
                    isPlain = ints[i] == value;
                } else {
                    longs[i] = value;
                }
            } else {
                isPlain = false;
            }
            if (!isPlain) {
                left.add(i);
            }
        }
        Column read = ints != null
                ? new IntColumn(ints, text.nulls())
                : doubles != null ? new DoubleColumn(doubles, text.nulls()) : new LongColumn(longs, text.nulls());
        return left.readInto(read, text, rows, to);
    }

    private static Column dates(TextColumn text, int rows) {
        int[] days = SpareArrays.forInts(rows);
        Left left = new Left(false);
        boolean hasNulls = text.nulls() != null;
        for (int i = 0; i < rows; i++) {
            if (hasNulls && text.isNull(i)) {
                continue;
            }
            int start = text.start(i);
            long day = IsoText.date(text.bytes(), start, text.end(i) - start);
            days[i] = (int) day;
            if (day == IsoText.UNKNOWN) {
                left.add(i);
            }
        }
        return left.readInto(new IntColumn(days, text.nulls()), text, rows, DataType.DATE);
    }

    private static Column timestamps(TextColumn text, int rows) {
        long[] micros = SpareArrays.forLongs(rows);
        Left left = new Left(false);
        boolean hasNulls = text.nulls() != null;
        for (int i = 0; i < rows; i++) {
            if (hasNulls && text.isNull(i)) {
                continue;
            }
            int start = text.start(i);
            micros[i] = IsoText.timestamp(text.bytes(), start, text.end(i) - start);
            if (micros[i] == IsoText.UNKNOWN) {
                left.add(i);
            }
        }
        return left.readInto(new LongColumn(micros, text.nulls()), text, rows, DataType.TIMESTAMP);
    }

    private static Column each(TextColumn text, int rows, DataType to, boolean exact) {
        ColumnBuilder out = ColumnBuilder.of(to);
        for (int i = 0; i < rows; i++) {
            Optional<Object> value = text.isNull(i) ? Optional.empty() : Parse.value(text.text(i), to);
            if (exact && value.isPresent() && to instanceof Decimal && !isExact(text.text(i), value.get())) {
                value = Optional.empty();
            }
            if (value.isPresent()) {
                Values.append(out, value.get());
            } else {
                out.appendNull();
            }
        }
        return out.build();
    }

    private static boolean isExact(String text, Object decimal) {
        return new BigDecimal(text.strip()).compareTo((BigDecimal) decimal) == 0;
    }

    /** The rows whose texts have other forms. */
    private static final class Left {
        private final boolean exact;
        private int[] rows = new int[0];
        private int count;

        Left(boolean exact) {
            this.exact = exact;
        }

        void add(int row) {
            rows = count == rows.length ? Arrays.copyOf(rows, Math.max(64, 2 * count)) : rows;
            rows[count++] = row;
        }

        /** Reads them one by one, and puts them in their places of a column of {@code size} rows. */
        Column readInto(Column column, TextColumn text, int size, DataType to) {
            return count == 0
                    ? column
                    : with(column, size, each(text.gather(rows, count), count, to, exact), rows, count);
        }
    }

    /** Puts values in the places of some rows. */
    private static Column with(Column column, int rows, Column values, int[] places, int n) {
        long[] nulls = null;
        for (int k = 0; k < n; k++) {
            if (values.isNull(k)) {
                nulls = nulls == null ? nullsOf(column, rows) : nulls;
                Bits.set(nulls, places[k]);
                continue;
            }
            switch (column) {
                case IntColumn c -> c.values()[places[k]] = ((IntColumn) values).values()[k];
                case LongColumn c -> c.values()[places[k]] = ((LongColumn) values).values()[k];
                case DoubleColumn c -> c.values()[places[k]] = ((DoubleColumn) values).values()[k];
                default -> throw new IllegalStateException("no numbers: " + column.getClass());
            }
        }
        return nulls == null ? column : column.withNulls(nulls);
    }

    private static long[] nullsOf(Column column, int rows) {
        return column.nulls() == null ? Bits.make(rows) : Arrays.copyOf(column.nulls(), Bits.words(rows));
    }
}
