package org.unimeros.storage.format.parquet;

import java.util.Arrays;

/**
 * Reads numbers of a fixed width that are written as runs of one value and groups of eight packed ones, as the levels and
 * dictionary codes of Parquet are ("Data encodings", RLE and bit-packing hybrid).
 */
final class RunReader {

    private final PageBytes page;
    private final int width;
    private boolean packed;
    private int left;
    private int value;
    private int packedFrom;
    private long packedBit;

    RunReader(PageBytes page, int width) {
        if (width < 0 || width > 32) {
            throw PageBytes.damaged("numbers of " + width + " bits in a page");
        }
        this.page = page;
        this.width = width;
    }

    private void nextRun() {
        long header = page.nextVarint();
        packed = (header & 1) == 1;
        long length = header >>> 1;
        if (length <= 0 || length > Integer.MAX_VALUE / 8) {
            throw PageBytes.damaged("a run of " + length + " values in a page");
        }
        if (packed) {
            left = (int) length * 8;
            // The last group may be cut off behind its last value.
            packedFrom = page.skip(Math.min(length * width, page.left()));
            packedBit = 0;
        } else {
            left = (int) length;
            int bytes = (width + 7) / 8;
            value = bytes == 0 ? 0 : (int) page.bits(page.skip(bytes), 0, bytes * 8);
        }
    }

    /** Reads the next values. */
    void read(int[] out, int from, int n) {
        int at = from;
        int end = from + n;
        while (at < end) {
            if (left == 0) {
                nextRun();
            }
            int k = Math.min(left, end - at);
            if (packed) {
                unpack(out, at, k);
            } else {
                Arrays.fill(out, at, at + k, value);
            }
            at += k;
            left -= k;
        }
    }

    private void unpack(int[] out, int from, int n) {
        if (width == 0) {
            Arrays.fill(out, from, from + n, 0);
            return;
        }
        byte[] bytes = page.bytes;
        long bit = packedBit + 8L * packedFrom;
        if (bit + (long) width * n > 8L * page.end) {
            throw PageBytes.damaged("a page is shorter than what it should hold");
        }
        long mask = (1L << width) - 1;
        for (int i = from; i < from + n; i++) {
            out[i] = (int) ((long) PageBytes.LONGS.get(bytes, (int) (bit >>> 3)) >>> (bit & 7) & mask);
            bit += width;
        }
        packedBit += (long) width * n;
    }

    /** How many of the next values, up to a number, are certainly this one; they are passed over. */
    int skipEqual(int wanted, int most) {
        if (left == 0) {
            nextRun();
        }
        if (packed || value != wanted) {
            return 0;
        }
        int n = Math.min(left, most);
        left -= n;
        return n;
    }
}
