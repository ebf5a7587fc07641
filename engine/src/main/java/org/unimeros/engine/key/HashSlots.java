package org.unimeros.engine.key;

import java.util.Arrays;
import org.unimeros.engine.data.BooleanColumn;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DoubleColumn;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.ListColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.StructColumn;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.data.ValueOrder;
import org.unimeros.engine.data.WideColumn;

/**
 * Numbers keys of any columns by their hashes: open addressing with linear probing over a power of two of slots. A slot holds the upper half of
 * the key's hash and its number plus one; 0 is an empty slot. A batch is looked up in rounds: find for every row the next slot with its hash
 * bits, then compare the keys column by column, then send the few rows that differ into another round. So there is no virtual call per row.
 *
 * <p>The keys themselves are appended to columns by number, in which others may put keys of theirs. One thread, and others through {@linkplain
 * #reader readers}.
 */
final class HashSlots {

    private static final int FIRST_SLOTS = 1024;
    /** So many slots are not in the first cache. */
    private static final int LARGE = 1 << 14;

    private final ColumnBuilder[] keys;
    private long[] slots;
    /** Hashes of the keys that have slots, and their numbers where other keys have none. */
    private long[] hashes;

    private int[] numbers;
    private int entries;
    /** How many keys there are, with those of others. */
    private int size;

    private long[] firstEntries = new long[0];
    private int[] todo = new int[0];
    private int[] at;
    private int[] checkRows;
    private int[] checkKeys;
    private boolean[] differs;
    private long[] rowHashes;

    /**
     * @param keys where keys are kept, by number
     * @param sharesNumbers whether others put keys there too
     */
    HashSlots(ColumnBuilder[] keys, boolean sharesNumbers) {
        this.keys = keys;
        slots = new long[FIRST_SLOTS];
        hashes = new long[FIRST_SLOTS];
        numbers = sharesNumbers ? new int[FIRST_SLOTS] : null;
    }

    private HashSlots(HashSlots shared) {
        keys = shared.keys;
        slots = shared.slots;
        hashes = shared.hashes;
        numbers = shared.numbers;
        entries = shared.entries;
        size = shared.size;
    }

    HashSlots reader() {
        return new HashSlots(this);
    }

    /** Writes the number of each row's key; new ones get those from {@code next} on. Returns what is the next one then. */
    int number(Column[] columns, int rows, int[] out, int next) {
        size = next;
        reserve(rows);
        lookUp(columns, rows, out, true);
        return size;
    }

    /** Writes the number of each row's key, or -1. */
    void find(Column[] columns, int rows, int[] out) {
        lookUp(columns, rows, out, false);
    }

    /** How many keys have slots. */
    int entries() {
        return entries;
    }

    /** Forgets all keys, whose columns are for others to empty. */
    void clear() {
        Arrays.fill(slots, 0);
        entries = 0;
    }

    long sizeInBytes() {
        return Long.BYTES * ((long) slots.length + hashes.length)
                + (numbers == null ? 0 : (long) Integer.BYTES * numbers.length);
    }

    private void lookUp(Column[] columns, int rows, int[] out, boolean add) {
        scratch(rows);
        Hashing.rows(columns, rows, rowHashes);
        int mask = slots.length - 1;
        for (int i = 0; i < rows; i++) {
            todo[i] = i;
            at[i] = (int) rowHashes[i] & mask;
        }
        int left = rows;
        while (left > 0) {
            int checks = probe(columns, left, out, add);
            left = keepDifferent(columns, checks, out, mask);
        }
    }

    /**
     * What is in the slots at which the open rows are, read for all of them before any is looked at: nobody can foresee whether a key is known, and where
     * the processor goes on wrongly it waits for the next one alone.
     */
    private long[] entries(long[] table, int left) {
        if (firstEntries.length < left) {
            firstEntries = new long[left];
        }
        for (int i = 0; i < left; i++) {
            firstEntries[i] = table[at[todo[i]]];
        }
        return firstEntries;
    }

    /** Moves every open row to the next slot with its hash bits, or settles it; returns how many are to be compared. */
    private int probe(Column[] columns, int left, int[] out, boolean add) {
        long[] table = slots;
        long[] first = table.length >= LARGE ? entries(table, left) : null;
        int mask = table.length - 1;
        int checks = 0;
        for (int i = 0; i < left; i++) {
            int row = todo[i];
            long hash = rowHashes[row];
            long tag = hash >>> 32;
            int slot = at[row];
            long entry = first == null ? 0 : first[i];
            if (entry == 0) {
                // It may have been filled by a row before.
                entry = table[slot];
            }
            while (entry != 0 && entry >>> 32 != tag) {
                slot = slot + 1 & mask;
                entry = table[slot];
            }
            if (entry != 0) {
                at[row] = slot;
                checkRows[checks] = row;
                checkKeys[checks++] = (int) entry - 1;
            } else if (add) {
                out[row] = size;
                table[slot] = tag << 32 | size + 1;
                add(columns, row, hash);
            } else {
                out[row] = -1;
            }
        }
        return checks;
    }

