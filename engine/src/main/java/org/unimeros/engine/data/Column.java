package org.unimeros.engine.data;

import java.util.Arrays;

/**
 * The values of one column for some rows: a primitive array and, where there are nulls, a bit set of them. What stands
 * in the array for a null row is undefined. Arrays may be longer than the batch that holds the column.
 *
 * <p>Columns are not changed once they are made, so that batches, tasks and lookups can share them.
 */
public abstract sealed class Column
        permits BooleanColumn, IntColumn, LongColumn, DoubleColumn, TextColumn, WideColumn, ListColumn, StructColumn {

    private final long[] nulls;
    /** Whether it was made by repeating one row. */
    private boolean isRepeated;

    Column(long[] nulls) {
        this.nulls = nulls;
    }

    /** The set of null rows, or null when there is none. */
    public final long[] nulls() {
        return nulls;
    }

    public final boolean isNull(int row) {
        return nulls != null && Bits.get(nulls, row);
    }

    /** The rows of which one of some columns is null; null when there is none. */
    public static long[] nullsInAny(Column[] columns, int rows) {
        long[] nulls = null;
        for (Column column : columns) {
            nulls = Bits.or(nulls, column.nulls(), rows);
        }
        return nulls;
    }

    /** Whether it is known to have one value in all rows, or null in all. Others may have as well. */
    public final boolean isRepeated() {
        return isRepeated;
    }

    /** Says of a new column that it has one value in all rows. */
    final Column repeated() {
        isRepeated = true;
        return this;
    }

    /** A column of the given rows, in their order. */
    public abstract Column gather(int[] rows, int n);

    /** A column of {@code n} rows from {@code from} on. */
    public Column slice(int from, int n) {
        int[] rows = new int[n];
        for (int i = 0; i < n; i++) {
            rows[i] = from + i;
        }
        return gather(rows, n);
    }

    /** A column that has the value of one row {@code n} times. */
    public Column repeat(int row, int n) {
        int[] rows = new int[n];
        Arrays.fill(rows, row);
        return gather(rows, n);
    }

    /** As {@link #gather(int[], int)}, over spare arrays where the form has such. */
    Column gather(int[] rows, int n, SpareArrays spare) {
        return gather(rows, n);
    }

    /** The same column, ready to have many rows gathered from all over its first ones. */
    public Column forGathering(int rows) {
        return this;
    }

    /** As {@link #repeat(int, int)}, over spare arrays where the form has such. */
    Column repeat(int row, int n, SpareArrays spare) {
        return repeat(row, n);
    }

    /** The same values with other nulls. */
    public abstract Column withNulls(long[] newNulls);

    /** Whether its physical form is the one of a type. */
    public final boolean fits(DataType type) {
        return type.physical()
                == switch (this) {
                    case BooleanColumn c -> DataType.Physical.BITS;
                    case IntColumn c -> DataType.Physical.INTS;
                    case LongColumn c -> DataType.Physical.LONGS;
                    case DoubleColumn c -> DataType.Physical.DOUBLES;
                    case TextColumn c -> DataType.Physical.BYTES;
                    case WideColumn c -> DataType.Physical.WIDE;
                    case ListColumn c -> DataType.Physical.LIST;
                    case StructColumn c -> DataType.Physical.STRUCT;
                };
    }

    /** Bytes held for {@code rows} rows, for accounting. */
    public abstract long sizeInBytes(int rows);

    /** Bytes that a copy takes in which the texts of all rows stand one after the other. */
    public long spelledOutBytes(int rows) {
        return sizeInBytes(rows);
    }
}
