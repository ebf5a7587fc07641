package org.unimeros.engine.data;

import java.util.List;

/** Collects rows of one schema into a batch. Not thread-safe. */
public final class BatchBuilder {

    private final ColumnBuilder[] columns;
    private int rows;

    public BatchBuilder(Schema schema) {
        this(schema.fields().stream().map(Field::type).toList());
    }

    public BatchBuilder(List<DataType> types) {
        columns = types.stream().map(ColumnBuilder::of).toArray(ColumnBuilder[]::new);
    }

    private BatchBuilder(ColumnBuilder... columns) {
        this.columns = columns;
    }

    /** The rows of some batches, one after the other, as one. Arrays are made once, of the size that is needed. */
    public static Batch joined(List<DataType> types, List<Batch> batches) {
        BatchBuilder all = new BatchBuilder(types);
        all.expect(Math.toIntExact(batches.stream().mapToLong(Batch::rowCount).sum()));
        for (int c = 0; c < all.columns.length; c++) {
            long texts = 0;
            for (Batch batch : batches) {
                texts += batch.column(c) instanceof TextColumn text ? text.length(batch.rowCount()) : 0;
            }
            all.columns[c].expectBytes(Math.toIntExact(texts));
        }
        batches.forEach(all::appendAll);
        return all.build();
    }

    /** A builder for batches with columns like those of another one. */
    public static BatchBuilder like(Batch batch) {
        ColumnBuilder[] columns = new ColumnBuilder[batch.columnCount()];
        for (int c = 0; c < columns.length; c++) {
            columns[c] = ColumnBuilder.like(batch.column(c));
        }
        return new BatchBuilder(columns);
    }

    /** Gives an empty builder room for so many rows. When just as many come, they are not copied once more to build the batch. */
    public void expect(int expected) {
        for (ColumnBuilder column : columns) {
            column.expect(expected);
        }
    }

    public ColumnBuilder column(int index) {
        return columns[index];
    }

    /** Counts a row whose values were appended column by column. */
    public void endRow() {
        rows++;
    }

    /** Forgets the values of a row that was not ended. */
    public void dropOpenRow() {
        for (ColumnBuilder column : columns) {
            column.truncate(rows);
        }
    }

    public void appendRow(Batch from, int row) {
        for (int c = 0; c < columns.length; c++) {
            columns[c].append(from.column(c), row);
        }
        rows++;
    }

    /** Appends the rows {@code rows[start .. end)}. */
    public void appendRows(Batch from, int[] rowNumbers, int start, int end) {
        for (int c = 0; c < columns.length; c++) {
            columns[c].appendRows(from.column(c), rowNumbers, start, end);
        }
        rows += end - start;
    }

    /** Appends row {@code rowNumbers[i]} of {@code from.get(which[i])} for each i below n, column by column. */
    public void appendMixed(List<Batch> from, int[] which, int[] rowNumbers, int n) {
        Column[] sources = new Column[from.size()];
        for (int c = 0; c < columns.length; c++) {
            for (int b = 0; b < sources.length; b++) {
                sources[b] = from.get(b).column(c);
            }
            columns[c].appendMixed(sources, which, rowNumbers, n);
        }
        rows += n;
    }

    public void appendAll(Batch from) {
        for (int c = 0; c < columns.length; c++) {
            columns[c].appendAll(from.column(c), from.rowCount());
        }
        rows += from.rowCount();
    }

    public int rowCount() {
        return rows;
    }

    public long sizeInBytes() {
        long bytes = 0;
        for (ColumnBuilder column : columns) {
            bytes += column.sizeInBytes();
        }
        return bytes;
    }

    /** The rows so far; the builder starts anew. */
    public Batch build() {
        Column[] built = new Column[columns.length];
        for (int c = 0; c < columns.length; c++) {
            built[c] = columns[c].build();
        }
        Batch batch = new Batch(rows, built);
        rows = 0;
        return batch;
    }
}
