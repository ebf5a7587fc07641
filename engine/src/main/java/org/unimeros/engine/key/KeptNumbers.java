package org.unimeros.engine.key;

import java.util.Arrays;
import java.util.HashMap;
import java.util.Map;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ValueOrder;

/**
 * Numbers of keys that are kept with the columns of a batch, for columns that come again: a row of a join that has very many matches makes
 * batches of columns that are {@linkplain Column#isRepeated repeated} and of columns that all rows with the same key share. The first are
 * compared by value, the others by identity, since columns are not changed. What comes a second time is kept, and all of it is forgotten when
 * it becomes too much. One thread.
 */
final class KeptNumbers {

    private static final int FEWEST_ROWS = 64;
    /** More would not stay in the cache. */
    private static final int MOST_NUMBERS = 1 << 19;
    /** A batch that is kept should be used so many times at least. */
    private static final int WORTHWHILE = 4;

    private static final int SIGHT_BITS = 8;

    /** A batch that is kept. */
    static final class Batch {
        /** With one row where they are repeated. */
        private final Column[] columns;

        private final int[] numbers;
        private RowsByGroup sorted;
        private boolean isSorted;

        private Batch(Column[] columns, int[] numbers) {
            this.columns = columns;
            this.numbers = numbers;
        }

        int[] numbers() {
            return numbers;
        }

        /** Null where there are too many groups for it. */
        RowsByGroup rowsByGroup() {
            if (!isSorted) {
                sorted = RowsByGroup.of(numbers, numbers.length);
                isSorted = true;
            }
            return sorted;
        }

        private boolean isOf(Column[] others, int rows) {
            boolean same = numbers.length == rows;
            for (int c = 0; same && c < columns.length; c++) {
                same = others[c].isRepeated() ? isValueOf(columns[c], others[c]) : columns[c] == others[c];
            }
            return same;
        }

        private static boolean isValueOf(Column one, Column other) {
            return one.isNull(0) || other.isNull(0)
                    ? one.isNull(0) && other.isNull(0)
                    : ValueOrder.compare(one, 0, other, 0) == 0;
        }
    }

    private final Map<Long, Batch> kept = new HashMap<>();
    /** Marks of batches that came once. */
    private final long[] sights = new long[1 << SIGHT_BITS];

    private final long[] hash = new long[1];
    private long mark;
    private int numbersKept;
    private long found;
    private boolean givenUp;

    /** A batch of the same columns, where one is kept; else null. */
    Batch find(Column[] columns, int rows) {
        if (givenUp || rows < FEWEST_ROWS) {
            return null;
        }
        mark = mark(columns, rows);
        Batch batch = kept.isEmpty() ? null : kept.get(mark);
        if (batch == null || !batch.isOf(columns, rows)) {
            return null;
        }
        found++;
        return batch;
    }

    private long mark(Column[] columns, int rows) {
        long all = rows;
        for (Column column : columns) {
            if (column.isRepeated()) {
                Hashing.rows(new Column[] {column}, 1, hash);
                all = Hashing.mix(all + hash[0]);
            } else {
                all = Hashing.mix(all + System.identityHashCode(column));
            }
        }
        return all;
    }

    /** Takes the numbers that were found for the columns asked for last. */
    void keep(Column[] columns, int rows, int[] numbers) {
        if (givenUp || rows < FEWEST_ROWS || isFirstSight() || areMissing(numbers, rows)) {
            return;
        }
        if (numbersKept + rows > MOST_NUMBERS) {
            givenUp = found < (long) WORTHWHILE * kept.size();
            forget();
        }
        Column[] own = columns.clone();
        for (int c = 0; c < own.length; c++) {
            own[c] = own[c].isRepeated() ? own[c].gather(new int[1], 1) : own[c];
        }
        kept.put(mark, new Batch(own, Arrays.copyOf(numbers, rows)));
        numbersKept += rows;
    }

    private boolean isFirstSight() {
        int place = (int) (mark >>> Long.SIZE - SIGHT_BITS);
        boolean isFirst = sights[place] != mark;
        sights[place] = mark;
        return isFirst;
    }

    /** Whether keys were not found, which may be there the next time. */
    private static boolean areMissing(int[] numbers, int rows) {
        int signs = 0;
        for (int i = 0; i < rows; i++) {
            signs |= numbers[i];
        }
        return signs < 0;
    }

    /** Forgets all numbers, since keys are numbered anew. */
    void forget() {
        kept.clear();
        numbersKept = 0;
        found = 0;
    }
}
