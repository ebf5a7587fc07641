package org.unimeros.engine.key;

/**
 * Looks up some hundreds of keys at a time in a table of open addressing, in loops without a branch that depends on what is found:
 * where the processor foresees one wrongly it waits for memory, and is none the wiser about the rows behind. So all first places are
 * read, then the next ones of the keys that are not there, and so on. Has the scratch space for it; one thread.
 */
final class PlaceSearch {

    /** What is noted of so many keys stays in the first cache. */
    static final int MOST = 512;

    private final int[] places = new int[MOST];
    private final long[] seen = new long[MOST];
    private final int[] open = new int[MOST];

    /** The places that were found last, by row. */
    int[] places() {
        return places;
    }

    /**
     * Finds the place of each key, or the empty one at which it is known not to be there.
     *
     * @param keys by place; whatever was there before at empty ones
     * @param numbers by place, 0 for the empty ones
     * @param n at most {@link #MOST}
     */
    void find(long[] keys, int[] numbers, long[] wanted, int from, int n) {
        readFirst(keys, wanted, from, n);
        int left = 0;
        for (int i = 0; i < n; i++) {
            open[left] = i;
            left += isNotZero(seen[i] ^ wanted[from + i]);
        }
        int mask = keys.length - 1;
        while (left > 0) {
            int before = left;
            left = 0;
            for (int k = 0; k < before; k++) {
                int i = open[k];
                int goesOn = isNotZero(numbers[places[i]]);
                int place = places[i] + goesOn & mask;
                places[i] = place;
                open[left] = i;
                left += goesOn & isNotZero(keys[place] ^ wanted[from + i]);
            }
        }
    }

    /**
     * The same.
     *
     * @param unused the key of empty places, which no other place has
     */
    void find(long[] keys, long unused, long[] wanted, int from, int n) {
        readFirst(keys, wanted, from, n);
        int left = 0;
        for (int i = 0; i < n; i++) {
            open[left] = i;
            left += isNotZero(seen[i] ^ unused) & isNotZero(seen[i] ^ wanted[from + i]);
        }
        int mask = keys.length - 1;
        while (left > 0) {
            int before = left;
            left = 0;
            for (int k = 0; k < before; k++) {
                int i = open[k];
                int place = places[i] + 1 & mask;
                places[i] = place;
                open[left] = i;
                left += isNotZero(keys[place] ^ unused) & isNotZero(keys[place] ^ wanted[from + i]);
            }
        }
    }

    private void readFirst(long[] keys, long[] wanted, int from, int n) {
        int mask = keys.length - 1;
        for (int i = 0; i < n; i++) {
            places[i] = (int) Hashing.ofOne(wanted[from + i]) & mask;
        }
        for (int i = 0; i < n; i++) {
            seen[i] = keys[places[i]];
        }
    }

    /** 1, or 0 for zero. */
    private static int isNotZero(long value) {
        return (int) ((value | -value) >>> 63);
    }
}
