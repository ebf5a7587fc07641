package org.unimeros.benchmarks;

/**
 * Keys and values divided by the highest bits of a hash of the key, so that a table of one division fits the cache: two
 * passes, one to count and one to move.
 */
final class Divided {

    static final long PRIME = 0x9E3779B97F4A7C15L;

    final long[] keys;
    final long[] values;
    /** Where each division begins, and the end of the last one. */
    final int[] starts;

    private Divided(long[] keys, long[] values, int[] starts) {
        this.keys = keys;
        this.values = values;
        this.starts = starts;
    }

    static Divided of(long[] keys, long[] values, int bits, int threads) throws Exception {
        int rows = keys.length;
        int divisions = 1 << bits;
        int[][] places = new int[threads][divisions];
        Threads.each(threads, t -> {
            for (int i = Threads.from(rows, t, threads); i < Threads.from(rows, t + 1, threads); i++) {
                places[t][(int) (keys[i] * PRIME >>> 64 - bits)]++;
            }
            return null;
        });
        int[] starts = new int[divisions + 1];
        int at = 0;
        for (int d = 0; d < divisions; d++) {
            starts[d] = at;
            for (int t = 0; t < threads; t++) {
                int n = places[t][d];
                places[t][d] = at;
                at += n;
            }
        }
        starts[divisions] = at;
        long[] dividedKeys = new long[rows];
        long[] dividedValues = new long[rows];
        Threads.each(threads, t -> {
            int[] place = places[t];
            for (int i = Threads.from(rows, t, threads); i < Threads.from(rows, t + 1, threads); i++) {
                int to = place[(int) (keys[i] * PRIME >>> 64 - bits)]++;
                dividedKeys[to] = keys[i];
                dividedValues[to] = values[i];
            }
            return null;
        });
        return new Divided(dividedKeys, dividedValues, starts);
    }

    /** A place in a table of so many bits. The divisions have used the highest bits of the first product. */
    static int place(long key, int bits) {
        return (int) ((key * PRIME ^ key >>> 29) * PRIME >>> 64 - bits);
    }

    /** Bits of a table that is at most two thirds full. */
    static int tableBits(int keys) {
        return 33 - Integer.numberOfLeadingZeros(Math.max(1, keys) * 3 / 2);
    }
}
