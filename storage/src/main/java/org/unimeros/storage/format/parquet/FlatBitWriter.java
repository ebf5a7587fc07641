package org.unimeros.storage.format.parquet;

import org.apache.parquet.column.ColumnDescriptor;
import org.apache.parquet.column.Encoding;
import org.apache.parquet.column.statistics.Statistics;
import org.unimeros.engine.data.BooleanColumn;
import org.unimeros.engine.data.Column;

/** Writes truth values, a bit each. */
final class FlatBitWriter extends FlatWriter {

    private final long[] bits = new long[PAGE_ROWS];
    private BooleanColumn from;

    FlatBitWriter(ColumnDescriptor column, ChunkBuffer chunk) {
        super(column, chunk, false);
    }

    @Override
    void begin(Column column) {
        from = (BooleanColumn) column;
    }

    @Override
    void add(int row, int at, boolean asCode) {
        bits[at] = from.value(row) ? 1 : 0;
    }

    @Override
    long pageBytes() {
        return 0;
    }

    @Override
    int entries() {
        return 0;
    }

    @Override
    long entryBytes() {
        return 0;
    }

    @Override
    void addStatistics(Statistics<?> to, int count, boolean asCodes) {
        for (int i = 0; i < count; i++) {
            to.updateStats(bits[i] == 1);
        }
    }

    @Override
    Encoding putValues(int count) {
        body.putPacked(bits, 0, count, 1);
        return Encoding.PLAIN;
    }

    @Override
    void expand(int count) {
        throw new IllegalStateException("truth values have no dictionary");
    }

    @Override
    void putEntries(int count) {
        throw new IllegalStateException("truth values have no dictionary");
    }

    @Override
    void pageEnded() {
        // the next page overwrites the bits
    }
}
