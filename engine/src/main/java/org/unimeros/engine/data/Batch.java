package org.unimeros.engine.data;

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
    private final int[] selection;
    private final Column[] gathered;

    public Batch(int rowCount, Column... columns) {
        this(rowCount, columns, null);
    }

    private Batch(int rowCount, Column[] base, int[] selection) {
        this.rowCount = rowCount;
        this.base = base;
        this.selection = selection;
        this.gathered = selection == null ? base : new Column[base.length];
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
            column = base[index].gather(selection, rowCount);
            gathered[index] = column;
        }
        return column;
    }

    /** The first {@code n} of {@code rows} of this batch, which must be in range. */
    public Batch select(int[] rows, int n) {
        int[] next = new int[n];
        if (selection == null) {
            System.arraycopy(rows, 0, next, 0, n);
        } else {
            for (int i = 0; i < n; i++) {
                next[i] = selection[rows[i]];
            }
        }
        return new Batch(n, base, next);
    }

    /** Rows {@code from} to {@code from + n}. */
    public Batch slice(int from, int n) {
        if (from == 0 && n == rowCount) {
            return this;
        }
        int[] rows = new int[n];
        for (int i = 0; i < n; i++) {
            rows[i] = from + i;
        }
        return select(rows, n);
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
        if (selection == null) {
            return this;
        }
        Column[] columns = new Column[base.length];
        for (int i = 0; i < columns.length; i++) {
            columns[i] = column(i);
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
