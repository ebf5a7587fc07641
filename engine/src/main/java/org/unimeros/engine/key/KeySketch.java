package org.unimeros.engine.key;

import java.io.Serializable;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Values;

/**
 * Which keys are frequent among the rows that went by, and about how often they came, in fixed space: every bucket of
 * hashes keeps the key that is ahead in it (R. S. Boyer and J S. Moore, "MJRTY", 1991, per bucket). A key that makes up
 * more than a thousandth of the rows is nearly always found; its count is never too high. While no key is frequent, one
 * batch in eight is looked at, so that a count can lack what went by before.
 */
public final class KeySketch implements Serializable {

    private static final int BUCKETS = 2048;
    /** Keys that came less often are of no interest, and not written down. */
    private static final int LEAST = 64;
    /** Where fewer rows of a batch than one in so many have a key that is ahead, the next batches are left out. */
    private static final int RARE = 1024;

    private static final int LEFT_OUT = 7;
    /** A key is told, and not handed on. */
    private static final int MOST_TEXT = 200;

    private final List<DataType> types;
    private final boolean hasNulls;
    private final long[] keys = new long[BUCKETS];
    private final long[] ahead = new long[BUCKETS];
    private final long[] counts = new long[BUCKETS];
    private final String[] texts = new String[BUCKETS];
    private long rows;
    private int leftOut = LEFT_OUT;
    private boolean areRare;

    /**
     * @param types of the columns of a key
     * @param hasNulls whether a null is a key like others; else a key with a null in it matches nothing and is not counted
     */
    public KeySketch(List<DataType> types, boolean hasNulls) {
        this.types = types;
        this.hasNulls = hasNulls;
    }

    /** A frequent key: how it reads, and how often it came at least. */
    public record Frequent(String text, long count) {}

    /** Adds rows by the hashes of their keys. */
    public void add(long[] hashes, int n, Column... columns) {
        rows += n;
        if (areRare && leftOut < LEFT_OUT) {
            leftOut++;
            return;
        }
        leftOut = 0;
        long[] nulls = hasNulls ? null : Column.nullsInAny(columns, n);
        int hits = 0;
        for (int i = 0; i < n; i++) {
            long hash = hashes[i];
            int bucket = (int) (hash >>> 20) & BUCKETS - 1;
            if (keys[bucket] == hash) {
                hits++;
                ahead[bucket]++;
                if (++counts[bucket] == LEAST && (nulls == null || !Bits.get(nulls, i))) {
                    texts[bucket] = text(columns, i);
                }
            } else if (ahead[bucket] == 0) {
                keys[bucket] = hash;
                ahead[bucket] = 1;
                counts[bucket] = 1;
                texts[bucket] = null;
            } else {
                ahead[bucket]--;
            }
        }
        areRare = hits < n / RARE;
    }

    private String text(Column[] columns, int row) {
        List<String> parts = new ArrayList<>();
        for (int c = 0; c < columns.length; c++) {
            parts.add(Values.literal(Values.get(columns[c], row, types.get(c))));
        }
        String text = String.join(", ", parts);
        return text.length() <= MOST_TEXT ? text : text.substring(0, text.offsetByCodePoints(0, MOST_TEXT / 2)) + "…";
    }

    /** The frequent keys of several sketches together, by their hashes. */
    public static Map<Long, Frequent> merged(List<KeySketch> sketches) {
        Map<Long, Frequent> all = new HashMap<>();
        for (KeySketch sketch : sketches) {
            for (int b = 0; b < BUCKETS; b++) {
                if (sketch.texts[b] != null) {
                    Frequent one = new Frequent(sketch.texts[b], sketch.counts[b]);
                    all.merge(sketch.keys[b], one, (x, y) -> new Frequent(x.text, x.count + y.count));
                }
            }
        }
        return all;
    }

    /** Rows that went by. */
    public long rows() {
        return rows;
    }
}
