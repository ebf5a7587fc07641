package org.unimeros.storage.format.parquet;

import java.io.IOException;
import java.util.Arrays;
import org.apache.parquet.bytes.BytesInput;
import org.apache.parquet.column.ColumnDescriptor;
import org.apache.parquet.column.Encoding;
import org.apache.parquet.column.page.DictionaryPage;
import org.apache.parquet.column.statistics.Statistics;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;

/**
 * Writes a column of one value per row into the pages of a row group. Values go into a dictionary; when the first page shows
 * that most are different, or the dictionary gets large, the rest is written plainly, whole numbers as differences.
 */
abstract class FlatWriter {

    static final int PAGE_ROWS = 20_000;
    private static final int PAGE_BYTES = 1 << 20;
    private static final int FIRST_ROWS = 512;
    /** So many values show whether a dictionary pays. */
    private static final int TRIAL_VALUES = 4096;

    private static final int LARGEST_DICTIONARY = 1 << 16;
    private static final int LARGEST_DICTIONARY_BYTES = 1 << 20;

    final PageBuilder body = new PageBuilder();
    /** The codes of the values of the open page, while there is a dictionary. */
    int[] codes = new int[FIRST_ROWS];

    private final ColumnDescriptor column;
    private final ChunkBuffer chunk;
    private int[] levels = new int[FIRST_ROWS];
    private int rows;
    private int values;
    private boolean hasDictionary;
    private int entriesInPages;
    private boolean isTried;

    FlatWriter(ColumnDescriptor column, ChunkBuffer chunk, boolean hasDictionary) {
        this.column = column;
        this.chunk = chunk;
        this.hasDictionary = hasDictionary;
    }

    static boolean canWrite(DataType type) {
        return switch (type.physical()) {
            case INTS, LONGS, DOUBLES, BYTES, BITS -> true;
            case WIDE, LIST, STRUCT -> false;
        };
    }

    /** The writer for a type that {@linkplain #canWrite can be written}. */
    static FlatWriter of(DataType type, ColumnDescriptor column, ChunkBuffer chunk) {
        return switch (type.physical()) {
            case INTS, LONGS, DOUBLES -> new FlatWordWriter(type, column, chunk);
            case BYTES -> new FlatTextWriter(column, chunk);
            case BITS -> new FlatBitWriter(column, chunk);
            case WIDE, LIST, STRUCT -> throw new IllegalStateException(type + " is not written here");
        };
    }

    /** Adds the rows of a range. */
    final void write(Column from, int start, int end) throws IOException {
        begin(from);
        for (int row = start; row < end; row++) {
            if (rows == levels.length) {
                levels = Arrays.copyOf(levels, 2 * rows);
                codes = Arrays.copyOf(codes, 2 * rows);
            }
            if (from.isNull(row)) {
                levels[rows++] = 0;
            } else {
                levels[rows++] = 1;
                add(row, values, hasDictionary);
                values++;
                if (values == TRIAL_VALUES && !isTried) {
                    isTried = true;
                    dropUnless(entries() <= values / 2);
                }
            }
            if (hasDictionary) {
                dropUnless(entryBytes() <= LARGEST_DICTIONARY_BYTES && entries() <= LARGEST_DICTIONARY);
            }
            if (rows == PAGE_ROWS || pageBytes() >= PAGE_BYTES) {
                endPage();
            }
        }
    }

    /** Does without the dictionary from the open page on, unless it is worth it. */
    private void dropUnless(boolean isWorthIt) {
        if (hasDictionary && !isWorthIt) {
            hasDictionary = false;
            expand(values);
        }
    }

    /** Replaces the codes of the open page by the values that they stand for. */
    abstract void expand(int count);

    /** Bytes of the open page, beyond its codes. */
    abstract long pageBytes();

    /** Rows of this column are to come. */
    abstract void begin(Column from);

    /** Adds the value of a row as value number {@code at} of the page: its code, or itself. */
    abstract void add(int row, int at, boolean asCode);

    abstract int entries();

    abstract long entryBytes();

    /** The statistics of the values that codes or {@link #add} brought into the open page. */
    abstract void addStatistics(Statistics<?> to, int count, boolean asCodes);

    /** Puts the values of a page without codes into the body. */
    abstract Encoding putValues(int count);

    /** Puts the first entries of the dictionary into the body. */
    abstract void putEntries(int count);

    private void endPage() throws IOException {
        if (rows == 0) {
            return;
        }
        if (!isTried && entriesInPages == 0) {
            dropUnless(entries() <= values / 2 + 1);
        }
        body.clear();
        if (column.getMaxDefinitionLevel() > 0) {
            PageBuilder present = new PageBuilder();
            present.putRuns(levels, rows, 1);
            body.putInt(present.size());
            body.putBytes(present.bytes(), 0, present.size());
        }
        Encoding encoding = Encoding.RLE_DICTIONARY;
        // As long as all values are null there is no dictionary that codes could refer to.
        if (hasDictionary && entries() > 0) {
            entriesInPages = entries();
            int width = 32 - Integer.numberOfLeadingZeros(Math.max(0, entriesInPages - 1));
            body.putByte(width);
            body.putRuns(codes, values, width);
        } else {
            encoding = putValues(values);
        }
        Statistics<?> statistics = Statistics.createStats(column.getPrimitiveType());
        statistics.incrementNumNulls(rows - values);
        addStatistics(statistics, values, hasDictionary);
        chunk.writePage(
                BytesInput.from(body.bytes(), 0, body.size()), rows, statistics, Encoding.RLE, Encoding.RLE, encoding);
        rows = 0;
        values = 0;
        pageEnded();
    }

    /** The open page is written. */
    abstract void pageEnded();

    /** Ends the last page and writes the dictionary. */
    final ChunkBuffer finish() throws IOException {
        endPage();
        if (entriesInPages > 0) {
            body.clear();
            putEntries(entriesInPages);
            chunk.writeDictionaryPage(
                    new DictionaryPage(BytesInput.from(body.bytes(), 0, body.size()), entriesInPages, Encoding.PLAIN));
        }
        return chunk;
    }

    /** Bytes in memory for this column. */
    final long bufferedBytes() {
        return chunk.size() + pageBytes() + entryBytes() + 4L * values;
    }
}
