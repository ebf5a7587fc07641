package org.unimeros.engine.expr;

import java.util.Arrays;
import java.util.function.IntPredicate;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.BooleanColumn;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DoubleColumn;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.data.ValueOrder;

/**
 * Comparisons of columns, 64 results to a word. Doubles are ordered totally: every NaN is equal to every other and
 * above all numbers, and the two zeros are equal. Text is ordered by its UTF-8 bytes, lists and structs as {@link
 * ValueOrder} says.
 */
final class Comparison {

    private Comparison() {}

    /** The kernel that tells whether {@code a} is below {@code b}. */
    static ScalarFunction.Kernel below(DataType type) {
        return switch (type.physical()) {
            case INTS -> Comparison::belowInts;
            case LONGS -> Comparison::belowLongs;
            case DOUBLES -> Comparison::belowDoubles;
            case BYTES -> Comparison::belowText;
            case BITS -> (args, rows, nulls) -> bits(args, rows, nulls, false);
            case WIDE, LIST, STRUCT -> (args, rows, nulls) -> others(args, rows, nulls, order -> order < 0);
        };
    }

    /** The kernel that tells whether {@code a} equals {@code b}. */
    static ScalarFunction.Kernel equal(DataType type) {
        return switch (type.physical()) {
            case INTS -> Comparison::equalInts;
            case LONGS -> Comparison::equalLongs;
            case DOUBLES -> Comparison::equalDoubles;
            case BYTES -> Comparison::equalText;
            case BITS -> (args, rows, nulls) -> bits(args, rows, nulls, true);
            case WIDE, LIST, STRUCT -> (args, rows, nulls) -> others(args, rows, nulls, order -> order == 0);
        };
    }

    /** The kernel with the opposite answer. */
    static ScalarFunction.Kernel not(ScalarFunction.Kernel kernel) {
        return (args, rows, nulls) -> {
            BooleanColumn column = (BooleanColumn) kernel.apply(args, rows, nulls);
            return new BooleanColumn(inverted(column.bits(), rows), column.nulls());
        };
    }

    /** The kernel with its arguments the other way round. */
    static ScalarFunction.Kernel swapped(ScalarFunction.Kernel kernel) {
        return (args, rows, nulls) -> kernel.apply(new Column[] {args[1], args[0]}, rows, nulls);
    }

    static long[] inverted(long[] bits, int rows) {
        long[] out = Bits.make(rows);
        for (int i = 0; i < out.length; i++) {
            out[i] = ~bits[i];
        }
        return out;
    }

    private static Column belowInts(Column[] args, int rows, long[] nulls) {
        int[] a = ((IntColumn) args[0]).values();
        int[] b = ((IntColumn) args[1]).values();
        long[] out = Bits.make(rows);
        for (int from = 0; from < rows; from += 64) {
            int end = Math.min(rows, from + 64);
            long word = 0;
            for (int i = from; i < end; i++) {
                word |= (a[i] < b[i] ? 1L : 0L) << i;
            }
            out[from >>> 6] = word;
        }
        return new BooleanColumn(out, nulls);
    }

    private static Column belowLongs(Column[] args, int rows, long[] nulls) {
        long[] a = ((LongColumn) args[0]).values();
        long[] b = ((LongColumn) args[1]).values();
        long[] out = Bits.make(rows);
        for (int from = 0; from < rows; from += 64) {
            int end = Math.min(rows, from + 64);
            long word = 0;
            for (int i = from; i < end; i++) {
                word |= (a[i] < b[i] ? 1L : 0L) << i;
            }
            out[from >>> 6] = word;
        }
        return new BooleanColumn(out, nulls);
    }

    private static Column belowDoubles(Column[] args, int rows, long[] nulls) {
        double[] a = ((DoubleColumn) args[0]).values();
        double[] b = ((DoubleColumn) args[1]).values();
        long[] out = Bits.make(rows);
        for (int from = 0; from < rows; from += 64) {
            int end = Math.min(rows, from + 64);
            long word = 0;
            for (int i = from; i < end; i++) {
                word |= (a[i] < b[i] || b[i] != b[i] && a[i] == a[i] ? 1L : 0L) << i;
            }
            out[from >>> 6] = word;
        }
        return new BooleanColumn(out, nulls);
    }

