package org.unimeros.engine.sort;

import java.util.Arrays;
import java.util.List;
import org.unimeros.engine.data.BooleanColumn;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DoubleColumn;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.ListColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.StructColumn;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.data.ValueOrder;
import org.unimeros.engine.data.WideColumn;
import org.unimeros.engine.expr.SortKey;

/**
 * Orders row numbers by key columns, stably. Keys are turned into words ({@link SortWords}) that are sorted by their
 * bytes (a radix sort from the last byte on, which leaves out bytes that all words share); rows with equal words are
 * sorted by what follows in the key. Few rows, and lists and structs, are compared instead.
 */
public final class RowOrder {

    /** So few rows are sorted by comparing them; the counts of a radix sort would cost more. */
    private static final int FEW = 200;

    private static final int VERY_FEW = 12;
    /** Beyond so many equal words, which only long equal texts have, rows are compared. */
    private static final int DEEPEST = 64;

    private static final int DIGITS = 8;
    private static final int VALUES = 256;

    /** Compares two rows. */
    @FunctionalInterface
    private interface Comparison {
        public int compare(int a, int b);
    }

    private final Column[] columns;
    private final List<SortKey> sortKeys;
    private final Comparison[] keys;
    private final SortWords[] words;
    private int[] order;
    private int[] spare;
    private long[] word;
    private long[] spareWord;

    public RowOrder(Column[] columns, List<SortKey> sortKeys) {
        this.columns = columns;
        this.sortKeys = sortKeys;
        words = new SortWords[columns.length];
        for (int i = 0; i < words.length; i++) {
            words[i] = new SortWords(columns[i], sortKeys.get(i).descending());
        }
        keys = new Comparison[columns.length];
        for (int i = 0; i < keys.length; i++) {
            keys[i] = comparison(columns[i], sortKeys.get(i));
        }
    }

    private static Comparison comparison(Column column, SortKey key) {
        Comparison values = values(column);
        int direction = key.descending() ? -1 : 1;
        int nullSide = key.nullsFirst() ? -1 : 1;
        if (column.nulls() == null) {
            return key.descending() ? (a, b) -> values.compare(b, a) : values;
        }
        return (a, b) -> {
            boolean nullA = column.isNull(a);
            boolean nullB = column.isNull(b);
            if (nullA || nullB) {
                return nullA == nullB ? 0 : nullA ? nullSide : -nullSide;
            }
            return direction * values.compare(a, b);
        };
    }

    private static Comparison values(Column column) {
        return switch (column) {
            case IntColumn c -> ints(c.values());
            case LongColumn c -> longs(c.values());
            case DoubleColumn c -> doubles(c.values());
            case BooleanColumn c -> (a, b) -> Boolean.compare(c.value(a), c.value(b));
            case TextColumn c -> (a, b) -> Integer.signum(TextColumn.compare(c, a, c, b));
            case WideColumn c -> (a, b) -> ValueOrder.compare(c, a, c, b);
            case ListColumn c -> (a, b) -> ValueOrder.compare(c, a, c, b);
            case StructColumn c -> (a, b) -> ValueOrder.compare(c, a, c, b);
        };
    }

    private static Comparison ints(int[] v) {
        return (a, b) -> Integer.compare(v[a], v[b]);
    }

    private static Comparison longs(long[] v) {
        return (a, b) -> Long.compare(v[a], v[b]);
    }

    private static Comparison doubles(double[] v) {
        return (a, b) -> ValueOrder.doubles(v[a], v[b]);
    }

    private int compare(int a, int b, int firstKey) {
        for (int k = firstKey; k < keys.length; k++) {
            int result = keys[k].compare(a, b);
            if (result != 0) {
                return result;
            }
        }
        return 0;
    }

    /** The numbers 0 to {@code rows} in order. */
    public int[] sorted(int rows) {
        order = new int[rows];
        for (int i = 0; i < rows; i++) {
            order[i] = i;
        }
        spare = new int[rows];
        if (rows > FEW) {
            word = new long[rows];
            spareWord = new long[rows];
        }
        sort(0, rows, 0, 0);
        return order;
    }

    /** Sorts rows that are equal up to a level of a key. */
    private void sort(int from, int end, int key, int level) {
        if (end - from < 2 || key == columns.length) {
            return;
        }
        if (end - from <= FEW || level > DEEPEST || !SortWords.areFor(columns[key])) {
            System.arraycopy(order, from, spare, from, end - from);
            mergeSort(order, spare, from, end, key);
        } else if (level == 0 && columns[key].nulls() != null) {
            sortWithNulls(from, end, key);
        } else {
            sortByWords(from, end, key, level);
        }
    }

