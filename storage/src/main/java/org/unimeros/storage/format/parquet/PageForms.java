package org.unimeros.storage.format.parquet;

import java.util.Arrays;

/** Brings bodies of pages that are written in rarer ways into the plain one ("Data encodings" of the format). */
final class PageForms {

    /** Much more than any page has; what asks for more is damaged. */
    private static final int LARGEST = 1 << 30;

    private PageForms() {}

    /** Values whose first bytes stand together, then their second ones, and so on (BYTE_STREAM_SPLIT). */
    static PageBytes joined(PageBytes body, int width) {
        if (width < 1 || body.left() % width != 0) {
            throw PageBytes.damaged("streams of bytes of different lengths");
        }
        int n = body.left() / width;
        int start = body.skip(body.left());
        byte[] out = new byte[n * width + PageBytes.SLACK];
        for (int b = 0; b < width; b++) {
            int from = start + b * n;
            for (int i = 0, at = b; i < n; i++, at += width) {
                out[at] = body.bytes[from + i];
            }
        }
        return new PageBytes(out, 0, n * width);
    }

    /**
     * Values of which each says how much of its start is that of the one before (DELTA_BYTE_ARRAY): all lengths of starts, all
     * lengths of rests, the rests.
     *
     * @param values how many the page has, with those that are null
     * @param withLengths whether the plain form has the length before each value
     */
    static PageBytes completed(PageBytes body, int values, boolean withLengths) {
        int[] starts = FlatColumn.lengths(new DeltaReader(body), values);
        int[] rests = FlatColumn.lengths(new DeltaReader(body), values);
        if (rests.length != starts.length) {
            throw PageBytes.damaged(starts.length + " starts of values and " + rests.length + " rests");
        }
        byte[] out = new byte[Math.max(64, body.left() * 2)];
        int at = 0;
        int last = 0;
        int lastLength = 0;
        for (int i = 0; i < starts.length; i++) {
            long length = (long) starts[i] + rests[i];
            if (starts[i] < 0 || starts[i] > lastLength || rests[i] < 0 || at + length > LARGEST) {
                throw PageBytes.damaged("a value that begins as more than there was before it");
            }
            int needed = at + 4 + (int) length + PageBytes.SLACK;
            if (needed > out.length) {
                out = Arrays.copyOf(out, Math.max(needed, out.length * 2));
            }
            if (withLengths) {
                PageBytes.INTS.set(out, at, (int) length);
                at += 4;
            }
            System.arraycopy(out, last, out, at, starts[i]);
            System.arraycopy(body.bytes, body.skip(rests[i]), out, at + starts[i], rests[i]);
            last = at;
            lastLength = (int) length;
            at += lastLength;
        }
        return new PageBytes(out, 0, at);
    }
}
