package org.unimeros.engine.operator;

/**
 * Keys of a large table that only looks them up, numbered in the order of their places: which places are taken says what their
 * numbers are, so that there is one array to wait for and not two. Two million keys are looked up in about a quarter less time than
 * by {@link WholeKeys}.
 */
final class SettledKeys implements WholeNumbering {

    /** By place, {@link #unused} where there is none. */
    private final long[] keys;

    private final long unused;
    private final CountedBits taken;
    private final PlaceSearch search = new PlaceSearch();

    /**
     * Takes over a table, whose keys stay where they are.
     *
     * @param keys by place, a power of two of at least 64; changed at empty places
     * @param numbers by place, 0 for the empty ones
     * @param unused not among the keys
     */
    SettledKeys(long[] keys, int[] numbers, long unused) {
        this.keys = keys;
        this.unused = unused;
        long[] bits = new long[keys.length / Long.SIZE];
        for (int place = 0; place < keys.length; place++) {
            long isTaken = numbers[place] == 0 ? 0 : 1;
            bits[place / Long.SIZE] |= isTaken << place;
            keys[place] = isTaken == 0 ? unused : keys[place];
        }
        this.taken = CountedBits.of(bits);
    }

    private SettledKeys(SettledKeys shared) {
        keys = shared.keys;
        unused = shared.unused;
        taken = shared.taken;
    }

    @Override
    public SettledKeys reader() {
        return new SettledKeys(this);
    }

    @Override
    public void find(long[] wanted, int rows, int[] out) {
        for (int from = 0; from < rows; from += PlaceSearch.MOST) {
            int n = Math.min(PlaceSearch.MOST, rows - from);
            search.find(keys, unused, wanted, from, n);
            taken.countBefore(search.places(), n, out, from);
        }
    }

    @Override
    public int number(long[] wanted, int rows, int[] out, int next) {
        throw new UnsupportedOperationException("settled keys are only looked up");
    }

    @Override
    public void expect(int more) {
        throw new UnsupportedOperationException("settled keys are only looked up");
    }

    @Override
    public Settled settle() {
        return null;
    }

    @Override
    public void clear() {
        throw new UnsupportedOperationException("settled keys are only looked up");
    }

    @Override
    public void release() {
        // the table is shared by many tasks, and larger than what is kept for the next one
    }

    @Override
    public long sizeInBytes() {
        return (long) Long.BYTES * keys.length + taken.sizeInBytes();
    }
}
