package org.unimeros.storage.format.parquet;

import java.util.Arrays;
import org.apache.parquet.column.ColumnDescriptor;
import org.apache.parquet.column.Encoding;
import org.apache.parquet.column.statistics.Statistics;
import org.apache.parquet.io.api.Binary;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.TextColumn;

/** Writes texts and bytes. Of a column that comes in codes, each entry is looked up once a batch. */
final class FlatTextWriter extends FlatWriter {

    /** Values one behind the other: where each begins, and their bytes. */
    private static final class Values {
        private int[] starts = new int[257];
        private byte[] bytes = new byte[1 << 12];
        private int size;

        void add(byte[] from, int start, int length) {
            if (size + 2 > starts.length) {
                starts = Arrays.copyOf(starts, 2 * starts.length);
            }
            int at = starts[size];
            if (bytes.length - at < length) {
                bytes = Arrays.copyOf(bytes, Math.addExact(Math.max(bytes.length, length), bytes.length));
            }
            System.arraycopy(from, start, bytes, at, length);
            starts[++size] = at + length;
        }

        int length(int i) {
            return starts[i + 1] - starts[i];
        }

        boolean holds(int i, byte[] other, int start, int length) {
            return Arrays.equals(bytes, starts[i], starts[i + 1], other, start, start + length);
        }
    }

    private final Values entries = new Values();
    private final Values page = new Values();
    private int[] places = new int[1024];
    private int[] hashes = new int[256];
    /** Entries that have been looked at for the bounds of the column. */
    private int described;

    private TextColumn from;
    private int[] codeOfId = new int[0];

    FlatTextWriter(ColumnDescriptor column, ChunkBuffer chunk) {
        super(column, chunk, true);
    }

    @Override
    void begin(Column column) {
        from = (TextColumn) column;
        if (from.ids() != null) {
            if (codeOfId.length < from.entries()) {
                codeOfId = new int[from.entries()];
            }
            Arrays.fill(codeOfId, 0, from.entries(), -1);
        }
    }

    @Override
    void add(int row, int at, boolean asCode) {
        if (!asCode) {
            page.add(from.bytes(), from.start(row), from.end(row) - from.start(row));
        } else if (from.ids() == null) {
            codes[at] = code(from.bytes(), from.start(row), from.end(row));
        } else {
            int id = from.ids()[row];
            if (codeOfId[id] < 0) {
                codeOfId[id] = code(from.bytes(), from.start(row), from.end(row));
            }
            codes[at] = codeOfId[id];
        }
    }

    @Override
    void expand(int count) {
        for (int i = 0; i < count; i++) {
            page.add(entries.bytes, entries.starts[codes[i]], entries.length(codes[i]));
        }
    }

    private int code(byte[] bytes, int start, int end) {
        int hash = hash(bytes, start, end);
        int mask = places.length - 1;
        int place = hash & mask;
        while (places[place] != 0) {
            int entry = places[place] - 1;
            if (hashes[entry] == hash && entries.holds(entry, bytes, start, end - start)) {
                return entry;
            }
            place = place + 1 & mask;
        }
        int entry = entries.size;
        places[place] = entry + 1;
        if (entry == hashes.length) {
            hashes = Arrays.copyOf(hashes, 2 * entry);
        }
        hashes[entry] = hash;
        entries.add(bytes, start, end - start);
        if (2 * entries.size > places.length) {
            rehash();
        }
        return entry;
    }

    private static int hash(byte[] bytes, int start, int end) {
        long hash = end - start;
        int i = start;
        for (; i + 8 <= end; i += 8) {
            hash = (hash ^ (long) PageBytes.LONGS.get(bytes, i)) * 0x9E3779B97F4A7C15L;
            hash ^= hash >>> 32;
        }
        for (; i < end; i++) {
            hash = (hash ^ bytes[i]) * 0x9E3779B97F4A7C15L;
        }
        return (int) (hash >>> 32);
    }

    private void rehash() {
        places = new int[2 * places.length];
        int mask = places.length - 1;
        for (int i = 0; i < entries.size; i++) {
            int place = hashes[i] & mask;
            while (places[place] != 0) {
                place = place + 1 & mask;
            }
            places[place] = i + 1;
        }
    }

    @Override
    long pageBytes() {
        return page.starts[page.size];
    }

    @Override
    int entries() {
        return entries.size;
    }

    @Override
    long entryBytes() {
        return entries.starts[entries.size] + 4L * entries.size;
    }

    @Override
    void addStatistics(Statistics<?> to, int count, boolean asCodes) {
        // Of a dictionary only the entries that came with this page say something new.
        Values of = asCodes ? entries : page;
        int least = asCodes ? described : 0;
        if (count == 0 || least == of.size) {
            return;
        }
        int most = least;
        for (int i = least + 1; i < of.size; i++) {
            least = compare(of, i, least) < 0 ? i : least;
            most = compare(of, i, most) > 0 ? i : most;
        }
        described = asCodes ? of.size : described;
        to.updateStats(value(of, least));
        to.updateStats(value(of, most));
    }

    private static Binary value(Values of, int i) {
        return Binary.fromReusedByteArray(of.bytes, of.starts[i], of.length(i)).copy();
    }

    private static int compare(Values of, int a, int b) {
        return Arrays.compareUnsigned(
                of.bytes, of.starts[a], of.starts[a + 1], of.bytes, of.starts[b], of.starts[b + 1]);
    }

    @Override
    Encoding putValues(int count) {
        for (int i = 0; i < count; i++) {
            put(page, i);
        }
        return Encoding.PLAIN;
    }

    private void put(Values of, int i) {
        body.putInt(of.length(i));
        body.putBytes(of.bytes, of.starts[i], of.length(i));
    }

    @Override
    void putEntries(int count) {
        for (int i = 0; i < count; i++) {
            put(entries, i);
        }
    }

    @Override
    void pageEnded() {
        page.size = 0;
    }
}
