package org.unimeros.engine.operator;

import java.util.Arrays;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.BooleanColumn;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.TextColumn;

/**
 * Finds the distinct keys of a batch where its columns have few different values: codes of a dictionary, truth values, whole
 * numbers close to one another. Each row gets one number that stands for all its key columns, by arithmetic, and only one row
 * of each number has to be looked up. Scratch space of one thread.
 */
final class KeyCodes {

    /** Numbers that rows may get; the array by number should stay in the cache. */
    private static final int MOST_CODES = 1 << 16;

    private static final int FEWEST_ROWS = 64;
    /** After a batch in which most rows had keys of their own, so many others are not tried. */
    private static final int PATIENCE = 32;

    private int[] codes = new int[0];
    private int[] numberOfCode = new int[0];
    private int[] firstRows = new int[0];
    private int waiting;

    /**
     * Finds the distinct keys of a batch in the order in which they first come, {@link #firstRows}; {@link #spread} must follow.
     *
     * @return how many there are; -1 when these columns have too many values, or too few rows share a key
     */
    int reduce(Column[] columns, int rows) {
        if (rows < FEWEST_ROWS || waiting > 0) {
            waiting -= waiting > 0 ? 1 : 0;
            return -1;
        }
        if (codes.length < rows) {
            codes = new int[rows];
            firstRows = new int[rows];
        }
        Arrays.fill(codes, 0, rows, 0);
        long count = 1;
        for (Column column : columns) {
            long size = add(column, rows, (int) count);
            count *= size;
            if (size == 0 || count > MOST_CODES) {
                waiting = PATIENCE;
                return -1;
            }
        }
        return distinct(rows, (int) count);
    }

    private int distinct(int rows, int count) {
        if (numberOfCode.length < count) {
            numberOfCode = new int[Integer.highestOneBit(count) * 2];
        }
        int distinct = 0;
        // Places hold 0 for codes that have not come.
        int[] known = numberOfCode;
        int[] codeOfRow = codes;
        for (int i = 0; i < rows; i++) {
            int code = codeOfRow[i];
            if (known[code] == 0) {
                firstRows[distinct++] = i;
                known[code] = distinct;
            }
        }
        if (distinct > rows / 2) {
            forget(distinct);
            waiting = PATIENCE;
            return -1;
        }
        return distinct;
    }

    private void forget(int distinct) {
        for (int k = 0; k < distinct; k++) {
            numberOfCode[codes[firstRows[k]]] = 0;
        }
    }

    /** Gives each row of the batch the number that was found for its key, one for each of the {@linkplain #firstRows first rows}. */
    void spread(int[] found, int distinct, int rows, int[] out) {
        int[] numbers = numberOfCode;
        int[] codeOfRow = codes;
        for (int k = 0; k < distinct; k++) {
            numbers[codeOfRow[firstRows[k]]] = found[k];
        }
        for (int i = 0; i < rows; i++) {
            out[i] = numbers[codeOfRow[i]];
        }
        forget(distinct);
    }

    /** The first row of each key of the last batch. */
    int[] firstRows() {
        return firstRows;
    }

    /** Adds the codes of a column to those of the columns before; returns how many there can be, 0 for too many. */
    private long add(Column column, int rows, int count) {
        return switch (column) {
            case TextColumn c -> c.ids() == null ? 0 : addInts(c.ids(), 0, c.entries(), c.nulls(), rows, count);
            case IntColumn c -> addInts(c.values(), c.nulls(), rows, count);
            case LongColumn c -> addLongs(c.values(), c.nulls(), rows, count);
            case BooleanColumn c -> {
                for (int i = 0; i < rows; i++) {
                    codes[i] += (c.isNull(i) ? 2 : c.value(i) ? 1 : 0) * count;
                }
                yield 3;
            }
            default -> 0;
        };
    }

    private long addInts(int[] values, long[] nulls, int rows, int count) {
        int first = values[0];
        int differing = 0;
        for (int i = 0; i < rows; i++) {
            differing |= values[i] ^ first;
        }
        long size = block(Integer.toUnsignedLong(differing));
        int least = (int) (first & -size);
        if (size * count > MOST_CODES) {
            least = first;
            int most = first;
            for (int i = 0; i < rows; i++) {
                least = Math.min(least, values[i]);
                most = Math.max(most, values[i]);
            }
            size = (long) most - least + 1;
        }
        return addInts(values, least, size, nulls, rows, count);
    }

    /**
     * How many numbers, aligned at a multiple of as many, there are between values that differ in these bits. That is found much faster than
     * the least and the greatest value, which come in only where it is too many.
     */
    private static long block(long differing) {
        return differing == 0 ? 1 : Long.highestOneBit(differing) << 1;
    }

    private long addInts(int[] values, int least, long size, long[] nulls, int rows, int count) {
        if (size > MOST_CODES) {
            return 0;
        }
        for (int i = 0; size > 1 && i < rows; i++) {
            codes[i] += (values[i] - least) * count;
        }
        return nulls == null ? size : moveNulls(values, least, (int) size, nulls, rows, count);
    }

    /** What stands in the arrays for nulls was added as a value; they get the code behind all values. */
    private long moveNulls(int[] values, int least, int size, long[] nulls, int rows, int count) {
        for (int i = 0; i < rows; i++) {
            if (Bits.get(nulls, i)) {
                codes[i] += (size - (values[i] - least)) * count;
            }
        }
        return size + 1;
    }

    private long addLongs(long[] values, long[] nulls, int rows, int count) {
        long first = values[0];
        long differing = 0;
        for (int i = 0; i < rows; i++) {
            differing |= values[i] ^ first;
        }
        long size = block(differing);
        long least = first & -size;
        if (size <= 0 || size > MOST_CODES / count) {
            least = first;
            long most = first;
            for (int i = 0; i < rows; i++) {
                least = Math.min(least, values[i]);
                most = Math.max(most, values[i]);
            }
            size = most - least + 1;
            if (size <= 0 || size > MOST_CODES) {
                return 0;
            }
        }
        int[] codeOfRow = codes;
        for (int i = 0; size > 1 && i < rows; i++) {
            codeOfRow[i] += (int) (values[i] - least) * count;
        }
        for (int i = 0; nulls != null && i < rows; i++) {
            if (Bits.get(nulls, i)) {
                codes[i] += (int) (size - (values[i] - least)) * count;
            }
        }
        return nulls == null ? size : size + 1;
    }
}
