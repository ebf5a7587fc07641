package org.unimeros.storage.format.parquet;

import java.util.Arrays;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.TextColumn;

/** A column of texts or bytes. Where all rows that are read together come from a small dictionary they stay codes. */
final class FlatTexts extends FlatColumn {

    /** With more entries than a batch has rows, a dictionary costs its readers more than it saves. */
    private static final int LARGEST_KEPT = Batch.TARGET_ROWS;

    /** Bytes of each value; 0 when each has a length of its own. */
    private final int fixed;

    private TextColumn dictionary;
    private int entries;
    private int[] lengths = new int[0];
    private int nextLength;

    private int[] ids;
    private boolean onlyCodes;
    private int[] sizes = new int[0];
    private byte[] bytes = new byte[1 << 12];
    private int used;

    FlatTexts(Stored stored) {
        super(stored);
        this.fixed = stored.width();
    }

    @Override
    void dictionary(PageBytes page, int count) {
        int[] offsets = new int[count + 1];
        byte[] all = new byte[page.left()];
        for (int i = 0; i < count; i++) {
            int length = length(page);
            System.arraycopy(page.bytes, page.skip(length), all, offsets[i], length);
            offsets[i + 1] = offsets[i] + length;
        }
        dictionary = new TextColumn(Arrays.copyOf(all, offsets[count]), offsets, null);
        entries = count;
    }

    private int length(PageBytes page) {
        return fixed > 0 ? fixed : page.nextInt();
    }

    /** The lengths of all values of the page come first, then their bytes. */
    @Override
    void openDeltas(DeltaReader reader, int values) {
        lengths = lengths(reader, values);
        nextLength = 0;
    }

    @Override
    void begin(int rows) {
        ids = new int[rows];
        onlyCodes = dictionary == null || entries <= LARGEST_KEPT;
        used = 0;
        if (sizes.length < rows) {
            sizes = new int[rows];
        }
    }

    @Override
    void values(Form from, int at, int n) {
        if (from == Form.CODES && n > 0 && dictionary == null) {
            throw PageBytes.damaged("codes without a dictionary");
        }
        boolean keeps = onlyCodes && (n == 0 || from == Form.CODES && entries <= LARGEST_KEPT);
        if (!keeps && onlyCodes) {
            onlyCodes = false;
            expand(0, at);
        }
        switch (from) {
            case CODES -> {
                codes().read(ids, at, n);
                for (int i = at; i < at + n; i++) {
                    if (ids[i] < 0 || ids[i] >= entries) {
                        throw PageBytes.damaged("a code outside the dictionary");
                    }
                }
                if (!onlyCodes) {
                    expand(at, n);
                }
            }
            case PLAIN -> {
                PageBytes page = plain();
                for (int i = at; i < at + n; i++) {
                    int length = length(page);
                    add(page.bytes, page.skip(length), length, i);
                }
            }
            case DELTAS -> {
                PageBytes page = deltas().rest();
                for (int i = at; i < at + n; i++) {
                    int length = lengths[nextLength++];
                    add(page.bytes, page.skip(length), length, i);
                }
            }
            case BITS -> throw PageBytes.damaged("truth values in a column of texts");
        }
    }

    /** Copies the values that some codes stand for. */
    private void expand(int at, int n) {
        for (int i = at; i < at + n; i++) {
            if (entries == 0) {
                sizes[i] = 0;
            } else {
                int start = dictionary.start(ids[i]);
                add(dictionary.bytes(), start, dictionary.end(ids[i]) - start, i);
            }
        }
    }

    private void add(byte[] from, int start, int length, int row) {
        if (bytes.length - used < length) {
            bytes = Arrays.copyOf(bytes, Math.addExact(Math.max(bytes.length, length), bytes.length));
        }
        System.arraycopy(from, start, bytes, used, length);
        sizes[row] = length;
        used += length;
    }

    @Override
    void spread(long[] nulls, int at, int rows, int present) {
        int from = at + present - 1;
        for (int i = at + rows - 1; i >= at; i--) {
            boolean isNull = Bits.get(nulls, i);
            ids[i] = isNull ? 0 : ids[from];
            if (!onlyCodes) {
                sizes[i] = isNull ? 0 : sizes[from];
            }
            from -= isNull ? 0 : 1;
        }
    }

    @Override
    Column end(int rows, long[] nulls) {
        if (onlyCodes && dictionary != null && entries > 0) {
            return TextColumn.encoded(ids, dictionary, entries, nulls);
        }
        // Values stand in the order of their rows without gaps, so that their sizes say where they are.
        int[] offsets = new int[rows + 1];
        for (int i = 0; i < rows && !onlyCodes; i++) {
            offsets[i + 1] = offsets[i] + sizes[i];
        }
        return new TextColumn(Arrays.copyOf(bytes, offsets[rows]), offsets, nulls);
    }
}
