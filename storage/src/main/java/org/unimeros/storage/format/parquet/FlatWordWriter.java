package org.unimeros.storage.format.parquet;

import java.util.Arrays;
import org.apache.parquet.column.ColumnDescriptor;
import org.apache.parquet.column.Encoding;
import org.apache.parquet.column.statistics.Statistics;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DoubleColumn;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.LongColumn;

/** Writes numbers. Each is a word of 64 bits here: whole numbers as they are, others by their bits. */
final class FlatWordWriter extends FlatWriter {

    /** Where the numbers of a page are farther apart, differences of 32 bits could overflow. */
    private static final long WIDEST_INTS = 1L << 30;

    private final boolean isFloating;
    private final int bytesPerValue;
    private long[] page = new long[0];
    private long[] entries = new long[256];
    private int size;
    /** Numbers of entries plus one, by the hash of their word; a power of two of places. */
    private int[] places = new int[1024];

    /** Entries that have been looked at for the bounds of the column. */
    private int described;

    private int[] ints;
    private long[] longs;
    private double[] doubles;

    FlatWordWriter(DataType type, ColumnDescriptor column, ChunkBuffer chunk) {
        super(column, chunk, true);
        this.isFloating = type.isFloating();
        this.bytesPerValue = type.physical() == DataType.Physical.INTS || type == DataType.FLOAT ? 4 : 8;
    }

    @Override
    void begin(Column from) {
        ints = from instanceof IntColumn c ? c.values() : null;
        longs = from instanceof LongColumn c ? c.values() : null;
        doubles = from instanceof DoubleColumn c ? c.values() : null;
    }

    private long word(int row) {
        if (ints != null) {
            return ints[row];
        }
        if (longs != null) {
            return longs[row];
        }
        return bytesPerValue == 4
                ? Float.floatToRawIntBits((float) doubles[row])
                : Double.doubleToRawLongBits(doubles[row]);
    }

    @Override
    void add(int row, int at, boolean asCode) {
        if (asCode) {
            codes[at] = code(word(row));
        } else {
            if (at == page.length) {
                page = Arrays.copyOf(page, Math.max(1024, 2 * at));
            }
            page[at] = word(row);
        }
    }

    private int code(long word) {
        int mask = places.length - 1;
        long hash = word * 0x9E3779B97F4A7C15L;
        int place = (int) (hash >>> 32) & mask;
        while (places[place] != 0) {
            int entry = places[place] - 1;
            if (entries[entry] == word) {
                return entry;
            }
            place = place + 1 & mask;
        }
        places[place] = size + 1;
        if (size == entries.length) {
            entries = Arrays.copyOf(entries, 2 * size);
        }
        entries[size++] = word;
        if (2 * size > places.length) {
            rehash();
        }
        return size - 1;
    }

    private void rehash() {
        places = new int[2 * places.length];
        int mask = places.length - 1;
        for (int i = 0; i < size; i++) {
            int place = (int) (entries[i] * 0x9E3779B97F4A7C15L >>> 32) & mask;
            while (places[place] != 0) {
                place = place + 1 & mask;
            }
            places[place] = i + 1;
        }
    }

    @Override
    long pageBytes() {
        return 0;
    }

    @Override
    int entries() {
        return size;
    }

    @Override
    long entryBytes() {
        return (long) bytesPerValue * size;
    }

    @Override
    void expand(int count) {
        page = new long[codes.length];
        for (int i = 0; i < count; i++) {
            page[i] = entries[codes[i]];
        }
    }

    @Override
    void addStatistics(Statistics<?> to, int count, boolean asCodes) {
        if (count == 0) {
            return;
        }
        // Of a dictionary only the entries that came with this page say something new.
        long[] words = asCodes ? entries : page;
        int from = asCodes ? described : 0;
        int end = asCodes ? size : count;
        described = asCodes ? size : described;
        if (from == end) {
            return;
        }
        if (isFloating) {
            addDoubles(to, words, from, end);
            return;
        }
        long least = words[from];
        long most = words[from];
        for (int i = from + 1; i < end; i++) {
            least = Math.min(least, words[i]);
            most = Math.max(most, words[i]);
        }
        if (bytesPerValue == 4) {
            to.updateStats((int) least);
            to.updateStats((int) most);
        } else {
            to.updateStats(least);
            to.updateStats(most);
        }
    }

    private double number(long word) {
        return bytesPerValue == 4 ? Float.intBitsToFloat((int) word) : Double.longBitsToDouble(word);
    }

    /** The order is that of {@link Double#compare}: a page with NaN has it as its greatest value. */
    private void addDoubles(Statistics<?> to, long[] words, int from, int end) {
        double least = number(words[from]);
        double most = least;
        for (int i = from + 1; i < end; i++) {
            double value = number(words[i]);
            least = Double.compare(value, least) < 0 ? value : least;
            most = Double.compare(value, most) > 0 ? value : most;
        }
        if (bytesPerValue == 4) {
            to.updateStats((float) least);
            to.updateStats((float) most);
        } else {
            to.updateStats(least);
            to.updateStats(most);
        }
    }

    @Override
    Encoding putValues(int count) {
        int before = body.size();
        if (!isFloating && canDiffer(count)) {
            body.putDeltas(page, count);
            if (body.size() - before < (long) bytesPerValue * count) {
                return Encoding.DELTA_BINARY_PACKED;
            }
            body.cutTo(before);
        }
        put(page, count);
        return Encoding.PLAIN;
    }

    private boolean canDiffer(int count) {
        long least = Long.MAX_VALUE;
        long most = Long.MIN_VALUE;
        for (int i = 0; i < count; i++) {
            least = Math.min(least, page[i]);
            most = Math.max(most, page[i]);
        }
        return count > 0 && (bytesPerValue == 8 || most - least < WIDEST_INTS);
    }

    private void put(long[] words, int count) {
        if (bytesPerValue == 4) {
            for (int i = 0; i < count; i++) {
                body.putInt((int) words[i]);
            }
        } else {
            for (int i = 0; i < count; i++) {
                body.putLong(words[i]);
            }
        }
    }

    @Override
    void putEntries(int count) {
        put(entries, count);
    }

    @Override
    void pageEnded() {
        // the next page overwrites the values
    }
}
