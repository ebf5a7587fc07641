package org.unimeros.engine.key;

import java.util.Arrays;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.BooleanColumn;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.TextColumn;

/**
 * Numbers the keys of a batch where its columns have few different values: codes of a dictionary, truth values, whole numbers close to one
 * another. Each row gets one code that stands for all its key columns, by arithmetic, and the numbers of codes are remembered from batch to batch
 * while the values lie in the same ranges, so that only one row of each new code has to be looked up. Scratch space of one thread.
 *
 * <p>{@link #reduce} finds the codes of a batch that are new; then {@link #spread} must be told what they were found to be.
 */
final class KeyCodes {

    /** Codes that rows may get; the array by code should stay in the cache. */
    private static final int MOST_CODES = 1 << 16;

    private static final int FEWEST_ROWS = 64;
    /** After a batch in which most rows had codes that were new, so many others are not tried. */
    private static final int PATIENCE = 32;

    /** What the codes of a column stand for. */
    private static final class Range {
        private long least;
        /** How many values there can be; the code behind them is that of null. 0 before the first batch. */
        private long size;
        /** A column with the dictionary that codes are of; null for numbers. */
        private TextColumn texts;

        private boolean means(Range other) {
            return texts == null ? other.texts == null : other.texts != null && texts.sharesDictionary(other.texts);
        }

        /** Both are held against the last of the values, since what is behind it may be no number any more. */
        boolean holds(Range other) {
            return size > 0 && means(other) && other.least >= least && other.last() <= last();
        }

        private long last() {
            return least + (size - 1);
        }

        void set(long first, long count, TextColumn of) {
            least = first;
            size = count;
            texts = of;
        }

        /** Grows to hold others as well, or becomes the other where it means other values; false when there would be far too many. */
        boolean include(Range other) {
            if (size == 0 || !means(other)) {
                set(other.least, other.size, other.texts);
                return true;
            }
            long start = Math.min(least, other.least);
            long span = Math.max(last(), other.last()) - start;
            if (span < 0 || span >= MOST_CODES) {
                return false;
            }
            set(start, span + 1, texts);
            return true;
        }
    }

    private Range[] ranges = new Range[0];
    /** The ranges of the values of the batch at hand. */
    private Range[] wanted = new Range[0];

    private boolean[] isConstant = new boolean[0];
    private int[] codes = new int[0];
    /** The number of the key of a code plus one, 0 for codes that are not known; negative while a new one is looked up. */
    private int[] numberOfCode = new int[0];

    private int[] known = new int[64];
    private int knownCount;
    private int[] firstRows = new int[0];
    /** What all rows of the batch have in common, to be added to the code of each. */
    private int common;

    private int waiting;

    /**
     * Writes the number of each row's key where it is known, and finds the rows of those that are not, one for each: {@link #firstRows}, in the
     * order in which they come.
     *
     * @return how many are not known; -1 when these columns have too many values, or too many of them are new
     */
    int reduce(Column[] columns, int rows, int[] out) {
        if (rows < FEWEST_ROWS || waiting > 0) {
            waiting -= waiting > 0 ? 1 : 0;
            return -1;
        }
        if (!findRanges(columns, rows)) {
            waiting = PATIENCE;
            return -1;
        }
        encode(columns, rows);
        if (spread(rows, out)) {
            return 0;
        }
        return unknown(rows);
    }

    /** Forgets all numbers, since keys are numbered anew. */
    void forget() {
        for (int k = 0; k < knownCount; k++) {
            numberOfCode[known[k]] = 0;
        }
        knownCount = 0;
    }

    /** Keeps the ranges where they hold the values of this batch; false when there are too many values. */
    private boolean findRanges(Column[] columns, int rows) {
        if (ranges.length != columns.length) {
            ranges = newRanges(columns.length);
            wanted = newRanges(columns.length);
            isConstant = new boolean[columns.length];
        }
        if (codes.length < rows) {
            codes = new int[rows];
            firstRows = new int[rows];
        }
        boolean holds = true;
        for (int c = 0; c < columns.length; c++) {
            if (!look(columns[c], rows, c, false)) {
                return false;
            }
            holds &= ranges[c].holds(wanted[c]);
        }
        if (holds) {
            return true;
        }
        forget();
        return grow() || replace(columns, rows);
    }

