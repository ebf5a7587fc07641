package org.unimeros.engine.aggregate;

import java.util.Arrays;
import org.unimeros.engine.data.Bits;

/**
 * Which groups of an aggregate have had a value. Once all have, which is soon where there are few, nothing is noted any more: a store for every
 * row would take longer than adding its value does.
 */
final class SeenGroups {

    private boolean[] seen = new boolean[16];
    private int groups;
    /** Every group below has had a value. */
    private int allBelow;

    private boolean isCleared = true;

    /** Makes room; until they are forgotten, there are as many groups as it was made for. */
    void reserve(int count) {
        groups = isCleared ? count : Math.max(groups, count);
        isCleared = false;
        if (count > seen.length) {
            seen = Arrays.copyOf(seen, Math.max(count, seen.length * 2));
        }
    }

    /** Whether every group there is has had a value. */
    boolean areAll() {
        while (allBelow < groups && seen[allBelow]) {
            allBelow++;
        }
        return allBelow == groups;
    }

    boolean has(int group) {
        return seen[group];
    }

    void add(int group) {
        seen[group] = true;
    }

    /** Notes the groups of rows that are not null. */
    void add(int[] groupOfRow, int rows, long[] nulls) {
        if (areAll()) {
            return;
        }
        boolean[] to = seen;
        for (int i = 0; i < rows; i++) {
            if (nulls == null || !Bits.get(nulls, i)) {
                to[groupOfRow[i]] = true;
            }
        }
    }

    /** The groups that have had no value, as nulls; null when there are none. */
    long[] empty(int count) {
        long[] empty = null;
        for (int i = 0; i < count; i++) {
            if (!seen[i]) {
                empty = empty == null ? Bits.make(count) : empty;
                Bits.set(empty, i);
            }
        }
        return empty;
    }

    long sizeInBytes() {
        return seen.length;
    }

    /** Forgets all groups; until room is made anew there are as many without a value. */
    void clear() {
        Arrays.fill(seen, false);
        isCleared = true;
        allBelow = 0;
    }
}
