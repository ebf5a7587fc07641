package org.unimeros.engine.data;

import java.util.Arrays;

/** Operations on bit sets held in {@code long[]}, bit {@code i} in word {@code i / 64}. A null reference is all zeros. */
public final class Bits {

    private Bits() {}

    public static long[] make(int bits) {
        return new long[words(bits)];
    }

    public static int words(int bits) {
        return (bits + 63) >>> 6;
    }

    public static boolean get(long[] bits, int i) {
        return (bits[i >>> 6] >>> i & 1L) != 0;
    }

    public static void set(long[] bits, int i) {
        bits[i >>> 6] |= 1L << i;
    }

    public static void clear(long[] bits, int i) {
        bits[i >>> 6] &= ~(1L << i);
    }

    /** The union of two sets, each possibly null; may return one of them. */
    public static long[] or(long[] a, long[] b, int bits) {
        if (a == null || b == null) {
            return a == null ? b : a;
        }
        int n = words(bits);
        long[] out = new long[n];
        for (int i = 0; i < n; i++) {
            out[i] = a[i] | b[i];
        }
        return out;
    }

    /** How many of the first {@code bits} bits are set. */
    public static int count(long[] bits, int size) {
        if (bits == null) {
            return 0;
        }
        int full = size >>> 6;
        int n = 0;
        for (int i = 0; i < full; i++) {
            n += Long.bitCount(bits[i]);
        }
        int rest = size & 63;
        return rest == 0 ? n : n + Long.bitCount(bits[full] & (1L << rest) - 1);
    }

    public static boolean any(long[] bits, int size) {
        return count(bits, size) > 0;
    }

    /** Writes the indices of the set bits into {@code out} and returns how many there are. */
    public static int indices(long[] bits, int size, int[] out) {
        int n = 0;
        int words = words(size);
        for (int w = 0; w < words; w++) {
            long word = bits[w];
            if (w == words - 1 && (size & 63) != 0) {
                word &= (1L << (size & 63)) - 1;
            }
            while (word != 0) {
                out[n++] = (w << 6) + Long.numberOfTrailingZeros(word);
                word &= word - 1;
            }
        }
        return n;
    }

    /** The bits of the given rows, in their order; null when none of them is set. */
    public static long[] gather(long[] bits, int[] rows, int n) {
        if (bits == null) {
            return null;
        }
        long[] out = make(n);
        long seen = 0;
        for (int i = 0; i < n; i++) {
            long bit = bits[rows[i] >>> 6] >>> rows[i] & 1L;
            out[i >>> 6] |= bit << i;
            seen |= bit;
        }
        return seen == 0 ? null : out;
    }

    /** Bits {@code from} to {@code from + n}; null when none of them is set. */
    public static long[] slice(long[] bits, int from, int n) {
        if (bits == null) {
            return null;
        }
        long[] out = make(n);
        int shift = from & 63;
        int last = (from + n - 1) >>> 6;
        for (int w = 0; w < out.length; w++) {
            int at = (from >>> 6) + w;
            long upper = shift == 0 || at >= last ? 0 : bits[at + 1] << -shift;
            out[w] = bits[at] >>> shift | upper;
        }
        if ((n & 63) != 0) {
            out[out.length - 1] &= (1L << n) - 1;
        }
        return any(out, n) ? out : null;
    }

    /** One bit {@code n} times; null when it is not set. */
    public static long[] repeat(long[] bits, int i, int n) {
        if (bits == null || !get(bits, i)) {
            return null;
        }
        long[] out = make(n);
        Arrays.fill(out, -1L);
        return out;
    }
}
