package org.unimeros.storage.format.parquet;

import dev.hardwood.metadata.ColumnChunk;
import dev.hardwood.metadata.ColumnMetaData;
import dev.hardwood.metadata.RowGroup;
import dev.hardwood.schema.ColumnSchema;
import org.unimeros.engine.error.BadData;
import org.unimeros.storage.format.DataFile;

/**
 * Holds what a footer says against itself and against the file, before anything is read by it: a reader that believes a
 * wrong number of rows waits for rows that never come.
 */
final class FooterCheck {

    private FooterCheck() {}

    /** Fails when the footer cannot be true. */
    static void require(DataFile file, ParquetFormat.Footer footer) {
        long rows = 0;
        for (RowGroup group : footer.meta().rowGroups()) {
            rows += group.numRows();
            requireThat(group.numRows() >= 0, file, "a row group has " + group.numRows() + " rows");
            requireThat(
                    group.columns().size() == footer.schema().getColumnCount(),
                    file,
                    "a row group has " + group.columns().size() + " columns, the schema "
                            + footer.schema().getColumnCount());
            for (int c = 0; c < group.columns().size(); c++) {
                chunk(file, group, group.columns().get(c), footer.schema().getColumn(c));
            }
        }
        requireThat(
                rows == footer.meta().numRows(),
                file,
                "it claims " + footer.meta().numRows() + " rows, but its row groups have " + rows);
    }

    private static void chunk(DataFile file, RowGroup group, ColumnChunk chunk, ColumnSchema column) {
        ColumnMetaData meta = chunk.metaData();
        boolean flat = column.maxRepetitionLevel() == 0;
        requireThat(
                !flat || meta.numValues() == group.numRows(),
                file,
                "column " + column.name() + " has " + meta.numValues() + " values in a group of " + group.numRows()
                        + " rows");
        long start = chunk.chunkStartOffset();
        boolean inFile =
                start >= 4 && meta.totalCompressedSize() >= 0 && start + meta.totalCompressedSize() <= file.bytes();
        requireThat(inFile, file, "column " + column.name() + " lies outside the file");
    }

    private static void requireThat(boolean holds, DataFile file, String otherwise) {
        if (!holds) {
            throw ParquetFormat.broken(file, new IllegalStateException(otherwise));
        }
    }

    /** The most specific thing that is known of why a file could not be read. */
    static BadData asBadData(DataFile file, Exception e) {
        return e instanceof BadData bad ? bad : ParquetFormat.broken(file, e);
    }
}
