package org.unimeros.engine.expr;

import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DoubleColumn;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.SpareArrays;
import org.unimeros.engine.expr.ScalarFunction.RowProblem;

/**
 * Arithmetic on columns. Integer operations look for overflow in all rows with one test per batch, and only when it
 * strikes for the row that has it; rows that are null hold undefined values and never fail.
 */
final class Arithmetic {

    private Arithmetic() {}

    static Column addInts(Column[] args, int rows, long[] nulls) {
        int[] a = ((IntColumn) args[0]).values();
        int[] b = ((IntColumn) args[1]).values();
        int[] out = SpareArrays.forInts(rows);
        int overflow = 0;
        for (int i = 0; i < rows; i++) {
            int x = a[i];
            int y = b[i];
            int r = x + y;
            overflow |= (x ^ r) & (y ^ r);
            out[i] = r;
        }
        if (overflow < 0) {
            for (int i = 0; i < rows; i++) {
                int x = a[i];
                int y = b[i];
                int r = out[i];
                if (((x ^ r) & (y ^ r)) < 0 && !isNull(nulls, i)) {
                    throw overflow(i, x + " + " + y, "int");
                }
            }
        }
        return new IntColumn(out, nulls);
    }

    static Column subtractInts(Column[] args, int rows, long[] nulls) {
        int[] a = ((IntColumn) args[0]).values();
        int[] b = ((IntColumn) args[1]).values();
        int[] out = SpareArrays.forInts(rows);
        int overflow = 0;
        for (int i = 0; i < rows; i++) {
            int x = a[i];
            int y = b[i];
            int r = x - y;
            overflow |= (x ^ y) & (x ^ r);
            out[i] = r;
        }
        if (overflow < 0) {
            for (int i = 0; i < rows; i++) {
                int x = a[i];
                int y = b[i];
                int r = out[i];
                if (((x ^ y) & (x ^ r)) < 0 && !isNull(nulls, i)) {
                    throw overflow(i, x + " - " + y, "int");
                }
            }
        }
        return new IntColumn(out, nulls);
    }

    static Column addLongs(Column[] args, int rows, long[] nulls) {
        long[] a = ((LongColumn) args[0]).values();
        long[] b = ((LongColumn) args[1]).values();
        long[] out = SpareArrays.forLongs(rows);
        long overflow = 0;
        for (int i = 0; i < rows; i++) {
            long x = a[i];
            long y = b[i];
            long r = x + y;
            overflow |= (x ^ r) & (y ^ r);
            out[i] = r;
        }
        if (overflow < 0) {
            for (int i = 0; i < rows; i++) {
                long x = a[i];
                long y = b[i];
                long r = out[i];
                if (((x ^ r) & (y ^ r)) < 0 && !isNull(nulls, i)) {
                    throw overflow(i, x + " + " + y, "long");
                }
            }
        }
        return new LongColumn(out, nulls);
    }

    static Column subtractLongs(Column[] args, int rows, long[] nulls) {
        long[] a = ((LongColumn) args[0]).values();
        long[] b = ((LongColumn) args[1]).values();
        long[] out = SpareArrays.forLongs(rows);
        long overflow = 0;
        for (int i = 0; i < rows; i++) {
            long x = a[i];
            long y = b[i];
            long r = x - y;
            overflow |= (x ^ y) & (x ^ r);
            out[i] = r;
        }
        if (overflow < 0) {
            for (int i = 0; i < rows; i++) {
                long x = a[i];
                long y = b[i];
                long r = out[i];
                if (((x ^ y) & (x ^ r)) < 0 && !isNull(nulls, i)) {
                    throw overflow(i, x + " - " + y, "long");
                }
            }
        }
        return new LongColumn(out, nulls);
    }

    static Column multiplyInts(Column[] args, int rows, long[] nulls) {
        int[] a = ((IntColumn) args[0]).values();
        int[] b = ((IntColumn) args[1]).values();
        int[] out = SpareArrays.forInts(rows);
        for (int i = 0; i < rows; i++) {
            long r = (long) a[i] * b[i];
            if (r != (int) r && !isNull(nulls, i)) {
                throw overflow(i, a[i] + " * " + b[i], "int");
            }
            out[i] = (int) r;
        }
        return new IntColumn(out, nulls);
    }

