package org.unimeros.engine.data;

/**
 * A column of lists.
 *
 * <pre>value of row r = elements[starts[r] .. ends[r])</pre>
 *
 * Gathering moves the bounds only, so that rows can share elements and leave some unused; {@link #packed} makes the
 * elements those of the rows in their order.
 */
public final class ListColumn extends Column {

    private final int[] starts;
    private final int[] ends;
    private final int shift;
    private final Column elements;
    private final int elementCount;

    /** @param elementCount how many rows {@code elements} has */
    public ListColumn(int[] starts, int[] ends, Column elements, int elementCount, long[] nulls) {
        this(starts, ends, 0, elements, elementCount, nulls);
    }

    private ListColumn(int[] starts, int[] ends, int shift, Column elements, int elementCount, long[] nulls) {
        super(nulls);
        this.starts = starts;
        this.ends = ends;
        this.shift = shift;
        this.elements = elements;
        this.elementCount = elementCount;
    }

    /** Lists one after the other: row r has the elements from {@code bounds[r]} to {@code bounds[r + 1]}. */
    public static ListColumn packed(int[] bounds, Column elements, int elementCount, long[] nulls) {
        return new ListColumn(bounds, bounds, 1, elements, elementCount, nulls);
    }

    public int start(int row) {
        return starts[row];
    }

    public int end(int row) {
        return ends[row + shift];
    }

    /** The number of elements of a row. */
    public int length(int row) {
        return ends[row + shift] - starts[row];
    }

    public Column elements() {
        return elements;
    }

    public int elementCount() {
        return elementCount;
    }

    /** The number of rows for which there are bounds. */
    public int rows() {
        return starts.length - shift;
    }

    /** The same lists with other elements in the same places. */
    public ListColumn withElements(Column others) {
        return new ListColumn(starts, ends, shift, others, elementCount, nulls());
    }

    /** The first rows, with exactly their elements one after the other; null rows are empty. */
    public ListColumn packed(int rows) {
        int[] bounds = new int[rows + 1];
        boolean isPacked = true;
        for (int i = 0; i < rows; i++) {
            bounds[i + 1] = isNull(i) ? bounds[i] : Math.addExact(bounds[i], length(i));
            isPacked &= bounds[i] == start(i) && bounds[i + 1] == end(i);
        }
        int total = bounds[rows];
        if (isPacked && total == elementCount) {
            return this;
        }
        int[] places = new int[total];
        for (int i = 0; i < rows; i++) {
            for (int k = bounds[i]; k < bounds[i + 1]; k++) {
                places[k] = start(i) + k - bounds[i];
            }
        }
        return packed(bounds, elements.gather(places, total), total, nulls());
    }

    @Override
    public ListColumn gather(int[] rows, int n) {
        int[] outStarts = new int[n];
        int[] outEnds = new int[n];
        for (int i = 0; i < n; i++) {
            outStarts[i] = starts[rows[i]];
            outEnds[i] = end(rows[i]);
        }
        return new ListColumn(outStarts, outEnds, elements, elementCount, Bits.gather(nulls(), rows, n));
    }

    @Override
    public ListColumn withNulls(long[] newNulls) {
        return new ListColumn(starts, ends, shift, elements, elementCount, newNulls);
    }

    /** Elements count by their mean size, for as many as the rows have. */
    @Override
    public long sizeInBytes(int rows) {
        return bytes(rows, elementCount == 0 ? 0 : elements.sizeInBytes(elementCount));
    }

    @Override
    public long spelledOutBytes(int rows) {
        return bytes(rows, elementCount == 0 ? 0 : elements.spelledOutBytes(elementCount));
    }

    /** The share of some rows in the bytes of all elements. */
    private long bytes(int rows, long all) {
        long used = 0;
        for (int i = 0; i < rows; i++) {
            used += isNull(i) ? 0 : length(i);
        }
        return 8L * rows + (elementCount == 0 ? 0 : (long) ((double) all / elementCount * used));
    }
}
