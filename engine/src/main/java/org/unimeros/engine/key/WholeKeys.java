package org.unimeros.engine.key;

import java.util.Arrays;

/**
 * Numbers of whole-number keys: open addressing with linear probing over a power of two of places. Keys and numbers are
 * arrays of their own. The key of a place is looked at before its number: where it is the one that is sought, which is
 * nearly always so, the processor goes on to the next row while this one still waits for memory. Rows that find their key
 * further on are what it cannot foresee; there are few of them in a table that is small and for the most part empty. Where
 * many keys are not there, which it cannot foresee either, they are looked up together ({@link PlaceSearch}).
 */
final class WholeKeys implements WholeNumbering {

    private static final int FIRST_PLACES = 1024;
    /** Smaller tables are in the cache even if they are nearly empty. */
    private static final int DENSE_PLACES = 1 << 16;
    /** Places for each key at the least, in a table that is small and in one that is not. */
    private static final int SPARSE = 8;

    private static final int DENSE = 2;

    /** Of so many keys at the most one is not there where nearly all are. */
    private static final int FEW = 32;

    private long[] keys = new long[FIRST_PLACES];
    /** Number plus one of the key of each place; 0 is an empty place. */
    private int[] numbers = new int[FIRST_PLACES];

    private int size;
    /** Whether nearly all of the keys that were looked up last are there. */
    private boolean nearlyAllAreThere = true;
    /** Made when it is first needed. */
    private PlaceSearch search;

    WholeKeys() {}

    private WholeKeys(WholeKeys shared) {
        keys = shared.keys;
        numbers = shared.numbers;
        size = shared.size;
    }

    @Override
    public WholeKeys reader() {
        return new WholeKeys(this);
    }

    @Override
    public long sizeInBytes() {
        return (Long.BYTES + Integer.BYTES) * (long) keys.length;
    }

    @Override
    public void clear() {
        if (keys.length > FIRST_PLACES && size < keys.length / 64) {
            keys = new long[FIRST_PLACES];
            numbers = new int[FIRST_PLACES];
        } else {
            Arrays.fill(numbers, 0);
        }
        size = 0;
    }

    @Override
    public void expect(int more) {
        long places = 2L * DENSE * Integer.highestOneBit(Math.max(1, size + more - 1));
        if (places > keys.length) {
            grow((int) Math.min(places, 1 << 30));
        }
    }

    private void grow(int places) {
        long[] oldKeys = keys;
        int[] oldNumbers = numbers;
        KeptPlaces larger = KeptPlaces.take(places);
        keys = larger.keys();
        numbers = larger.numbers();
        for (int i = 0; i < oldKeys.length; i++) {
            if (oldNumbers[i] != 0) {
                int place = find(keys, numbers, oldKeys[i]);
                keys[place] = oldKeys[i];
                numbers[place] = oldNumbers[i];
            }
        }
        KeptPlaces.give(new KeptPlaces(oldKeys, oldNumbers));
    }

    @Override
    public void release() {
        KeptPlaces.give(new KeptPlaces(keys, numbers));
        keys = new long[0];
        numbers = new int[0];
    }

    /** How many keys there may be before the table grows. */
    private int limit() {
        return keys.length / (keys.length < DENSE_PLACES ? SPARSE : DENSE);
    }

    /** The place of a key, or the empty one that it would get. */
    private static int find(long[] keys, int[] numbers, long key) {
        int mask = keys.length - 1;
        int place = (int) Hashing.ofOne(key) & mask;
        // An empty place may hold any key, whose number of 0 tells that it is not there.
        while (keys[place] != key && numbers[place] != 0) {
            place = place + 1 & mask;
        }
        return place;
    }

    @Override
    public void find(long[] wanted, int rows, int[] out) {
        if (nearlyAllAreThere) {
            findEach(wanted, rows, out);
        } else {
            findTogether(wanted, rows, out);
        }
        int misses = 0;
        for (int i = 0; i < rows; i++) {
            misses += out[i] >>> 31;
        }
        nearlyAllAreThere = misses <= rows / FEW;
    }

    private void findEach(long[] wanted, int rows, int[] out) {
        long[] places = keys;
        int[] known = numbers;
        for (int i = 0; i < rows; i++) {
            out[i] = known[find(places, known, wanted[i])] - 1;
        }
    }

    private void findTogether(long[] wanted, int rows, int[] out) {
        if (search == null) {
            search = new PlaceSearch();
        }
        int[] known = numbers;
        for (int from = 0; from < rows; from += PlaceSearch.MOST) {
            int n = Math.min(PlaceSearch.MOST, rows - from);
            search.find(keys, known, wanted, from, n);
            int[] places = search.places();
            for (int i = 0; i < n; i++) {
                out[from + i] = known[places[i]] - 1;
            }
        }
    }

    @Override
    public int number(long[] wanted, int rows, int[] out, int next) {
        int done = 0;
        int end = next;
        while (done < rows) {
            int before = end;
            int limit = end + limit() - size;
            long[] places = keys;
            int[] known = numbers;
            int mask = places.length - 1;
            for (; done < rows; done++) {
                long key = wanted[done];
                int place = (int) Hashing.ofOne(key) & mask;
                int number = known[place];
                // Here the number is first: at an empty place, which is where most new keys go, no key is waited for.
                while (number != 0 && places[place] != key) {
                    place = place + 1 & mask;
                    number = known[place];
                }
                if (number == 0) {
                    if (end == limit) {
                        break;
                    }
                    places[place] = key;
                    number = ++end;
                    known[place] = number;
                }
                out[done] = number - 1;
            }
            size += end - before;
            if (done < rows) {
                grow(2 * keys.length);
            }
        }
        return end - next;
    }
}
