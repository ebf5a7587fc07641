package org.unimeros.engine.key;

import java.util.Arrays;
import java.util.Collections;
import java.util.List;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Values;

/**
 * Numbers the distinct values of some columns 0, 1, 2 … in the order in which they first come, and sorts the rows of a batch
 * by them: for those who divide rows by value, such as writers of partitions. One thread.
 */
public final class KeyNumbers {

    private final List<DataType> types;
    private final KeyTable table;
    private int[] numbers = new int[Batch.TARGET_ROWS];
    private int[] order = new int[Batch.TARGET_ROWS];
    private int[] ends = new int[0];
    private Object[][] values = new Object[0][];

    public KeyNumbers(List<DataType> types) {
        this.types = List.copyOf(types);
        this.table = KeyTables.of(types);
    }

    /** Takes some rows of a batch, which have one value in the columns. */
    @FunctionalInterface
    public interface Rows {
        /**
         * @param number the number of the value
         * @param order numbers of rows, of which those from {@code from} to {@code end} are meant
         */
        void accept(int number, int[] order, int from, int end);
    }

    /** Hands out the rows of a batch, value by value; those of a value in their order. */
    public void divide(Column[] columns, int rows, Rows to) {
        if (numbers.length < rows) {
            numbers = new int[rows];
            order = new int[rows];
        }
        table.number(columns, rows, numbers);
        int size = table.size();
        if (ends.length < size) {
            ends = new int[2 * size];
        }
        Arrays.fill(ends, 0, size, 0);
        for (int i = 0; i < rows; i++) {
            ends[numbers[i]]++;
        }
        for (int k = 1; k < size; k++) {
            ends[k] += ends[k - 1];
        }
        for (int i = rows - 1; i >= 0; i--) {
            order[--ends[numbers[i]]] = i;
        }
        keepValues(columns, rows);
        // What were ends are now the first places, and the next key begins where one ends.
        for (int k = 0; k < size; k++) {
            int from = ends[k];
            int end = k + 1 < size ? ends[k + 1] : rows;
            if (end > from) {
                to.accept(k, order, from, end);
            }
        }
    }

    private void keepValues(Column[] columns, int rows) {
        if (values.length < table.size()) {
            values = Arrays.copyOf(values, 2 * table.size());
        }
        for (int i = 0; i < rows; i++) {
            if (values[numbers[i]] == null) {
                Object[] of = new Object[columns.length];
                for (int c = 0; c < of.length; c++) {
                    of[c] = Values.get(columns[c], i, types.get(c));
                }
                values[numbers[i]] = of;
            }
        }
    }

    /** The values that a number stands for, column by column, as {@link Values#get} gives them. */
    public List<Object> values(int number) {
        return Collections.unmodifiableList(Arrays.asList(values[number]));
    }
}
