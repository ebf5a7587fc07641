package org.unimeros;

import java.util.Arrays;
import org.unimeros.engine.record.RecordShape;

/**
 * Numbers the keys of pairs, as objects, each with the reducer that it goes to. Keys are looked up some hundred at a time and in rounds, so that the
 * memory of all of them is waited for together. Used by one thread.
 */
final class KeyNumbers {

    /** Keys that are looked up together, at most. */
    static final int TOGETHER = 256;

    /** In place of a number. */
    static final int NONE = -1;

    private final RecordShape<Object> shape;
    private final int most;
    private final long mostText;

    /** Open addressing: the hash of a key in the upper half, its number plus one in the lower; 0 where there is none. */
    private long[] places = new long[1 << 10];

    private final KeptKeys keys;
    private int[] reducers = new int[1 << 9];
    private int size;
    private long text;

    private final int[] hashes = new int[TOGETHER];

    /**
     * @param most keys that there is room for
     * @param mostText characters of all keys that there is room for
     */
    KeyNumbers(RecordShape<Object> shape, int most, long mostText) {
        this.shape = shape;
        this.keys = KeptKeys.of(shape);
        this.most = most;
        this.mostText = mostText;
    }

    int size() {
        return size;
    }

    Object key(int number) {
        return keys.key(number);
    }

    int reducer(int number) {
        return reducers[number];
    }

    /** The numbers of keys, {@link #NONE} for those that {@link #numberOf} has to find; all stay valid until {@link #clear}. */
    void find(Object[] wanted, int[] reducer, int count, int[] numbers) {
        long[] table = places;
        int mask = table.length - 1;
        for (int i = 0; i < count; i++) {
            hashes[i] = hash(wanted[i], reducer[i]);
        }
        for (int i = 0; i < count; i++) {
            int at = hashes[i] & mask;
            long place = table[at];
            while (place != 0 && (int) (place >>> 32) != hashes[i]) {
                at = at + 1 & mask;
                place = table[at];
            }
            // Of nothing, this is NONE.
            numbers[i] = (int) place - 1;
        }
        for (int i = 0; i < count; i++) {
            int number = numbers[i];
            if (number != NONE && !(reducers[number] == reducer[i] && keys.isAt(number, wanted[i]))) {
                numbers[i] = NONE;
            }
        }
    }

    /** The number of a key, which is a new one where it was not there; {@link #NONE} where there is no room for it. */
    int numberOf(Object key, int reducer) {
        int hash = hash(key, reducer);
        int at = hash & places.length - 1;
        for (long place = places[at]; place != 0; place = places[at]) {
            int number = (int) place - 1;
            if ((int) (place >>> 32) == hash && reducers[number] == reducer && keys.isAt(number, key)) {
                return number;
            }
            at = at + 1 & places.length - 1;
        }
        int length = shape.textLength(key);
        return size == most || text + length > mostText ? NONE : add(key, reducer, hash, at, length);
    }

    private int hash(Object key, int reducer) {
        int hash = (shape.hash(key) + reducer) * 0x9E3779B9;
        return hash ^ hash >>> 16;
    }

    private int add(Object key, int reducer, int hash, int at, int length) {
        if (size == reducers.length) {
            reducers = Arrays.copyOf(reducers, 2 * size);
        }
        text += length;
        int number = size++;
        keys.keep(number, key);
        reducers[number] = reducer;
        places[at] = (long) hash << 32 | number + 1;
        if (4 * size > 3 * places.length) {
            spread();
        }
        return number;
    }

    /** Makes the table twice as large. */
    private void spread() {
        long[] old = places;
        places = new long[2 * old.length];
        for (long place : old) {
            if (place != 0) {
                int at = (int) (place >>> 32) & places.length - 1;
                while (places[at] != 0) {
                    at = at + 1 & places.length - 1;
                }
                places[at] = place;
            }
        }
    }

    /** Forgets all keys. */
    void clear() {
        Arrays.fill(places, 0);
        keys.clear(size);
        size = 0;
        text = 0;
    }
}
