package org.unimeros.storage.format.parquet;

import java.util.Arrays;

/** The body of a page while it is written. */
final class PageBuilder {

    private byte[] bytes = new byte[1 << 12];
    private int size;

    byte[] bytes() {
        return bytes;
    }

    int size() {
        return size;
    }

    /** Drops what was put behind a place. */
    void cutTo(int place) {
        size = place;
    }

    void clear() {
        size = 0;
    }

    private int reserve(int n) {
        if (bytes.length - size < n + Long.BYTES) {
            bytes = Arrays.copyOf(bytes, Math.addExact(Math.max(bytes.length, n), bytes.length));
        }
        int at = size;
        size += n;
        return at;
    }

    void putByte(int value) {
        int at = reserve(1);
        bytes[at] = (byte) value;
    }

    void putInt(int value) {
        int at = reserve(4);
        PageBytes.INTS.set(bytes, at, value);
    }

    void putLong(long value) {
        int at = reserve(8);
        PageBytes.LONGS.set(bytes, at, value);
    }

    void putBytes(byte[] from, int start, int length) {
        int at = reserve(length);
        System.arraycopy(from, start, bytes, at, length);
    }

    void putVarint(long value) {
        long rest = value;
        while ((rest & ~0x7FL) != 0) {
            putByte((int) (rest & 0x7F | 0x80));
            rest >>>= 7;
        }
        putByte((int) rest);
    }

    void putZigzag(long value) {
        putVarint(value << 1 ^ value >> 63);
    }

    /** Numbers of a width of up to 64 bits, packed from the lowest bit on; a whole number of bytes. */
    void putPacked(long[] values, int from, int n, int width) {
        int at = reserve((n * width + 7) / 8);
        long open = 0;
        int filled = 0;
        for (int i = from; i < from + n; i++) {
            open |= values[i] << filled;
            filled += width;
            if (filled >= 64) {
                PageBytes.LONGS.set(bytes, at, open);
                at += 8;
                filled -= 64;
                open = filled == 0 ? 0 : values[i] >>> width - filled;
            }
        }
        for (; filled > 0; filled -= 8) {
            bytes[at++] = (byte) open;
            open >>>= 8;
        }
    }

    /**
     * Numbers as runs of one value and packed groups of eight ("Data encodings", RLE and bit-packing hybrid). A run is
     * written as such from eight equal values on.
     */
    void putRuns(int[] values, int n, int width) {
        long[] packed = new long[PACKED_AT_ONCE];
        int waiting = 0;
        int at = 0;
        while (at < n) {
            int run = 1;
            while (at + run < n && values[at + run] == values[at]) {
                run++;
            }
            // Groups are of eight, so that a run first fills up the open one.
            while (run > 0 && (waiting % 8 != 0 || run < 8)) {
                packed[waiting++] = values[at++] & 0xFFFFFFFFL;
                run--;
                if (waiting == PACKED_AT_ONCE) {
                    putGroups(packed, waiting, width);
                    waiting = 0;
                }
            }
            if (run >= 8) {
                putGroups(packed, waiting, width);
                waiting = 0;
                putVarint((long) run << 1);
                for (int shift = 0; shift < width; shift += 8) {
                    putByte(values[at] >>> shift);
                }
                at += run;
            }
        }
        putGroups(packed, waiting, width);
    }

    private static final int PACKED_AT_ONCE = 504;

    private void putGroups(long[] values, int n, int width) {
        if (n > 0) {
            int groups = (n + 7) / 8;
            Arrays.fill(values, n, groups * 8, 0);
            putVarint((long) groups << 1 | 1);
            putPacked(values, 0, groups * 8, width);
        }
    }

    /** Whole numbers as differences, in blocks of 128 of four parts each ("Data encodings", DELTA_BINARY_PACKED). */
    void putDeltas(long[] values, int n) {
        putVarint(BLOCK);
        putVarint(MINIBLOCKS);
        putVarint(n);
        putZigzag(n == 0 ? 0 : values[0]);
        long[] deltas = new long[BLOCK];
        int per = BLOCK / MINIBLOCKS;
        for (int from = 1; from < n; from += BLOCK) {
            int count = Math.min(BLOCK, n - from);
            long least = Long.MAX_VALUE;
            for (int i = 0; i < count; i++) {
                deltas[i] = values[from + i] - values[from + i - 1];
                least = Math.min(least, deltas[i]);
            }
            for (int i = 0; i < count; i++) {
                deltas[i] -= least;
            }
            Arrays.fill(deltas, count, BLOCK, 0);
            putZigzag(least);
            int[] widths = new int[MINIBLOCKS];
            for (int m = 0; m < MINIBLOCKS; m++) {
                long all = 0;
                for (int i = m * per; i < (m + 1) * per; i++) {
                    all |= deltas[i];
                }
                widths[m] = 64 - Long.numberOfLeadingZeros(all);
                putByte(widths[m]);
            }
            for (int m = 0; m * per < count; m++) {
                if (widths[m] > 0) {
                    putPacked(deltas, m * per, per, widths[m]);
                }
            }
        }
    }

    private static final int BLOCK = 128;
    private static final int MINIBLOCKS = 4;
}
