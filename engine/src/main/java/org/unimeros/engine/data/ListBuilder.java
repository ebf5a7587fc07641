package org.unimeros.engine.data;

import java.util.Arrays;

/** Collects lists, whose elements another builder collects. */
final class ListBuilder extends ColumnBuilder {
    private final ColumnBuilder elements;
    private int[] bounds = new int[65];

    ListBuilder(ColumnBuilder elements) {
        this.elements = elements;
    }

    @Override
    public ColumnBuilder elements() {
        return elements;
    }

    @Override
    public void endList() {
        int row = grow();
        if (row + 1 >= bounds.length) {
            bounds = Arrays.copyOf(bounds, larger(bounds.length));
        }
        bounds[row + 1] = elements.size();
    }

    @Override
    void appendDefault() {
        endList();
    }

    @Override
    void appendValue(Column from, int row) {
        ListColumn list = (ListColumn) from;
        for (int i = list.start(row); i < list.end(row); i++) {
            elements.append(list.elements(), i);
        }
        endList();
    }

    @Override
    void truncated(int rows) {
        elements.truncate(bounds[rows]);
    }

    @Override
    Column buildValues(int rows, long[] nullRows) {
        return ListColumn.packed(Arrays.copyOf(bounds, rows + 1), elements.build(), bounds[rows], nullRows);
    }

    @Override
    Column view(long[] nullRows) {
        return ListColumn.packed(bounds, elements.peek(), elements.size(), nullRows);
    }

    @Override
    public long sizeInBytes() {
        return 8L * size() + elements.sizeInBytes();
    }
}