    private static Range[] newRanges(int count) {
        Range[] made = new Range[count];
        Arrays.setAll(made, i -> new Range());
        return made;
    }

    /** Makes the ranges hold the values of this batch as well, where that does not make too many codes. */
    private boolean grow() {
        for (int c = 0; c < ranges.length; c++) {
            if (!ranges[c].include(wanted[c])) {
                return false;
            }
        }
        return reserve();
    }

    /** Takes the ranges of this batch alone, as narrow as they can be. */
    private boolean replace(Column[] columns, int rows) {
        for (int c = 0; c < ranges.length; c++) {
            if (!look(columns[c], rows, c, true)) {
                return false;
            }
            ranges[c].set(wanted[c].least, wanted[c].size, wanted[c].texts);
        }
        boolean fits = reserve();
        if (!fits) {
            // Nothing is known of these.
            Arrays.stream(ranges).forEach(r -> r.size = 0);
        }
        return fits;
    }

    private boolean reserve() {
        long count = 1;
        for (Range range : ranges) {
            count *= range.size + 1;
            if (count > MOST_CODES) {
                return false;
            }
        }
        if (numberOfCode.length < count) {
            numberOfCode = new int[Integer.highestOneBit((int) count) * 2];
        }
        return true;
    }

    /** Looks for the range of a column's values; false when it has no codes. */
    private boolean look(Column column, int rows, int index, boolean exactly) {
        isConstant[index] = false;
        Range range = wanted[index];
        switch (column) {
            case TextColumn c -> range.set(0, c.ids() == null ? 0 : c.entries(), c);
            case BooleanColumn c -> range.set(0, 2, null);
            case IntColumn c -> lookAtInts(c.values(), rows, index, exactly);
            case LongColumn c -> lookAtLongs(c.values(), rows, index, exactly);
            default -> range.set(0, 0, null);
        }
        return range.size > 0 && range.size <= MOST_CODES;
    }

    private void lookAtInts(int[] values, int rows, int index, boolean exactly) {
        int first = values[0];
        int differing = 0;
        for (int i = 0; i < rows; i++) {
            differing |= values[i] ^ first;
        }
        isConstant[index] = differing == 0;
        long size = block(Integer.toUnsignedLong(differing));
        int least = (int) (first & -size);
        if (exactly || size > MOST_CODES) {
            least = first;
            int most = first;
            for (int i = 0; i < rows; i++) {
                least = Math.min(least, values[i]);
                most = Math.max(most, values[i]);
            }
            size = (long) most - least + 1;
        }
        wanted[index].set(least, size, null);
    }

    private void lookAtLongs(long[] values, int rows, int index, boolean exactly) {
        long first = values[0];
        long differing = 0;
        for (int i = 0; i < rows; i++) {
            differing |= values[i] ^ first;
        }
        isConstant[index] = differing == 0;
        long size = block(differing);
        long least = first & -size;
        if (exactly || size <= 0 || size > MOST_CODES) {
            least = first;
            long most = first;
            for (int i = 0; i < rows; i++) {
                least = Math.min(least, values[i]);
                most = Math.max(most, values[i]);
            }
            size = most - least + 1;
        }
        wanted[index].set(least, size, null);
    }

    /**
     * How many numbers, aligned at a multiple of as many, there are between values that differ in these bits. That is found much faster than
     * the least and the greatest value, which come in only where it is too many.
     */
    private static long block(long differing) {
        return differing == 0 ? 1 : Long.highestOneBit(differing) << 1;
    }

