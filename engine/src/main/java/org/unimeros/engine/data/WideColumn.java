package org.unimeros.engine.data;

import java.math.BigInteger;

/** A column of 128-bit whole numbers in two arrays: decimals of more than 18 digits, by their unscaled values. */
public final class WideColumn extends Column {

    private static final BigInteger[] POWERS = new BigInteger[DataType.Decimal.MAX_PRECISION + 1];
    private static final long[] POWERS_HIGH = new long[POWERS.length];
    private static final long[] POWERS_LOW = new long[POWERS.length];

    static {
        for (int i = 0; i < POWERS.length; i++) {
            POWERS[i] = BigInteger.TEN.pow(i);
            POWERS_HIGH[i] = high(POWERS[i]);
            POWERS_LOW[i] = POWERS[i].longValue();
        }
    }

    private final long[] high;
    private final long[] low;

    /**
     * @param high the upper halves, with the sign
     * @param low the lower halves, unsigned
     */
    public WideColumn(long[] high, long[] low, long[] nulls) {
        super(nulls);
        this.high = high;
        this.low = low;
    }

    public long[] high() {
        return high;
    }

    public long[] low() {
        return low;
    }

    public BigInteger value(int row) {
        return value(high[row], low[row]);
    }

    /** The number of two halves. */
    public static BigInteger value(long high, long low) {
        if (high == low >> 63) {
            return BigInteger.valueOf(low);
        }
        byte[] bytes = new byte[16];
        for (int i = 0; i < 8; i++) {
            bytes[i] = (byte) (high >> 56 - 8 * i);
            bytes[8 + i] = (byte) (low >> 56 - 8 * i);
        }
        return new BigInteger(bytes);
    }

    /** The upper half of a number, which must fit into 128 bits. */
    public static long high(BigInteger value) {
        if (value.bitLength() > 127) {
            throw new ArithmeticException(value + " does not fit into 128 bits");
        }
        return value.shiftRight(64).longValue();
    }

    /** -1, 0 or 1 for two numbers, each in two halves. */
    public static int compare(long highA, long lowA, long highB, long lowB) {
        return highA != highB ? Long.compare(highA, highB) : Integer.signum(Long.compareUnsigned(lowA, lowB));
    }

    /** Ten to a power up to that of the longest decimals. */
    public static BigInteger powerOfTen(int exponent) {
        return POWERS[exponent];
    }

    /** Whether a number has more decimal digits than given. */
    public static boolean isLonger(long high, long low, int digits) {
        long absoluteHigh = high;
        long absoluteLow = low;
        if (high < 0) {
            absoluteLow = -low;
            absoluteHigh = ~high + (low == 0 ? 1 : 0);
        }
        // The least number of all has no counterpart; it stays negative, and is longer than any decimal.
        return absoluteHigh < 0 || compare(absoluteHigh, absoluteLow, POWERS_HIGH[digits], POWERS_LOW[digits]) >= 0;
    }

    @Override
    public WideColumn gather(int[] rows, int n) {
        long[] outHigh = new long[n];
        long[] outLow = new long[n];
        for (int i = 0; i < n; i++) {
            outHigh[i] = high[rows[i]];
            outLow[i] = low[rows[i]];
        }
        return new WideColumn(outHigh, outLow, Bits.gather(nulls(), rows, n));
    }

    @Override
    public WideColumn withNulls(long[] newNulls) {
        return new WideColumn(high, low, newNulls);
    }

    @Override
    public long sizeInBytes(int rows) {
        return 16L * rows;
    }
}
