package org.unimeros.engine.key;

import java.lang.ref.SoftReference;
import java.util.ArrayDeque;
import java.util.Arrays;
import java.util.Deque;
import java.util.Iterator;

/**
 * Arrays of large tables that are no longer needed, for the next table of the same size. A fresh array is memory that no cache has and
 * that must be zeroed, which by itself costs as much as to find places for the keys. There are few of them, and they go when memory is short.
 * Thread-safe.
 *
 * @param keys whatever was there
 * @param numbers the same length
 */
record KeptPlaces(long[] keys, int[] numbers) {

    /** Smaller arrays cost little to make, larger ones would be much memory that no budget counts. */
    private static final int LEAST = 1 << 14;

    private static final int MOST = 1 << 21;

    private static final int MOST_KEPT = 2 * Runtime.getRuntime().availableProcessors();
    private static final Deque<SoftReference<KeptPlaces>> KEPT = new ArrayDeque<>();

    /** Arrays of a length whose numbers are all 0, while the keys can be any. */
    static KeptPlaces take(int length) {
        KeptPlaces found = length < LEAST || length > MOST ? null : find(length);
        if (found == null) {
            return new KeptPlaces(new long[length], new int[length]);
        }
        Arrays.fill(found.numbers, 0);
        return found;
    }

    private static KeptPlaces find(int length) {
        synchronized (KEPT) {
            for (Iterator<SoftReference<KeptPlaces>> i = KEPT.iterator(); i.hasNext(); ) {
                KeptPlaces kept = i.next().get();
                if (kept == null || kept.numbers.length == length) {
                    i.remove();
                }
                if (kept != null && kept.numbers.length == length) {
                    return kept;
                }
            }
            return null;
        }
    }

    /** Keeps arrays that nobody uses any more. The last that were given are the first to be taken, since the cache may have them. */
    static void give(KeptPlaces places) {
        if (places.numbers.length < LEAST || places.numbers.length > MOST) {
            return;
        }
        synchronized (KEPT) {
            KEPT.addFirst(new SoftReference<>(places));
            if (KEPT.size() > MOST_KEPT) {
                KEPT.removeLast();
            }
        }
    }
}