    /** Nulls are equal, and all on one side. */
    private void sortWithNulls(int from, int end, int key) {
        Column column = columns[key];
        boolean nullsFirst = sortKeys.get(key).nullsFirst();
        int nulls = 0;
        for (int i = from; i < end; i++) {
            nulls += column.isNull(order[i]) ? 1 : 0;
        }
        int nullStart = nullsFirst ? from : end - nulls;
        int valueStart = nullsFirst ? from + nulls : from;
        int nextNull = nullStart;
        int nextValue = valueStart;
        for (int i = from; i < end; i++) {
            if (column.isNull(order[i])) {
                spare[nextNull++] = order[i];
            } else {
                spare[nextValue++] = order[i];
            }
        }
        System.arraycopy(spare, from, order, from, end - from);
        sort(nullStart, nullStart + nulls, key + 1, 0);
        sortByWords(valueStart, valueStart + end - from - nulls, key, 0);
    }

    private void sortByWords(int from, int end, int key, int level) {
        if (from == end) {
            return;
        }
        words[key].encode(order, from, end, level, word);
        radixSort(from, end);
        int start = from;
        for (int i = from + 1; i <= end; i++) {
            if (i == end || word[i] != word[start]) {
                if (i - start > 1) {
                    sortEqual(start, i, key, level);
                }
                start = i;
            }
        }
    }

    /** Sorts rows whose words are equal by what comes behind; the words of the others must stay. */
    private void sortEqual(int from, int end, int key, int level) {
        long same = word[from];
        if (words[key].hasMore(same, level)) {
            sort(from, end, key, level + 1);
        } else {
            sort(from, end, key + 1, 0);
        }
    }

    /** Sorts words and row numbers together. */
    private void radixSort(int from, int end) {
        int[][] counts = new int[DIGITS][VALUES];
        for (int i = from; i < end; i++) {
            long w = word[i];
            for (int d = 0; d < DIGITS; d++) {
                counts[d][(int) (w >>> 8 * d) & 0xFF]++;
            }
        }
        long[] words1 = word;
        long[] words2 = spareWord;
        int[] rows1 = order;
        int[] rows2 = spare;
        for (int d = 0; d < DIGITS; d++) {
            int[] count = counts[d];
            if (count[(int) (words1[from] >>> 8 * d) & 0xFF] == end - from) {
                continue;
            }
            int at = from;
            for (int v = 0; v < VALUES; v++) {
                int n = count[v];
                count[v] = at;
                at += n;
            }
            for (int i = from; i < end; i++) {
                int to = count[(int) (words1[i] >>> 8 * d) & 0xFF]++;
                words2[to] = words1[i];
                rows2[to] = rows1[i];
            }
            long[] otherWords = words1;
            words1 = words2;
            words2 = otherWords;
            int[] otherRows = rows1;
            rows1 = rows2;
            rows2 = otherRows;
        }
        if (rows1 != order) {
            System.arraycopy(rows1, from, order, from, end - from);
            System.arraycopy(words1, from, word, from, end - from);
        }
    }

    /** Sorts {@code to[from, end)}; {@code other} holds the same numbers and is used up. */
    private void mergeSort(int[] to, int[] other, int from, int end, int key) {
        if (end - from <= VERY_FEW) {
            insertionSort(to, from, end, key);
            return;
        }
        int middle = from + end >>> 1;
        mergeSort(other, to, from, middle, key);
        mergeSort(other, to, middle, end, key);
        if (compare(other[middle - 1], other[middle], key) <= 0) {
            System.arraycopy(other, from, to, from, end - from);
            return;
        }
        int left = from;
        int right = middle;
        for (int i = from; i < end; i++) {
            boolean takeLeft = right >= end || left < middle && compare(other[left], other[right], key) <= 0;
            to[i] = takeLeft ? other[left++] : other[right++];
        }
    }

    private void insertionSort(int[] rows, int from, int end, int key) {
        for (int i = from + 1; i < end; i++) {
            int row = rows[i];
            int at = i;
            while (at > from && compare(rows[at - 1], row, key) > 0) {
                rows[at] = rows[at - 1];
                at--;
            }
            rows[at] = row;
        }
    }

    /** The keys of some rows, for comparing them with rows of other batches. */
    public static final class Keys {
        private static final int ROWS_AT_ONCE = 512;

        private final Column[] columns;
        private final List<SortKey> keys;
        private final SortWords first;

        public Keys(Column[] columns, List<SortKey> keys) {
            this.columns = columns;
            this.keys = keys;
            boolean hasWords = columns.length > 0 && columns[0].nulls() == null && SortWords.areFor(columns[0]);
            this.first = hasWords ? new SortWords(columns[0], keys.get(0).descending()) : null;
        }

        /** The first word of each of the rows, in which their order can mostly be seen; null when there is none. */
        long[] words(int rows) {
            return first == null ? null : first.words(0, rows);
        }

