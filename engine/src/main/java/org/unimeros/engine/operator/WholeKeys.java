package org.unimeros.engine.operator;

import java.util.Arrays;

/**
 * Numbers of whole-number keys: open addressing with linear probing, each key beside its number, so that a key costs one
 * line of the cache. Rows are looked up some hundred at a time, in two rounds: the first one only touches the places, so
 * that the memory is waited for once and not by every row.
 */
final class WholeKeys {

    private static final int FIRST_PLACES = 512;
    private static final int AT_A_TIME = 256;
    /** A table up to this size is in the cache, so that there is nothing to wait for. */
    private static final long SMALL_BYTES = 1L << 20;

    /** Key and number plus one of each place; a number of 0 is an empty place. */
    private long[] places = new long[2 * FIRST_PLACES];

    private int size;
    private final int[] firstPlaces = new int[AT_A_TIME];
    private long touched;

    WholeKeys() {}

    private WholeKeys(WholeKeys shared) {
        places = shared.places;
        size = shared.size;
    }

    /** The same keys for another thread, to look up only. */
    WholeKeys reader() {
        return new WholeKeys(this);
    }

    long sizeInBytes() {
        return 8L * places.length;
    }

    /** Forgets all keys, and the memory for many. */
    void clear() {
        if (places.length > 2 * FIRST_PLACES && size < places.length / 64) {
            places = new long[2 * FIRST_PLACES];
        } else {
            Arrays.fill(places, 0);
        }
        size = 0;
    }

    /** Makes sure that so many keys can be added. */
    void reserve(int more) {
        int needed = Math.max(FIRST_PLACES, 2 * (size + more));
        if (2L * needed <= places.length) {
            return;
        }
        long[] old = places;
        places = new long[4 * Integer.highestOneBit(needed - 1)];
        int mask = places.length / 2 - 1;
        for (int i = 0; i < old.length; i += 2) {
            if (old[i + 1] != 0) {
                int place = place(old[i], mask);
                while (places[2 * place + 1] != 0) {
                    place = place + 1 & mask;
                }
                places[2 * place] = old[i];
                places[2 * place + 1] = old[i + 1];
            }
        }
    }

    private static int place(long key, int mask) {
        return (int) Hashing.ofOne(key) & mask;
    }

    /** Writes the number of each key, or -1. */
    void find(long[] keys, int rows, int[] out) {
        for (int from = 0; from < rows; from += AT_A_TIME) {
            int end = Math.min(rows, from + AT_A_TIME);
            touch(keys, from, end);
            long[] table = places;
            int mask = table.length / 2 - 1;
            for (int i = from; i < end; i++) {
                out[i] = (int) table[2 * find(table, mask, keys[i], firstPlaces[i - from]) + 1] - 1;
            }
        }
    }

    /**
     * Writes the number of each key; new keys get the numbers from {@code next} on, in the order in which they come.
     *
     * @return how many keys are new
     */
    int number(long[] keys, int rows, int[] out, int next) {
        int number = next;
        if (sizeInBytes() <= SMALL_BYTES) {
            number = numberInCache(keys, rows, out, next);
        } else {
            for (int from = 0; from < rows; from += AT_A_TIME) {
                int end = Math.min(rows, from + AT_A_TIME);
                touch(keys, from, end);
                for (int i = from; i < end; i++) {
                    number = number(keys[i], firstPlaces[i - from], number, out, i);
                }
            }
        }
        size += number - next;
        return number - next;
    }

    private int numberInCache(long[] keys, int rows, int[] out, int next) {
        long[] table = places;
        int mask = table.length / 2 - 1;
        int number = next;
        for (int i = 0; i < rows; i++) {
            long key = keys[i];
            int place = place(key, mask);
            int known = (int) table[2 * place + 1];
            if (known != 0 && table[2 * place] == key) {
                out[i] = known - 1;
            } else {
                number = number(key, place, number, out, i);
            }
        }
        return number;
    }

    /** Looks a key up from a place on, and adds it when it is new; returns the number that the next new one gets. */
    private int number(long key, int first, int next, int[] out, int row) {
        long[] table = places;
        int place = find(table, table.length / 2 - 1, key, first);
        int known = (int) table[2 * place + 1];
        if (known != 0) {
            out[row] = known - 1;
            return next;
        }
        table[2 * place] = key;
        table[2 * place + 1] = next + 1;
        out[row] = next;
        return next + 1;
    }

    /** The place of a key, or the empty one that it would get. */
    private static int find(long[] table, int mask, long key, int first) {
        int place = first;
        while (table[2 * place + 1] != 0 && table[2 * place] != key) {
            place = place + 1 & mask;
        }
        return place;
    }

    private void touch(long[] keys, int from, int end) {
        long[] table = places;
        int mask = table.length / 2 - 1;
        long all = 0;
        for (int i = from; i < end; i++) {
            int place = place(keys[i], mask);
            firstPlaces[i - from] = place;
            all ^= table[2 * place];
        }
        // Kept, so that the reads are not optimised away.
        touched = all;
    }

    long touched() {
        return touched;
    }
}