    private void encode(Column[] columns, int rows) {
        common = 0;
        int count = 1;
        int kept = 0;
        for (int c = 0; c < columns.length; c++) {
            Range range = ranges[c];
            if (isConstant[c] && columns[c].nulls() == null) {
                common += (int) (wanted[c].least - range.least) * count;
            } else {
                add(columns[c], rows, range, count, kept);
                kept = -1;
            }
            count *= (int) range.size + 1;
        }
        if (kept == 0) {
            Arrays.fill(codes, 0, rows, 0);
        }
    }

    /** Adds the codes of a column to those of the columns before, or to nothing where none of the bits that are there is kept. */
    private void add(Column column, int rows, Range range, int count, int kept) {
        switch (column) {
            case TextColumn c -> addInts(c.ids(), 0, rows, count, kept);
            case IntColumn c -> addInts(c.values(), (int) range.least, rows, count, kept);
            case LongColumn c -> addLongs(c.values(), range.least, rows, count, kept);
            case BooleanColumn c -> {
                for (int i = 0; i < rows; i++) {
                    codes[i] = (codes[i] & kept) + (c.value(i) ? 1 : 0) * count;
                }
            }
            default -> throw new IllegalStateException("no codes for " + column.getClass());
        }
        if (column.nulls() != null) {
            moveNulls(column, rows, range, count);
        }
    }

    private void addInts(int[] values, int least, int rows, int count, int kept) {
        int[] codeOfRow = codes;
        for (int i = 0; i < rows; i++) {
            codeOfRow[i] = (codeOfRow[i] & kept) + (values[i] - least) * count;
        }
    }

    private void addLongs(long[] values, long least, int rows, int count, int kept) {
        int[] codeOfRow = codes;
        for (int i = 0; i < rows; i++) {
            codeOfRow[i] = (codeOfRow[i] & kept) + (int) (values[i] - least) * count;
        }
    }

    /** What stands in the arrays for nulls was added as a value; they get the code behind all values. */
    private void moveNulls(Column column, int rows, Range range, int count) {
        for (int i = 0; i < rows; i++) {
            if (Bits.get(column.nulls(), i)) {
                long value = switch (column) {
                    case TextColumn c -> c.ids()[i];
                    case IntColumn c -> c.values()[i] - range.least;
                    case LongColumn c -> c.values()[i] - range.least;
                    case BooleanColumn c -> c.value(i) ? 1 : 0;
                    default -> 0;
                };
                codes[i] += (int) (range.size - value) * count;
            }
        }
    }

    /** Writes the numbers of all rows; false when some of them are not known. */
    private boolean spread(int rows, int[] out) {
        int[] numbers = numberOfCode;
        int[] codeOfRow = codes;
        int offset = common;
        int signs = 0;
        for (int i = 0; i < rows; i++) {
            int number = numbers[codeOfRow[i] + offset] - 1;
            out[i] = number;
            signs |= number;
        }
        return signs >= 0;
    }

    private int unknown(int rows) {
        int[] numbers = numberOfCode;
        int unknown = 0;
        for (int i = 0; i < rows; i++) {
            int code = codes[i] + common;
            if (numbers[code] == 0) {
                numbers[code] = -1;
                firstRows[unknown++] = i;
            }
        }
        if (unknown > rows / 2) {
            for (int k = 0; k < unknown; k++) {
                numbers[codes[firstRows[k]] + common] = 0;
            }
            waiting = PATIENCE;
            return -1;
        }
        return unknown;
    }

    /** Takes the numbers that were found for the {@linkplain #firstRows first rows}, -1 for none, and writes those of all rows. */
    void spread(int[] found, int unknown, int rows, int[] out) {
        if (knownCount + unknown > known.length) {
            known = Arrays.copyOf(known, 2 * (knownCount + unknown));
        }
        for (int k = 0; k < unknown; k++) {
            int code = codes[firstRows[k]] + common;
            numberOfCode[code] = found[k] + 1;
            if (found[k] >= 0) {
                known[knownCount++] = code;
            }
        }
        spread(rows, out);
    }

    /** The first row of each key that was not known. */
    int[] firstRows() {
        return firstRows;
    }
}
