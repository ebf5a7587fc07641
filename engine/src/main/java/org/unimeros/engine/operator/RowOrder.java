package org.unimeros.engine.operator;

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

/** Orders row numbers by key columns, with a stable merge sort. */
final class RowOrder {

    /** Compares two rows. */
    @FunctionalInterface
    private interface Comparison {
        int compare(int a, int b);
    }

    private final Comparison[] keys;

    RowOrder(Column[] columns, List<SortKey> sortKeys) {
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

    private int compare(int a, int b) {
        for (Comparison key : keys) {
            int order = key.compare(a, b);
            if (order != 0) {
                return order;
            }
        }
        return 0;
    }

    /** The numbers 0 to {@code rows} in order. */
    int[] sorted(int rows) {
        int[] order = new int[rows];
        for (int i = 0; i < rows; i++) {
            order[i] = i;
        }
        sort(order, order.clone(), 0, rows);
        return order;
    }

    /** Sorts {@code to[from, end)}; {@code spare} holds the same numbers and is used up. */
    private void sort(int[] to, int[] spare, int from, int end) {
        if (end - from <= 12) {
            insertionSort(to, from, end);
            return;
        }
        int middle = from + end >>> 1;
        sort(spare, to, from, middle);
        sort(spare, to, middle, end);
        if (compare(spare[middle - 1], spare[middle]) <= 0) {
            System.arraycopy(spare, from, to, from, end - from);
            return;
        }
        int left = from;
        int right = middle;
        for (int i = from; i < end; i++) {
            boolean takeLeft = right >= end || left < middle && compare(spare[left], spare[right]) <= 0;
            to[i] = takeLeft ? spare[left++] : spare[right++];
        }
    }

    private void insertionSort(int[] rows, int from, int end) {
        for (int i = from + 1; i < end; i++) {
            int row = rows[i];
            int at = i;
            while (at > from && compare(rows[at - 1], row) > 0) {
                rows[at] = rows[at - 1];
                at--;
            }
            rows[at] = row;
        }
    }

    /** The keys of some rows, for comparing them with rows of other batches. */
    static final class Keys {
        private final Column[] columns;
        private final List<SortKey> keys;

        Keys(Column[] columns, List<SortKey> keys) {
            this.columns = columns;
            this.keys = keys;
        }

        int compare(int row, Keys other, int otherRow) {
            for (int k = 0; k < columns.length; k++) {
                SortKey key = keys.get(k);
                Column a = columns[k];
                Column b = other.columns[k];
                boolean nullA = a.isNull(row);
                boolean nullB = b.isNull(otherRow);
                int order;
                if (nullA || nullB) {
                    order = nullA == nullB ? 0 : nullA == key.nullsFirst() ? -1 : 1;
                } else {
                    int values = ValueOrder.compare(a, row, b, otherRow);
                    order = key.descending() ? -values : values;
                }
                if (order != 0) {
                    return order;
                }
            }
            return 0;
        }
    }
}
