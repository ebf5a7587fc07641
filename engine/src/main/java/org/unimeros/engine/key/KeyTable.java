package org.unimeros.engine.key;

import java.util.Arrays;
import java.util.List;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.BooleanColumn;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DoubleColumn;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.ListColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.StructColumn;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.data.ValueOrder;
import org.unimeros.engine.data.WideColumn;

/**
 * Numbers distinct keys 0, 1, 2 … in the order in which they first come; where the key is one text, the short ones of a batch before the long ones.
 *
 * <p>Open addressing with linear probing over a power of two of slots. A slot holds the upper half of the key's hash
 * and its number plus one; 0 is an empty slot. A batch is looked up in rounds: find for every row the next slot with
 * its hash bits, then compare the keys column by column, then send the few rows that differ into another round. So
 * there is no virtual call per row. Single whole numbers have a table of their own ({@link WholeKeys}, {@link NearKeys}, {@link SettledKeys}), and so have single texts that are short enough to be whole numbers ({@link ShortTexts}). Of a batch with few different keys, only those are looked up that are new ({@link KeyCodes}), and of columns that come again none ({@link KeptNumbers}).
 *
 * <p>Null equals null here; a join leaves null keys out before it asks. Not thread-safe while keys are added; {@link
 * #find} alone can be used by several threads through copies made by {@link #reader}.
 */
public final class KeyTable {

    private static final int FIRST_SLOTS = 1024;
    /** So many slots are not in the first cache. */
    private static final int LARGE = 1 << 14;

    private final ColumnBuilder[] keys;
    /** The keys where each is one whole number; null for all others, which use the slots. */
    private final WholeLookUp whole;
    /** The same where keys can be added. */
    private final WholeNumbering wholeToAddTo;

    private final boolean isInt;
    /** Whether keys that are whole numbers are kept once more, by number. */
    private final boolean keepsWhole;

    private long[] slots = new long[0];
    /** Hashes of the keys that have slots, and their numbers where other keys have none. */
    private long[] hashes = new long[0];

    private int[] numbers;
    private int entries;
    /** Where the key is one text, short ones are whole numbers in a table of their own. */
    private final WholeKeys shortKeys;

    private final ShortTexts shortTexts;
    private int size;
    /** The number of the key null, where there is one key column; -1 when there is none. */
    private int nullKey = -1;

    private final KeyCodes codes = new KeyCodes();
    private final KeptNumbers keptNumbers = new KeptNumbers();
    /** The batch that was looked up last, where it was kept before; else null. */
    private KeptNumbers.Batch known;

    private long[] widened = new long[0];
    private long[] firstEntries = new long[0];
    private int[] todo = new int[0];
    private int[] at;
    private int[] checkRows;
    private int[] checkKeys;
    private boolean[] differs;
    private long[] rowHashes;

    public KeyTable(List<DataType> types) {
        this(types, true, null, null);
    }

    private KeyTable(List<DataType> types, boolean keepsWhole, WholeNumbering near, SettledKeys settled) {
        this.keepsWhole = keepsWhole;
        keys = types.stream().map(ColumnBuilder::of).toArray(ColumnBuilder[]::new);
        DataType.Physical form = types.size() == 1 ? types.get(0).physical() : DataType.Physical.STRUCT;
        isInt = form == DataType.Physical.INTS;
        boolean isWhole = isInt || form == DataType.Physical.LONGS;
        wholeToAddTo = near != null ? near : isWhole && settled == null ? new WholeKeys() : null;
        whole = settled == null ? wholeToAddTo : settled;
        boolean isText = form == DataType.Physical.BYTES;
        shortKeys = isText ? new WholeKeys() : null;
        shortTexts = isText ? new ShortTexts() : null;
        if (whole == null) {
            slots = new long[FIRST_SLOTS];
            hashes = new long[FIRST_SLOTS];
            numbers = isText ? new int[FIRST_SLOTS] : null;
        }
    }

    /** A table whose keys are looked up and never taken, in {@code near} where there is such; else null. */
    public static KeyTable forLookUp(List<DataType> types, NearKeys near) {
        return new KeyTable(types, false, near, null);
    }

