package org.unimeros.engine.data;

/**
 * Collects values in an array of a primitive type. Subclasses have the array, and the loops over single values, so that each of them is compiled
 * for its own type; what copies or exchanges the whole array is here.
 */
abstract sealed class ArrayBuilder extends ColumnBuilder permits IntBuilder, LongBuilder, DoubleBuilder {

    /** The array of values. */
    abstract Object array();

    abstract int capacity();

    /** The array of a column of the same form. */
    abstract Object arrayOf(Column column);

    /** Takes an empty array. */
    abstract void restart(int capacity);

    /** Copies the values into a larger array. */
    abstract void enlarge(int capacity);

    /** A column of the first rows of an array, which is the column's from now on where all of it is meant. */
    abstract Column column(Object array, int rows, long[] nullRows);

    final void reserve(int rows) {
        if (rows > capacity()) {
            enlarge(Math.max(rows, larger(capacity())));
        }
    }

    @Override
    final void appendValues(Column from, int rows) {
        int first = grow(rows);
        reserve(first + rows);
        System.arraycopy(arrayOf(from), 0, array(), first, rows);
    }

    @Override
    final void expect(int rows) {
        if (size() == 0 && rows > 0 && rows != capacity()) {
            restart(rows);
        }
    }

    @Override
    final Column buildValues(int rows, long[] nullRows) {
        Column column = column(array(), rows, nullRows);
        if (rows == capacity()) {
            restart(LEAST);
        }
        return column;
    }
}