        /**
         * Writes those of some rows that the first key alone does not put behind a row of others, all of them where it cannot tell; returns
         * how many they are. Mostly there are none, which the least word of many rows tells.
         */
        int notBehind(int rows, Keys other, int otherRow, int[] out) {
            boolean nullsAreBehind = !keys.get(0).nullsFirst() && SortWords.areFor(columns[0]);
            if (first == null && !nullsAreBehind || other.columns[0].isNull(otherRow)) {
                Arrays.setAll(out, row -> row);
                return rows;
            }
            // What stands in the place of a null may seem to come before.
            SortWords words = first != null
                    ? first
                    : new SortWords(columns[0], keys.get(0).descending());
            long[] bound = new long[1];
            other.encode(0, otherRow, bound);
            int n = 0;
            for (int from = 0; from < rows; from += ROWS_AT_ONCE) {
                int end = Math.min(rows, from + ROWS_AT_ONCE);
                if (Long.compareUnsigned(words.least(from, end), bound[0]) <= 0) {
                    n = words.upTo(bound[0], from, end, out, n);
                }
            }
            return n;
        }

        /** Writes those of some rows that come before a row of others with the same keys; returns how many they are. */
        int before(int rows, Keys other, int otherRow, int[] out) {
            boolean[] isBefore = new boolean[rows];
            int[] open = new int[rows];
            Arrays.setAll(open, row -> row);
            int left = rows;
            for (int k = 0; k < columns.length && left > 0; k++) {
                left = withoutNulls(k, open, left, other.columns[k].isNull(otherRow), isBefore);
                if (!other.columns[k].isNull(otherRow)) {
                    left = decide(k, open, left, other, otherRow, isBefore);
                }
            }
            int n = 0;
            for (int row = 0; row < rows; row++) {
                out[n] = row;
                n += isBefore[row] ? 1 : 0;
            }
            return n;
        }

        /** Marks those of the open rows of which it is enough to know where a key is null; the others stay open. */
        private int withoutNulls(int k, int[] open, int n, boolean otherIsNull, boolean[] isBefore) {
            Column column = columns[k];
            if (column.nulls() == null && !otherIsNull) {
                return n;
            }
            boolean nullsFirst = keys.get(k).nullsFirst();
            int left = 0;
            for (int i = 0; i < n; i++) {
                int row = open[i];
                boolean isNull = column.isNull(row);
                isBefore[row] = isNull != otherIsNull && isNull == nullsFirst;
                open[left] = row;
                left += isNull == otherIsNull ? 1 : 0;
            }
            return left;
        }

        /** Marks those of the open rows that come before by a key, which is null nowhere; those that are equal by it stay open. */
        private int decide(int k, int[] open, int n, Keys other, int otherRow, boolean[] isBefore) {
            if (!SortWords.areFor(columns[k])) {
                return compareEach(k, open, n, other, otherRow, isBefore);
            }
            long[] bound = new long[1];
            SortWords encoder = other.encode(k, otherRow, bound);
            long[] words = new long[n];
            new SortWords(columns[k], keys.get(k).descending()).encode(open, 0, n, 0, words);
            int left = 0;
            for (int i = 0; i < n; i++) {
                isBefore[open[i]] = words[i] + Long.MIN_VALUE < bound[0] + Long.MIN_VALUE;
                open[left] = open[i];
                left += words[i] == bound[0] ? 1 : 0;
            }
            return encoder.hasMore(bound[0], 0) ? compareEach(k, open, left, other, otherRow, isBefore) : left;
        }

        /** Writes the first word of a key of one row. */
        private SortWords encode(int k, int row, long[] out) {
            SortWords encoder = new SortWords(columns[k], keys.get(k).descending());
            encoder.encode(new int[] {row}, 0, 1, 0, out);
            return encoder;
        }

        private int compareEach(int k, int[] open, int n, Keys other, int otherRow, boolean[] isBefore) {
            int left = 0;
            for (int i = 0; i < n; i++) {
                int order = compare(k, open[i], other, otherRow);
                isBefore[open[i]] = order < 0;
                open[left] = open[i];
                left += order == 0 ? 1 : 0;
            }
            return left;
        }

        /** Compares by these keys, of which the other may have more. */
        public int compare(int row, Keys other, int otherRow) {
            int order = 0;
            for (int k = 0; k < columns.length && order == 0; k++) {
                order = compare(k, row, other, otherRow);
            }
            return order;
        }

        private int compare(int k, int row, Keys other, int otherRow) {
            SortKey key = keys.get(k);
            boolean nullA = columns[k].isNull(row);
            boolean nullB = other.columns[k].isNull(otherRow);
            if (nullA || nullB) {
                return nullA == nullB ? 0 : nullA == key.nullsFirst() ? -1 : 1;
            }
            int values = ValueOrder.compare(columns[k], row, other.columns[k], otherRow);
            return key.descending() ? -values : values;
        }
    }
}