    /** A table of whole-number keys that are all there already. */
    public static KeyTable of(DataType type, SettledKeys keys) {
        return new KeyTable(List.of(type), false, null, keys);
    }

    private KeyTable(KeyTable shared) {
        keepsWhole = shared.keepsWhole;
        keys = shared.keys;
        whole = shared.whole == null ? null : shared.whole.reader();
        wholeToAddTo = null;
        isInt = shared.isInt;
        shortKeys = shared.shortKeys == null ? null : shared.shortKeys.reader();
        shortTexts = shared.shortTexts == null ? null : new ShortTexts();
        slots = shared.slots;
        hashes = shared.hashes;
        numbers = shared.numbers;
        entries = shared.entries;
        size = shared.size;
        nullKey = shared.nullKey;
    }

    /** A table over the same keys with scratch space of its own, for looking up only. */
    public KeyTable reader() {
        return new KeyTable(this);
    }

    public int size() {
        return size;
    }

    public long sizeInBytes() {
        long bytes = 8L * slots.length + 8L * hashes.length + (whole == null ? 0 : whole.sizeInBytes());
        bytes += shortKeys == null ? 0 : shortKeys.sizeInBytes() + 4L * numbers.length;
        for (ColumnBuilder key : keys) {
            bytes += key.sizeInBytes();
        }
        return bytes;
    }

    /** The keys by number, column by column; the table starts anew. Not for tables that are {@linkplain #forLookUp for looking up}. */
    public Column[] takeKeys() {
        Column[] columns = new Column[keys.length];
        for (int i = 0; i < keys.length; i++) {
            columns[i] = Zeros.positive(keys[i].build());
        }
        Arrays.fill(slots, 0);
        codes.forget();
        keptNumbers.forget();
        entries = 0;
        if (shortKeys != null) {
            shortKeys.clear();
        }
        if (wholeToAddTo != null) {
            wholeToAddTo.clear();
        }
        size = 0;
        nullKey = -1;
        return columns;
    }

    /** Ends the use of this table and of its {@linkplain #reader readers}: its memory may be that of the next one. */
    public void release() {
        if (whole != null) {
            whole.release();
        }
        if (shortKeys != null) {
            shortKeys.release();
        }
    }

    /** Makes room for so many keys more, which is done step by step where nobody knows how many there will be. */
    public void expect(int more) {
        if (wholeToAddTo != null) {
            wholeToAddTo.expect(more);
        } else if (shortKeys != null && entries < size / 2) {
            shortKeys.expect(more);
        } else {
            reserve(more);
        }
    }

    /** Writes the number of each row's key, adding keys that are new. */
    public void number(Column[] columns, int rows, int[] out) {
        if (whole == null) {
            reserve(rows);
        }
        lookUp(columns, rows, out, true);
    }

    /** Writes the number of each row's key, or -1. */
    public void find(Column[] columns, int rows, int[] out) {
        lookUp(columns, rows, out, false);
    }

    /** The rows of the batch that was looked up last by their numbers, where that is known without sorting; else null. */
    public RowsByGroup rowsByKey() {
        return known == null ? null : known.rowsByGroup();
    }

    private void lookUp(Column[] columns, int rows, int[] out, boolean add) {
        known = keptNumbers.find(columns, rows);
        if (known == null) {
            lookUpNew(columns, rows, out, add);
            keptNumbers.keep(columns, rows, out);
        } else {
            System.arraycopy(known.numbers(), 0, out, 0, rows);
        }
    }

    private void lookUpNew(Column[] columns, int rows, int[] out, boolean add) {
        int fresh = codes.reduce(columns, rows, out);
        if (fresh < 0) {
            lookUpEach(columns, rows, out, add);
        } else if (fresh > 0) {
            Column[] firsts = new Column[columns.length];
            for (int c = 0; c < firsts.length; c++) {
                firsts[c] = columns[c].gather(codes.firstRows(), fresh);
            }
            int[] found = new int[fresh];
            lookUpEach(firsts, fresh, found, add);
            codes.spread(found, fresh, rows, out);
        }
    }