    private void add(Column[] columns, int row, long hash) {
        hashes[entries] = hash;
        if (numbers != null) {
            numbers[entries] = size;
        }
        entries++;
        size++;
        for (int c = 0; c < keys.length; c++) {
            keys[c].append(columns[c], row);
        }
    }

    private int keepDifferent(Column[] columns, int checks, int[] out, int mask) {
        Arrays.fill(differs, 0, checks, false);
        for (int c = 0; c < keys.length; c++) {
            Column known = keys[c].peek();
            if (columns[c].nulls() == null && known.nulls() == null) {
                compare(columns[c], known, checks);
            } else {
                compareWithNulls(columns[c], known, checks);
            }
        }
        int left = 0;
        for (int i = 0; i < checks; i++) {
            int row = checkRows[i];
            if (differs[i]) {
                at[row] = at[row] + 1 & mask;
                todo[left++] = row;
            } else {
                out[row] = checkKeys[i];
            }
        }
        return left;
    }

    private void compare(Column probe, Column known, int checks) {
        switch (probe) {
            case IntColumn c -> compareInts(c.values(), ((IntColumn) known).values(), checks);
            case LongColumn c -> compareLongs(c.values(), ((LongColumn) known).values(), checks);
            case DoubleColumn c -> compareDoubles(c.values(), ((DoubleColumn) known).values(), checks);
            case TextColumn c -> compareText(c, (TextColumn) known, checks);
            case BooleanColumn c -> compareBits(c, (BooleanColumn) known, checks);
            case WideColumn c -> compareOthers(c, known, checks);
            case ListColumn c -> compareOthers(c, known, checks);
            case StructColumn c -> compareOthers(c, known, checks);
        }
    }

    private void compareOthers(Column a, Column b, int checks) {
        for (int i = 0; i < checks; i++) {
            boolean present = !a.isNull(checkRows[i]) && !b.isNull(checkKeys[i]);
            differs[i] |= present && ValueOrder.compare(a, checkRows[i], b, checkKeys[i]) != 0;
        }
    }

    private void compareInts(int[] a, int[] b, int checks) {
        for (int i = 0; i < checks; i++) {
            differs[i] |= a[checkRows[i]] != b[checkKeys[i]];
        }
    }

    private void compareLongs(long[] a, long[] b, int checks) {
        for (int i = 0; i < checks; i++) {
            differs[i] |= a[checkRows[i]] != b[checkKeys[i]];
        }
    }

    private void compareDoubles(double[] a, double[] b, int checks) {
        for (int i = 0; i < checks; i++) {
            double x = a[checkRows[i]];
            double y = b[checkKeys[i]];
            differs[i] |= x != y && (x == x || y == y);
        }
    }

    private void compareText(TextColumn a, TextColumn b, int checks) {
        for (int i = 0; i < checks; i++) {
            differs[i] |= !TextColumn.equal(a, checkRows[i], b, checkKeys[i]);
        }
    }

    private void compareBits(BooleanColumn a, BooleanColumn b, int checks) {
        for (int i = 0; i < checks; i++) {
            differs[i] |= a.value(checkRows[i]) != b.value(checkKeys[i]);
        }
    }

    /** Null equals null, and what stands in the arrays for nulls must not count. */
    private void compareWithNulls(Column probe, Column known, int checks) {
        boolean[] before = Arrays.copyOf(differs, checks);
        compare(probe, known, checks);
        for (int i = 0; i < checks; i++) {
            boolean left = probe.isNull(checkRows[i]);
            boolean right = known.isNull(checkKeys[i]);
            if (left || right) {
                differs[i] = before[i] || left != right;
            }
        }
    }

    /** Makes room for so many keys more. */
    void reserve(int rows) {
        int needed = entries + rows;
        if (needed > hashes.length) {
            hashes = Arrays.copyOf(hashes, Math.max(needed, hashes.length * 2));
            numbers = numbers == null ? null : Arrays.copyOf(numbers, hashes.length);
        }
        if (needed * 2L <= slots.length) {
            return;
        }
        int length = Integer.highestOneBit(Math.max(needed, 1)) << 2;
        long[] larger = new long[length];
        int mask = length - 1;
        for (int i = 0; i < entries; i++) {
            int slot = (int) hashes[i] & mask;
            while (larger[slot] != 0) {
                slot = slot + 1 & mask;
            }
            larger[slot] = hashes[i] >>> 32 << 32 | (numbers == null ? i : numbers[i]) + 1;
        }
        slots = larger;
    }

    private void scratch(int rows) {
        if (todo.length < rows) {
            todo = new int[rows];
            at = new int[rows];
            checkRows = new int[rows];
            checkKeys = new int[rows];
            differs = new boolean[rows];
            rowHashes = new long[rows];
        }
    }
}
