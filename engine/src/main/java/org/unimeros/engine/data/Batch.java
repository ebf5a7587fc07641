package org.unimeros.engine.data;

import java.util.Arrays;

/**
 * Some rows of a table, column by column.
 *
 * <p>A filter does not copy: {@link #select} keeps the columns and remembers which rows are left, and a column is
 * gathered when it is first read. Whoever reads {@link #column} always sees dense rows {@code 0 .. rowCount()}.
 *
 * <p>A batch belongs to one task; {@link #dense} makes one that can be shared.
 */
public final class Batch {

    /** The usual number of rows in a batch; operators may make smaller and somewhat larger ones. */
    public static final int TARGET_ROWS = 4096;

    private final int rowCount;
    private final Column[] base;
    /** The rows of each column that are left, null where all are; columns that came together share one array. */
    private final Selection[] selections;

    private final Column[] gathered;
    /** For columns that are gathered; null for new arrays. */
    private SpareArrays spare;

    public Batch(int rowCount, Column... columns) {
        this(rowCount, columns, null);
    }

    private Batch(int rowCount, Column[] base, Selection[] selections) {
        this.rowCount = rowCount;
        this.base = base;
        this.selections = selections;
        this.gathered = selections == null ? base : new Column[base.length];
    }

    /** The columns of two batches of as many rows, side by side; what is pending in them stays pending. */
    public static Batch beside(Batch left, Batch right) {
        int width = left.base.length;
        Column[] columns = Arrays.copyOf(left.base, width + right.base.length);
        System.arraycopy(right.base, 0, columns, width, right.base.length);
        if (left.selections == null && right.selections == null) {
            return new Batch(left.rowCount, columns);
        }
        Selection[] both = new Selection[columns.length];
        left.copySelections(both, 0);
        right.copySelections(both, width);
        return new Batch(left.rowCount, columns, both);
    }

    private void copySelections(Selection[] to, int from) {
        if (selections != null) {
            System.arraycopy(selections, 0, to, from, selections.length);
        }
    }

    public int rowCount() {
        return rowCount;
    }

    public int columnCount() {
        return base.length;
    }

    public Column column(int index) {
        Column column = gathered[index];
        if (column == null) {
            column = selections[index] == null ? base[index] : gathered(selections[index], base[index]);
            gathered[index] = column;
        }
        return column;
    }

    private Column gathered(Selection selection, Column of) {
        return spare == null ? selection.of(of, rowCount) : selection.of(of, rowCount, spare);
    }

    /**
     * Has columns that are gathered from now on stand in spare arrays, which are taken back: this batch and all that it hands out must be
     * forgotten before they are taken back again.
     */
    public void gatherInto(SpareArrays arrays) {
        arrays.reuse();
        spare = arrays;
    }

    /** The first {@code n} of {@code rows} of this batch, which must be in range. */
    public Batch select(int[] rows, int n) {
        return select(new Selection.Rows(Arrays.copyOf(rows, n)), n);
    }

    /** Rows {@code from} to {@code from + n}. */
    public Batch slice(int from, int n) {
        return from == 0 && n == rowCount ? this : select(new Selection.Run(from), n);
    }

    /** One row, {@code n} times. */
    public Batch repeat(int row, int n) {
        return select(new Selection.Same(row), n);
    }

    private Batch select(Selection rows, int n) {
        Selection[] next = new Selection[base.length];
        for (int c = 0; c < base.length; c++) {
            boolean asBefore = c > 0 && (selections == null || selections[c] == selections[c - 1]);
            next[c] = asBefore ? next[c - 1] : selections == null ? rows : rows.among(selections[c], n);
        }
        return new Batch(n, base, next);
    }

    /** The same rows with the given columns only. */
    public Batch pick(int[] columns) {
        Column[] picked = new Column[columns.length];
        for (int i = 0; i < columns.length; i++) {
            picked[i] = column(columns[i]);
        }
        return new Batch(rowCount, picked);
    }

    /** A batch of the same rows without a pending selection. */
    public Batch dense() {
        if (selections == null) {
            return this;
        }
        Column[] columns = new Column[base.length];
        for (int i = 0; i < columns.length; i++) {
            columns[i] = column(i);
        }
        return new Batch(rowCount, columns);
    }

    /** The same rows, ready to have many of them {@linkplain #select selected} from all over the batch. */
    public Batch forGathering() {
        Column[] columns = new Column[base.length];
        for (int i = 0; i < columns.length; i++) {
            columns[i] = column(i).forGathering(rowCount);
        }
        return new Batch(rowCount, columns);
    }

    /** Bytes held by the columns, gathering what is pending. */
    public long sizeInBytes() {
        long bytes = 0;
        for (int i = 0; i < base.length; i++) {
            bytes += column(i).sizeInBytes(rowCount);
        }
        return bytes;
    }
}