    static Column multiplyLongs(Column[] args, int rows, long[] nulls) {
        long[] a = ((LongColumn) args[0]).values();
        long[] b = ((LongColumn) args[1]).values();
        long[] out = SpareArrays.forLongs(rows);
        for (int i = 0; i < rows; i++) {
            long r = a[i] * b[i];
            if (Math.multiplyHigh(a[i], b[i]) != r >> 63 && !isNull(nulls, i)) {
                throw overflow(i, a[i] + " * " + b[i], "long");
            }
            out[i] = r;
        }
        return new LongColumn(out, nulls);
    }

    static Column divideInts(Column[] args, int rows, long[] nulls) {
        int[] a = ((IntColumn) args[0]).values();
        int[] b = ((IntColumn) args[1]).values();
        int[] out = SpareArrays.forInts(rows);
        for (int i = 0; i < rows; i++) {
            int y = b[i];
            if (y == 0) {
                requireNull(nulls, i);
                continue;
            }
            if (y == -1 && a[i] == Integer.MIN_VALUE && !isNull(nulls, i)) {
                throw overflow(i, a[i] + " / " + y, "int");
            }
            out[i] = a[i] / y;
        }
        return new IntColumn(out, nulls);
    }

    static Column remainderInts(Column[] args, int rows, long[] nulls) {
        int[] a = ((IntColumn) args[0]).values();
        int[] b = ((IntColumn) args[1]).values();
        int[] out = SpareArrays.forInts(rows);
        for (int i = 0; i < rows; i++) {
            int y = b[i];
            if (y == 0) {
                requireNull(nulls, i);
                continue;
            }
            out[i] = a[i] % y;
        }
        return new IntColumn(out, nulls);
    }

    static Column divideLongs(Column[] args, int rows, long[] nulls) {
        long[] a = ((LongColumn) args[0]).values();
        long[] b = ((LongColumn) args[1]).values();
        long[] out = SpareArrays.forLongs(rows);
        for (int i = 0; i < rows; i++) {
            long y = b[i];
            if (y == 0) {
                requireNull(nulls, i);
                continue;
            }
            if (y == -1 && a[i] == Long.MIN_VALUE && !isNull(nulls, i)) {
                throw overflow(i, a[i] + " / " + y, "long");
            }
            out[i] = a[i] / y;
        }
        return new LongColumn(out, nulls);
    }

    static Column remainderLongs(Column[] args, int rows, long[] nulls) {
        long[] a = ((LongColumn) args[0]).values();
        long[] b = ((LongColumn) args[1]).values();
        long[] out = SpareArrays.forLongs(rows);
        for (int i = 0; i < rows; i++) {
            long y = b[i];
            if (y == 0) {
                requireNull(nulls, i);
                continue;
            }
            out[i] = a[i] % y;
        }
        return new LongColumn(out, nulls);
    }

    static Column addDoubles(Column[] args, int rows, long[] nulls) {
        double[] a = ((DoubleColumn) args[0]).values();
        double[] b = ((DoubleColumn) args[1]).values();
        double[] out = SpareArrays.forDoubles(rows);
        for (int i = 0; i < rows; i++) {
            out[i] = a[i] + b[i];
        }
        return new DoubleColumn(out, nulls);
    }

    static Column subtractDoubles(Column[] args, int rows, long[] nulls) {
        double[] a = ((DoubleColumn) args[0]).values();
        double[] b = ((DoubleColumn) args[1]).values();
        double[] out = SpareArrays.forDoubles(rows);
        for (int i = 0; i < rows; i++) {
            out[i] = a[i] - b[i];
        }
        return new DoubleColumn(out, nulls);
    }

    static Column multiplyDoubles(Column[] args, int rows, long[] nulls) {
        double[] a = ((DoubleColumn) args[0]).values();
        double[] b = ((DoubleColumn) args[1]).values();
        double[] out = SpareArrays.forDoubles(rows);
        for (int i = 0; i < rows; i++) {
            out[i] = a[i] * b[i];
        }
        return new DoubleColumn(out, nulls);
    }

