package org.unimeros.engine.expr;

import java.util.Arrays;
import java.util.function.BiFunction;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DataType.Decimal;
import org.unimeros.engine.data.Digits;
import org.unimeros.engine.data.DoubleColumn;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.SpareArrays;
import org.unimeros.engine.data.TextColumn;

/** Numbers that stand as texts. Those of a few characters are read here; the rows of all others are left to someone who can read any. */
final class TextNumbers {

    private static final long[] POWERS = new long[Decimal.LONG_PRECISION + 1];

    static {
        POWERS[0] = 1;
        for (int i = 1; i < POWERS.length; i++) {
            POWERS[i] = 10 * POWERS[i - 1];
        }
    }

    private TextNumbers() {}

    static boolean areRead(DataType to) {
        return to == DataType.INT
                || to == DataType.LONG
                || to == DataType.DOUBLE
                || to instanceof Decimal d && !d.isWide();
    }

    /**
     * The values of a column.
     *
     * @param others reads some texts of any form; null where they mean no number
     */
    static Column read(TextColumn text, int rows, DataType to, BiFunction<TextColumn, Integer, Column> others) {
        int[] ints = to == DataType.INT ? SpareArrays.forInts(rows) : null;
        double[] doubles = to == DataType.DOUBLE ? SpareArrays.forDoubles(rows) : null;
        long[] longs = ints == null && doubles == null ? SpareArrays.forLongs(rows) : null;
        int precision = to instanceof Decimal d ? d.precision() : Decimal.LONG_PRECISION;
        int scale = to instanceof Decimal d ? d.scale() : 0;
        boolean isWhole = !(to instanceof Decimal);
        byte[] bytes = text.bytes();
        boolean hasNulls = text.nulls() != null;
        Digits digits = new Digits();
        int[] left = new int[0];
        int count = 0;
        for (int i = 0; i < rows; i++) {
            if (hasNulls && text.isNull(i)) {
                continue;
            }
            boolean isPlain = digits.read(bytes, text.start(i), text.end(i));
            int missing = scale - digits.behind();
            if (isPlain && doubles != null) {
                // Both are exact, so one division rounds correctly; a negative zero is left to others.
                doubles[i] = digits.unscaled() / (double) POWERS[digits.behind()];
                isPlain = digits.unscaled() != 0 || bytes[text.start(i)] != '-';
            } else if (isPlain
                    && !(isWhole && digits.hasPoint())
                    && missing >= 0
                    && digits.count() + missing <= precision) {
                long value = digits.unscaled() * POWERS[missing];
                if (ints != null) {
                    ints[i] = (int) value;
                } else {
                    longs[i] = value;
                }
            } else {
                isPlain = false;
            }
            if (!isPlain) {
                left = count == left.length ? Arrays.copyOf(left, Math.max(64, 2 * count)) : left;
                left[count++] = i;
            }
        }
        Column read = ints != null
                ? new IntColumn(ints, text.nulls())
                : doubles != null ? new DoubleColumn(doubles, text.nulls()) : new LongColumn(longs, text.nulls());
        return count == 0 ? read : with(read, rows, others.apply(text.gather(left, count), count), left, count);
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
