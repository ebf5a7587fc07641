package org.unimeros.engine.data;

import java.util.function.Supplier;

/**
 * Arrays for columns that nobody needs for long. They are handed out again and again, and so stay in the cache, where new ones would have to
 * be written to memory and cleared before. Whoever hands columns over such arrays on must know that they are forgotten before the next
 * {@link #reuse}. Not thread-safe.
 */
public final class SpareArrays {

    /** Larger ones are made anew. */
    private static final int MOST_ROWS = 2 * Batch.TARGET_ROWS;

    private static final int MOST_ARRAYS = 32;

    private static final ThreadLocal<SpareArrays> IN_USE = new ThreadLocal<>();

    private final int[][] ints = new int[MOST_ARRAYS][];
    private final long[][] longs = new long[MOST_ARRAYS][];
    private final double[][] doubles = new double[MOST_ARRAYS][];
    private int intsOut;
    private int longsOut;
    private int doublesOut;

    /** Takes back all arrays. */
    public void reuse() {
        intsOut = 0;
        longsOut = 0;
        doublesOut = 0;
    }

    /** What kernels compute in this thread meanwhile stands in these arrays. */
    public <T> T during(Supplier<T> work) {
        SpareArrays before = IN_USE.get();
        IN_USE.set(this);
        try {
            return work.get();
        } finally {
            IN_USE.set(before);
        }
    }

    /** Whether what kernels compute in this thread is forgotten soon. */
    public static boolean areInUse() {
        return IN_USE.get() != null;
    }

    /** An array for at least so many results, with anything in it: a spare one where the result is not needed for long. */
    public static int[] forInts(int rows) {
        SpareArrays spare = IN_USE.get();
        return spare == null ? new int[rows] : spare.ints(rows);
    }

    /** The same for longs. */
    public static long[] forLongs(int rows) {
        SpareArrays spare = IN_USE.get();
        return spare == null ? new long[rows] : spare.longs(rows);
    }

    /** The same for doubles. */
    public static double[] forDoubles(int rows) {
        SpareArrays spare = IN_USE.get();
        return spare == null ? new double[rows] : spare.doubles(rows);
    }

    int[] ints(int rows) {
        if (rows > MOST_ROWS || intsOut == MOST_ARRAYS) {
            return new int[rows];
        }
        int at = intsOut++;
        if (ints[at] == null || ints[at].length < rows) {
            ints[at] = new int[Math.max(rows, Batch.TARGET_ROWS)];
        }
        return ints[at];
    }

    long[] longs(int rows) {
        if (rows > MOST_ROWS || longsOut == MOST_ARRAYS) {
            return new long[rows];
        }
        int at = longsOut++;
        if (longs[at] == null || longs[at].length < rows) {
            longs[at] = new long[Math.max(rows, Batch.TARGET_ROWS)];
        }
        return longs[at];
    }

    double[] doubles(int rows) {
        if (rows > MOST_ROWS || doublesOut == MOST_ARRAYS) {
            return new double[rows];
        }
        int at = doublesOut++;
        if (doubles[at] == null || doubles[at].length < rows) {
            doubles[at] = new double[Math.max(rows, Batch.TARGET_ROWS)];
        }
        return doubles[at];
    }
}