    static Column divideDoubles(Column[] args, int rows, long[] nulls) {
        double[] a = ((DoubleColumn) args[0]).values();
        double[] b = ((DoubleColumn) args[1]).values();
        double[] out = SpareArrays.forDoubles(rows);
        for (int i = 0; i < rows; i++) {
            if (b[i] == 0) {
                requireNull(nulls, i);
            }
            out[i] = a[i] / b[i];
        }
        return new DoubleColumn(out, nulls);
    }

    static Column remainderDoubles(Column[] args, int rows, long[] nulls) {
        double[] a = ((DoubleColumn) args[0]).values();
        double[] b = ((DoubleColumn) args[1]).values();
        double[] out = SpareArrays.forDoubles(rows);
        for (int i = 0; i < rows; i++) {
            if (b[i] == 0) {
                requireNull(nulls, i);
            }
            out[i] = a[i] % b[i];
        }
        return new DoubleColumn(out, nulls);
    }

    static boolean isNull(long[] nulls, int row) {
        return nulls != null && Bits.get(nulls, row);
    }

    private static void requireNull(long[] nulls, int row) {
        if (!isNull(nulls, row)) {
            throw RowProblem.divisionByZero(row);
        }
    }

    static RowProblem overflow(int row, String operation, String type) {
        return RowProblem.outOfRange(row, operation, type);
    }

    /** The kernel that changes the sign. */
    static ScalarFunction.Kernel negate(DataType.Physical form) {
        return switch (form) {
            case INTS ->
                (args, rows, nulls) ->
                        subtractInts(new Column[] {new IntColumn(new int[rows], null), args[0]}, rows, nulls);
            case LONGS ->
                (args, rows, nulls) ->
                        subtractLongs(new Column[] {new LongColumn(new long[rows], null), args[0]}, rows, nulls);
            case WIDE -> (args, rows, nulls) -> DecimalKernels.negated(args[0], rows, nulls);
            default ->
                (args, rows, nulls) -> {
                    double[] out = SpareArrays.forDoubles(rows);
                    double[] a = ((DoubleColumn) args[0]).values();
                    for (int i = 0; i < rows; i++) {
                        out[i] = -a[i];
                    }
                    return new DoubleColumn(out, nulls);
                };
        };
    }

    /** The kernel that drops the sign, for all forms but long decimals. */
    static ScalarFunction.Kernel abs(DataType.Physical form) {
        return switch (form) {
            case INTS -> Arithmetic::absInts;
            case LONGS -> Arithmetic::absLongs;
            default ->
                (args, rows, nulls) -> {
                    double[] a = ((DoubleColumn) args[0]).values();
                    double[] out = SpareArrays.forDoubles(rows);
                    for (int i = 0; i < rows; i++) {
                        out[i] = Math.abs(a[i]);
                    }
                    return new DoubleColumn(out, nulls);
                };
        };
    }

    private static Column absInts(Column[] args, int rows, long[] nulls) {
        int[] a = ((IntColumn) args[0]).values();
        int[] out = SpareArrays.forInts(rows);
        int overflow = 0;
        for (int i = 0; i < rows; i++) {
            out[i] = Math.abs(a[i]);
            overflow |= out[i];
        }
        for (int i = 0; overflow < 0 && i < rows; i++) {
            if (out[i] < 0 && !isNull(nulls, i)) {
                throw overflow(i, "abs(" + a[i] + ")", "int");
            }
        }
        return new IntColumn(out, nulls);
    }

    private static Column absLongs(Column[] args, int rows, long[] nulls) {
        long[] a = ((LongColumn) args[0]).values();
        long[] out = SpareArrays.forLongs(rows);
        long overflow = 0;
        for (int i = 0; i < rows; i++) {
            out[i] = Math.abs(a[i]);
            overflow |= out[i];
        }
        for (int i = 0; overflow < 0 && i < rows; i++) {
            if (out[i] < 0 && !isNull(nulls, i)) {
                throw overflow(i, "abs(" + a[i] + ")", "long");
            }
        }
        return new LongColumn(out, nulls);
    }
}
