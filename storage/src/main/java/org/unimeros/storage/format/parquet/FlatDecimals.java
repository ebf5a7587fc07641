package org.unimeros.storage.format.parquet;

import java.lang.invoke.MethodHandles;
import java.lang.invoke.VarHandle;
import java.nio.ByteOrder;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.WideColumn;

/**
 * A column of decimals that are stored as bytes: unscaled values in two's complement, high byte first, all of one length or each
 * of its own. Most programs write all decimals that way, whatever their precision.
 */
final class FlatDecimals extends FlatColumn {

    private static final VarHandle BIG_LONGS = MethodHandles.byteArrayViewVarHandle(long[].class, ByteOrder.BIG_ENDIAN);

    private final DataType.Decimal type;
    /** Bytes of each value; 0 when each has a length of its own. */
    private final int fixed;

    private Unscaled dictionary;
    private int[] picked = new int[0];
    private int[] lengths = new int[0];
    private int nextLength;
    private Unscaled out;

    /**
     * Numbers in two halves.
     *
     * @param high null for decimals that fit into a long
     */
    private record Unscaled(long[] high, long[] low) {}

    FlatDecimals(Stored stored, DataType.Decimal type) {
        super(stored);
        this.type = type;
        this.fixed = stored.width();
    }

    @Override
    void dictionary(PageBytes page, int entries) {
        dictionary = room(entries);
        plain(page, dictionary, 0, entries);
    }

    private Unscaled room(int values) {
        return new Unscaled(type.isWide() ? new long[values] : null, new long[values]);
    }

    @Override
    void openDeltas(DeltaReader reader, int values) {
        lengths = lengths(reader, values);
        nextLength = 0;
    }

    @Override
    void begin(int rows) {
        out = room(rows);
        picked = picked.length < rows ? new int[rows] : picked;
    }

    @Override
    void values(Form from, int at, int n) {
        switch (from) {
            case PLAIN -> plain(plain(), out, at, n);
            case CODES -> {
                if (n > 0 && dictionary == null) {
                    throw PageBytes.damaged("codes without a dictionary");
                }
                codes().read(picked, 0, n);
                for (int i = 0; i < n; i++) {
                    out.low[at + i] = dictionary.low[picked[i]];
                }
                for (int i = 0; i < n && out.high != null; i++) {
                    out.high[at + i] = dictionary.high[picked[i]];
                }
            }
            case DELTAS -> {
                PageBytes page = deltas().rest();
                for (int i = at; i < at + n; i++) {
                    int length = lengths[nextLength++];
                    one(page.bytes, page.skip(length), length, out, i);
                }
            }
            case BITS -> throw PageBytes.damaged("truth values in a column of decimals");
        }
    }

    private void plain(PageBytes page, Unscaled to, int at, int n) {
        if (fixed == 0) {
            for (int i = at; i < at + n; i++) {
                int length = page.nextInt();
                one(page.bytes, page.skip(length), length, to, i);
            }
            return;
        }
        int start = page.skip((long) fixed * n);
        if (to.high == null && fixed <= 8) {
            int unused = 64 - 8 * fixed;
            for (int i = 0; i < n; i++) {
                to.low[at + i] = (long) BIG_LONGS.get(page.bytes, start + i * fixed) >> unused;
            }
        } else {
            for (int i = 0; i < n; i++) {
                one(page.bytes, start + i * fixed, fixed, to, at + i);
            }
        }
    }

    /** Reads one value; behind the bytes of a page there are enough to read eight anywhere. */
    private void one(byte[] bytes, int start, int length, Unscaled to, int row) {
        if (length < 1 || length > 16 && !repeatsSign(bytes, start, length)) {
            throw PageBytes.damaged("a decimal of " + length + " bytes");
        }
        long lower;
        long upper;
        if (length > 8) {
            int rest = Math.min(length, 16) - 8;
            lower = (long) BIG_LONGS.get(bytes, start + length - 8);
            upper = (long) BIG_LONGS.get(bytes, start + length - 8 - rest) >> 64 - 8 * rest;
        } else {
            lower = (long) BIG_LONGS.get(bytes, start) >> 64 - 8 * length;
            upper = lower >> 63;
        }
        to.low[row] = lower;
        if (to.high != null) {
            to.high[row] = upper;
        } else if (upper != lower >> 63) {
            throw PageBytes.damaged("a value that is longer than " + type);
        }
    }

    private static boolean repeatsSign(byte[] bytes, int start, int length) {
        int end = start + length - 16;
        for (int i = start; i < end; i++) {
            if (bytes[i] != bytes[end] >> 7) {
                return false;
            }
        }
        return true;
    }

    @Override
    void spread(long[] nulls, int at, int rows, int present) {
        int from = at + present - 1;
        for (int i = at + rows - 1; i >= at; i--) {
            boolean isNull = Bits.get(nulls, i);
            out.low[i] = isNull ? 0 : out.low[from];
            if (out.high != null) {
                out.high[i] = isNull ? 0 : out.high[from];
            }
            from -= isNull ? 0 : 1;
        }
    }

    @Override
    Column end(int rows, long[] nulls) {
        return out.high == null ? new LongColumn(out.low, nulls) : new WideColumn(out.high, out.low, nulls);
    }
}
