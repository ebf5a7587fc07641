package org.unimeros.engine.data;

/**
 * The values of a large column once more, in one or two bytes each, as what they are above the least one: for reads in no
 * order, which wait for memory unless all that they may read fits the cache. Can be shared.
 */
final class Narrow {

    /** Columns up to this size are in the cache as they are. */
    private static final int SMALL_BYTES = 1 << 19;

    /** After so many values it is asked whether they are too far apart already. */
    private static final int STRETCH = 1 << 12;

    private static final int BYTE = 1 << Byte.SIZE;
    private static final int SHORT = 1 << Short.SIZE;

    private final long least;
    /** One of both is null. */
    private final byte[] bytes;

    private final short[] shorts;

    private Narrow(long least, byte[] bytes, short[] shorts) {
        this.least = least;
        this.bytes = bytes;
        this.shorts = shorts;
    }

    /** The first {@code n} values; null where they are few, or too far apart. */
    static Narrow of(long[] values, int n) {
        if (n <= SMALL_BYTES / Long.BYTES) {
            return null;
        }
        long least = values[0];
        long most = least;
        for (int from = 0; from < n; from += STRETCH) {
            int end = Math.min(n, from + STRETCH);
            for (int i = from; i < end; i++) {
                least = Math.min(least, values[i]);
                most = Math.max(most, values[i]);
            }
            if (isFar(least, most)) {
                return null;
            }
        }
        Narrow narrow = between(least, most, n);
        for (int i = 0; i < n; i++) {
            narrow.set(i, values[i]);
        }
        return narrow;
    }

    /** The same for values of four bytes. */
    static Narrow of(int[] values, int n) {
        if (n <= SMALL_BYTES / Integer.BYTES) {
            return null;
        }
        int least = values[0];
        int most = least;
        for (int from = 0; from < n; from += STRETCH) {
            int end = Math.min(n, from + STRETCH);
            for (int i = from; i < end; i++) {
                least = Math.min(least, values[i]);
                most = Math.max(most, values[i]);
            }
            if (isFar(least, most)) {
                return null;
            }
        }
        Narrow narrow = between(least, most, n);
        for (int i = 0; i < n; i++) {
            narrow.set(i, values[i]);
        }
        return narrow;
    }

    private static boolean isFar(long least, long most) {
        long span = most - least;
        return span < 0 || span >= SHORT;
    }

    private static Narrow between(long least, long most, int n) {
        return most - least < BYTE ? new Narrow(least, new byte[n], null) : new Narrow(least, null, new short[n]);
    }

    private void set(int row, long value) {
        if (bytes != null) {
            bytes[row] = (byte) (value - least);
        } else {
            shorts[row] = (short) (value - least);
        }
    }

    /** Writes the values of {@code n} rows. */
    void gather(int[] rows, int n, long[] out) {
        long above = least;
        if (bytes != null) {
            byte[] from = bytes;
            for (int i = 0; i < n; i++) {
                out[i] = above + (from[rows[i]] & BYTE - 1);
            }
        } else {
            short[] from = shorts;
            for (int i = 0; i < n; i++) {
                out[i] = above + (from[rows[i]] & SHORT - 1);
            }
        }
    }

    /** The same for values of four bytes. */
    void gather(int[] rows, int n, int[] out) {
        int above = (int) least;
        if (bytes != null) {
            byte[] from = bytes;
            for (int i = 0; i < n; i++) {
                out[i] = above + (from[rows[i]] & BYTE - 1);
            }
        } else {
            short[] from = shorts;
            for (int i = 0; i < n; i++) {
                out[i] = above + (from[rows[i]] & SHORT - 1);
            }
        }
    }
}