    private void lookUpEach(Column[] columns, int rows, int[] out, boolean add) {
        if (whole != null) {
            lookUpWhole(columns[0], rows, out, add);
        } else if (shortKeys != null) {
            lookUpTexts((TextColumn) columns[0], rows, out, add);
        } else {
            lookUpRows(columns, rows, out, add);
        }
    }

    private void lookUpTexts(TextColumn column, int rows, int[] out, boolean add) {
        shortTexts.divide(column, rows);
        int longCount = shortTexts.longCount();
        if (longCount == rows) {
            lookUpRows(new Column[] {column}, rows, out, add);
            return;
        }
        if (longCount == 0) {
            lookUpShort(column, rows, out, add);
            return;
        }
        int[] found = new int[rows];
        lookUpShort(column, shortTexts.shortCount(), found, add);
        scatter(found, shortTexts.shortRows(), shortTexts.shortCount(), out);
        lookUpRows(new Column[] {column.gather(shortTexts.longRows(), longCount)}, longCount, found, add);
        scatter(found, shortTexts.longRows(), longCount, out);
    }

    private static void scatter(int[] from, int[] rows, int n, int[] to) {
        for (int i = 0; i < n; i++) {
            to[rows[i]] = from[i];
        }
    }

    private void lookUpShort(TextColumn column, int n, int[] out, boolean add) {
        if (!add) {
            shortKeys.find(shortTexts.words(), n, out);
            return;
        }
        int end = size + shortKeys.number(shortTexts.words(), n, out, size);
        for (int i = 0; size < end; i++) {
            if (out[i] == size) {
                size++;
                keys[0].append(column, shortTexts.shortRows()[i]);
            }
        }
    }

    private void lookUpRows(Column[] columns, int rows, int[] out, boolean add) {
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

    private void lookUpWhole(Column column, int rows, int[] out, boolean add) {
        long[] values = longs(column, rows);
        long[] nulls = column.nulls();
        if (nulls != null && Bits.any(nulls, rows)) {
            lookUpWithNulls(values, nulls, rows, out, add);
        } else if (add) {
            numberWhole(values, rows, out);
        } else {
            whole.find(values, rows, out);
        }
    }

    private long[] longs(Column column, int rows) {
        if (column instanceof LongColumn c) {
            return c.values();
        }
        int[] ints = ((IntColumn) column).values();
        if (widened.length < rows) {
            widened = new long[rows];
        }
        for (int i = 0; i < rows; i++) {
            widened[i] = ints[i];
        }
        return widened;
    }

    /** Runs of rows that are not null are looked up; null is a key beside them. */
    private void lookUpWithNulls(long[] values, long[] nulls, int rows, int[] out, boolean add) {
        int from = 0;
        while (from < rows) {
            boolean isNull = Bits.get(nulls, from);
            int end = from + 1;
            while (end < rows && Bits.get(nulls, end) == isNull) {
                end++;
            }
            if (isNull) {
                if (nullKey < 0 && add) {
                    nullKey = size++;
                    if (keepsWhole) {
                        keys[0].appendNull();
                    }
                }
                Arrays.fill(out, from, end, nullKey);
            } else {
                long[] run = Arrays.copyOfRange(values, from, end);
                int[] found = new int[run.length];
                if (add) {
                    numberWhole(run, run.length, found);
                } else {
                    whole.find(run, run.length, found);
                }
                System.arraycopy(found, 0, out, from, run.length);
            }
            from = end;
        }
    }

    /** What is new has got the numbers from the size on, in the order in which it came. */
    private void numberWhole(long[] values, int rows, int[] out) {
        int end = size + wholeToAddTo.number(values, rows, out, size);
        if (!keepsWhole) {
            size = end;
            return;
        }
        for (int i = 0; size < end; i++) {
            if (out[i] == size) {
                size++;
                keep(values[i]);
            }
        }
    }

    private void keep(long key) {
        if (isInt) {
            keys[0].appendInt((int) key);
        } else {
            keys[0].appendLong(key);
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

    private void reserve(int rows) {
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
