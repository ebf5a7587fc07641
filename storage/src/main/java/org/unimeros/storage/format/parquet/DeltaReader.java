package org.unimeros.storage.format.parquet;

/** Reads whole numbers that are written as differences in blocks ("Data encodings", DELTA_BINARY_PACKED). */
final class DeltaReader {

    private final PageBytes page;
    private final int perBlock;
    private final int miniblocks;
    private final int perMiniblock;
    private final byte[] widths;
    private int left;
    private long last;
    private boolean isFirst = true;
    private long leastDelta;
    private int miniblock;
    private int leftInMiniblock;
    private int from;
    private long bit;

    DeltaReader(PageBytes page) {
        this.page = page;
        this.perBlock = size(page.nextVarint());
        this.miniblocks = size(page.nextVarint());
        if (perBlock % 128 != 0 || miniblocks == 0 || perBlock % miniblocks != 0 || perBlock == 0) {
            throw PageBytes.damaged("blocks of " + perBlock + " differences in " + miniblocks + " parts");
        }
        this.perMiniblock = perBlock / miniblocks;
        this.widths = new byte[miniblocks];
        this.left = size(page.nextVarint());
        this.last = page.nextZigzag();
        this.miniblock = miniblocks;
    }

    private static int size(long n) {
        if (n < 0 || n > 1 << 30) {
            throw PageBytes.damaged("a number of " + n + " values in a page");
        }
        return (int) n;
    }

    /** All values that there are. */
    int count() {
        return left;
    }

    private void nextMiniblock() {
        if (++miniblock >= miniblocks) {
            leastDelta = page.nextZigzag();
            System.arraycopy(page.bytes, page.skip(miniblocks), widths, 0, miniblocks);
            miniblock = 0;
        }
        int width = widths[miniblock];
        if (width < 0 || width > 64) {
            throw PageBytes.damaged("differences of " + width + " bits");
        }
        // The last part of a page may be cut off behind its last value.
        int bytes = (int) Math.min((long) perMiniblock * width / 8, page.left());
        if (8L * bytes < (long) Math.min(left, perMiniblock) * width) {
            throw PageBytes.damaged("a page is shorter than what it should hold");
        }
        from = page.skip(bytes);
        bit = 0;
        leftInMiniblock = perMiniblock;
    }

    long next() {
        if (left == 0) {
            throw PageBytes.damaged("a page has fewer values than it says");
        }
        if (isFirst) {
            isFirst = false;
        } else {
            if (leftInMiniblock == 0) {
                nextMiniblock();
            }
            int width = widths[miniblock];
            last += leastDelta + (width == 0 ? 0 : page.bits(from, bit, width));
            bit += width;
            leftInMiniblock--;
        }
        left--;
        return last;
    }

    /** The bytes behind the last value, once all were read. */
    PageBytes rest() {
        return page;
    }
}