    private static Column equalInts(Column[] args, int rows, long[] nulls) {
        int[] a = ((IntColumn) args[0]).values();
        int[] b = ((IntColumn) args[1]).values();
        long[] out = Bits.make(rows);
        for (int from = 0; from < rows; from += 64) {
            int end = Math.min(rows, from + 64);
            long word = 0;
            for (int i = from; i < end; i++) {
                word |= (a[i] == b[i] ? 1L : 0L) << i;
            }
            out[from >>> 6] = word;
        }
        return new BooleanColumn(out, nulls);
    }

    private static Column equalLongs(Column[] args, int rows, long[] nulls) {
        long[] a = ((LongColumn) args[0]).values();
        long[] b = ((LongColumn) args[1]).values();
        long[] out = Bits.make(rows);
        for (int from = 0; from < rows; from += 64) {
            int end = Math.min(rows, from + 64);
            long word = 0;
            for (int i = from; i < end; i++) {
                word |= (a[i] == b[i] ? 1L : 0L) << i;
            }
            out[from >>> 6] = word;
        }
        return new BooleanColumn(out, nulls);
    }

    private static Column equalDoubles(Column[] args, int rows, long[] nulls) {
        double[] a = ((DoubleColumn) args[0]).values();
        double[] b = ((DoubleColumn) args[1]).values();
        long[] out = Bits.make(rows);
        for (int from = 0; from < rows; from += 64) {
            int end = Math.min(rows, from + 64);
            long word = 0;
            for (int i = from; i < end; i++) {
                word |= (a[i] == b[i] || a[i] != a[i] && b[i] != b[i] ? 1L : 0L) << i;
            }
            out[from >>> 6] = word;
        }
        return new BooleanColumn(out, nulls);
    }

    private static Column belowText(Column[] args, int rows, long[] nulls) {
        TextColumn a = (TextColumn) args[0];
        TextColumn b = (TextColumn) args[1];
        long[] out = Bits.make(rows);
        for (int i = 0; i < rows; i++) {
            if (!Arithmetic.isNull(nulls, i) && TextColumn.compare(a, i, b, i) < 0) {
                Bits.set(out, i);
            }
        }
        return new BooleanColumn(out, nulls);
    }

    private static Column equalText(Column[] args, int rows, long[] nulls) {
        TextColumn a = (TextColumn) args[0];
        TextColumn b = (TextColumn) args[1];
        if (b.isConstant()) {
            return equalConstant(a, b, rows, nulls);
        }
        if (a.isConstant()) {
            return equalConstant(b, a, rows, nulls);
        }
        long[] out = Bits.make(rows);
        for (int i = 0; i < rows; i++) {
            if (!Arithmetic.isNull(nulls, i) && TextColumn.equal(a, i, b, i)) {
                Bits.set(out, i);
            }
        }
        return new BooleanColumn(out, nulls);
    }

    /** Compares each dictionary entry once where there is a dictionary, and lengths before bytes elsewhere. */
    private static Column equalConstant(TextColumn a, TextColumn constant, int rows, long[] nulls) {
        byte[] wanted = Arrays.copyOfRange(constant.bytes(), constant.start(0), constant.end(0));
        byte[] bytes = a.bytes();
        int[] ids = a.ids();
        int values = ids == null ? rows : a.entries();
        long[] hits = Bits.make(values);
        for (int i = 0; i < values; i++) {
            int start = a.startOf(i);
            int length = a.endOf(i) - start;
            if (length == wanted.length && Arrays.equals(bytes, start, start + length, wanted, 0, length)) {
                Bits.set(hits, i);
            }
        }
        if (ids == null) {
            return new BooleanColumn(hits, nulls);
        }
        long[] out = Bits.make(rows);
        for (int i = 0; i < rows; i++) {
            if (Bits.get(hits, ids[i])) {
                Bits.set(out, i);
            }
        }
        return new BooleanColumn(out, nulls);
    }

    private static Column others(Column[] args, int rows, long[] nulls, IntPredicate isHit) {
        long[] out = Bits.make(rows);
        for (int i = 0; i < rows; i++) {
            if (!Arithmetic.isNull(nulls, i) && isHit.test(ValueOrder.compare(args[0], i, args[1], i))) {
                Bits.set(out, i);
            }
        }
        return new BooleanColumn(out, nulls);
    }

    private static Column bits(Column[] args, int rows, long[] nulls, boolean equal) {
        long[] a = ((BooleanColumn) args[0]).bits();
        long[] b = ((BooleanColumn) args[1]).bits();
        long[] out = Bits.make(rows);
        for (int i = 0; i < out.length; i++) {
            out[i] = equal ? ~(a[i] ^ b[i]) : ~a[i] & b[i];
        }
        return new BooleanColumn(out, nulls);
    }
}
