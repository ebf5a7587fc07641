package org.unimeros.engine.key;

import java.util.Arrays;
import org.unimeros.engine.data.Bits;

/**
 * Puts the rows of a large table with whole-number keys in the order of the places that their keys get, and makes {@link SettledKeys} of them.
 * The rows are divided by the upper bits of their places first, and then one share of the places is filled after the other, each of which
 * stays in the cache meanwhile (after S. Manegold, P. Boncz, M. Kersten, "Optimizing main-memory join on modern hardware", 2002). Rows
 * and shares are pieces of {@link JointWork}.
 */
public final class SettledKeysBuilder {

    /** The places of fewer keys take no more memory than a processor has cache for itself, and are not worth it. */
    public static final int LEAST_KEYS = 1 << 19;
    /** At the least; a table is between a quarter and half full. */
    private static final int PLACES_PER_KEY = 2;
    /** Places whose keys stay in the cache. */
    private static final int SHARE_BITS = 15;
    /**
     * Of four places of a share, how many its keys may take. Half of them are foreseen, and the sample is never so far off by chance; where
     * keys were chosen for it, each further one would go through the whole share to find a place.
     */
    private static final int MOST_TAKEN_OF_FOUR = 3;
    /** More cannot be written to side by side. */
    private static final int MOST_SHARE_BITS = 9;

    private static final int ROWS_PER_PIECE = 1 << 16;
    /** One key in 64 is counted to know how many there are. */
    private static final int SAMPLE_BITS = 6;

    private final long[] wanted;
    /** The row of each key; null where none has been left out. */
    private final int[] rowOfKey;

    private final int count;
    private final JointWork work;

    private long[] keys;
    private long unused;
    private int shareBits;
    /** Where the keys of each share begin, and behind them where all end. */
    private int[] shareStarts;
    /** Keys by share, in the order of their rows. */
    private long[] divided;

    private int[] rows;
    /** The place of each of them; while shares are filled, -1 where its own is full to its end. */
    private int[] places;
    /** How many different keys each share has, and how many of its rows have their places behind it. */
    private int[] keysIn;

    private int[] beyond;
    private int keyCount;
    private CountedBits taken;

    /**
     * What it comes to.
     *
     * @param keys to find the number of a key
     * @param count how many keys there are
     * @param order the rows by the numbers of their keys, those of a key in the order in which they came, without null keys
     * @param starts where the rows of each key begin, and behind them where all end; null where each row has a key of its own
     */
    public record Settled(SettledKeys keys, int count, int[] order, int[] starts) {}

    private SettledKeysBuilder(long[] wanted, int[] rowOfKey, int count, JointWork work) {
        this.wanted = wanted;
        this.rowOfKey = rowOfKey;
        this.count = count;
        this.work = work;
    }

    /**
     * Settles the keys of some rows.
     *
     * @param nulls rows without a key, or null
     * @return null where there are fewer than {@link #LEAST_KEYS}, about, or far more than the sample tells of, or where they crowd at the
     *     ends of their shares; what keys can be chosen for
     */
    public static Settled of(long[] wanted, long[] nulls, int rows, JointWork work) {
        SettledKeysBuilder settling = nulls == null || !Bits.any(nulls, rows)
                ? new SettledKeysBuilder(wanted, null, rows, work)
                : withoutNulls(wanted, nulls, rows, work);
        return settling.settled();
    }

    private static SettledKeysBuilder withoutNulls(long[] wanted, long[] nulls, int rows, JointWork work) {
        long[] present = new long[rows];
        int[] rowOfKey = new int[rows];
        int n = 0;
        for (int row = 0; row < rows; row++) {
            present[n] = wanted[row];
            rowOfKey[n] = row;
            n += Bits.get(nulls, row) ? 0 : 1;
        }
        return new SettledKeysBuilder(present, rowOfKey, n, work);
    }

    private Settled settled() {
        int expected = expectedKeys();
        if (expected < LEAST_KEYS) {
            return null;
        }
        int length = (int) Math.min(2L * PLACES_PER_KEY * Integer.highestOneBit(expected - 1), 1 << 30);
        keys = new long[length];
        shareBits = Math.max(SHARE_BITS, Integer.numberOfTrailingZeros(length) - MOST_SHARE_BITS);
        divide();
        work.each(shares(), this::fill);
        int mostInShare = mostInShare();
        if (Arrays.stream(keysIn).anyMatch(keysOfShare -> keysOfShare > mostInShare)
                || Arrays.stream(beyond).asLongStream().sum() > mostInShare) {
            return null;
        }
        for (int share = 0; share < shares(); share++) {
            if (beyond[share] > 0) {
                fillBeyond(share);
            }
            keyCount += keysIn[share];
        }
        long[] bits = new long[length / Long.SIZE];
        work.each(shares(), share -> noteTaken(share, bits));
        taken = CountedBits.of(bits);
        int[] order = new int[count];
        int[] starts = order(order);
        return new Settled(new SettledKeys(keys, unused, taken), keyCount, order, starts);
    }

    /**
     * About how many different keys there are: those whose hashes begin with some zeros, however many rows each has. Chooses the number for
     * empty places as well, one that would be counted if it were a key.
     */
    private int expectedKeys() {
        long[][] samples = new long[pieces()][];
        work.each(samples.length, piece -> samples[piece] = sample(piece));
        WholeKeys seen = new WholeKeys();
        int different = 0;
        for (long[] sample : samples) {
            different += seen.number(sample, sample.length, new int[sample.length], different);
        }
        int[] found = new int[1];
        do {
            unused++;
            seen.find(new long[] {unused}, 1, found);
        } while (!isSampled(unused) || found[0] >= 0);
        return (int) Math.min(count, (long) different << SAMPLE_BITS);
    }

    private long[] sample(int piece) {
        int end = end(piece);
        long[] sample = new long[end - piece * ROWS_PER_PIECE];
        int n = 0;
        for (int i = piece * ROWS_PER_PIECE; i < end; i++) {
            sample[n] = wanted[i];
            n += isSampled(wanted[i]) ? 1 : 0;
        }
        return Arrays.copyOf(sample, n);
    }

    private static boolean isSampled(long key) {
        return Hashing.ofOne(key) >>> Long.SIZE - SAMPLE_BITS == 0;
    }

    private int pieces() {
        return (count + ROWS_PER_PIECE - 1) / ROWS_PER_PIECE;
    }

    private int end(int piece) {
        return (int) Math.min(count, (piece + 1L) * ROWS_PER_PIECE);
    }

    private int shares() {
        return keys.length >>> shareBits;
    }

    private int place(long key) {
        return (int) Hashing.ofOne(key) & keys.length - 1;
    }

    private void divide() {
        int[][] next = new int[pieces()][];
        work.each(next.length, piece -> next[piece] = sizes(piece));
        shareStarts = new int[shares() + 1];
        int at = 0;
        for (int share = 0; share < shares(); share++) {
            shareStarts[share] = at;
            for (int[] piece : next) {
                int size = piece[share];
                piece[share] = at;
                at += size;
            }
        }
        shareStarts[shares()] = at;
        divided = new long[count];
        rows = new int[count];
        work.each(next.length, piece -> divide(piece, next[piece]));
        places = new int[count];
        keysIn = new int[shares()];
        beyond = new int[shares()];
    }

    private int[] sizes(int piece) {
        int[] sizes = new int[shares()];
        int end = end(piece);
        for (int i = piece * ROWS_PER_PIECE; i < end; i++) {
            sizes[place(wanted[i]) >>> shareBits]++;
        }
        return sizes;
    }

    private void divide(int piece, int[] next) {
        int end = end(piece);
        for (int i = piece * ROWS_PER_PIECE; i < end; i++) {
            int at = next[place(wanted[i]) >>> shareBits]++;
            divided[at] = wanted[i];
            rows[at] = rowOfKey == null ? i : rowOfKey[i];
        }
    }

    private int mostInShare() {
        return (1 << shareBits) / 4 * MOST_TAKEN_OF_FOUR;
    }

    /** Gives the keys of a share their places as far as they are in it; stops behind the key that is one too many. */
    private void fill(int share) {
        int first = share << shareBits;
        int end = first + (1 << shareBits);
        long none = unused;
        long[] table = keys;
        Arrays.fill(table, first, end, none);
        int different = 0;
        int left = 0;
        int most = mostInShare();
        for (int i = shareStarts[share]; i < shareStarts[share + 1] && different <= most; i++) {
            long key = divided[i];
            int place = place(key);
            while (place < end && table[place] != none && table[place] != key) {
                place++;
            }
            if (place < end) {
                different += table[place] == none ? 1 : 0;
                table[place] = key;
                places[i] = place;
            } else {
                places[i] = -1;
                left++;
            }
        }
        keysIn[share] = different;
        beyond[share] = left;
    }

    /** Gives the others the next places behind the share, when all shares are filled. */
    private void fillBeyond(int share) {
        int mask = keys.length - 1;
        for (int i = shareStarts[share]; i < shareStarts[share + 1]; i++) {
            if (places[i] < 0) {
                int place = (share + 1 << shareBits) & mask;
                while (keys[place] != unused && keys[place] != divided[i]) {
                    place = place + 1 & mask;
                }
                keysIn[share] += keys[place] == unused ? 1 : 0;
                keys[place] = divided[i];
                places[i] = place;
            }
        }
    }

    private void noteTaken(int share, long[] bits) {
        int end = share + 1 << shareBits;
        for (int from = share << shareBits; from < end; from += Long.SIZE) {
            long word = 0;
            for (int i = 0; i < Long.SIZE; i++) {
                word |= (keys[from + i] == unused ? 0L : 1L) << i;
            }
            bits[from / Long.SIZE] = word;
        }
    }

    /** Writes the rows by the numbers of their keys; returns where those of each begin. */
    private int[] order(int[] order) {
        if (keyCount == count) {
            eachShare((i, number) -> order[number] = rows[i]);
            return null;
        }
        int[] starts = new int[keyCount + 1];
        eachShare((i, number) -> starts[number + 1]++);
        for (int k = 0; k < keyCount; k++) {
            starts[k + 1] += starts[k];
        }
        int[] next = Arrays.copyOf(starts, keyCount);
        eachShare((i, number) -> order[next[number]++] = rows[i]);
        return starts;
    }

    private interface NumberedRow {
        void accept(int i, int number);
    }

    /** Goes through all rows with the numbers of their keys, those of a key one after the other in one thread. */
    private void eachShare(NumberedRow row) {
        work.each(shares(), share -> {
            for (int i = shareStarts[share]; i < shareStarts[share + 1]; i++) {
                if (places[i] >>> shareBits == share) {
                    row.accept(i, taken.before(places[i]));
                }
            }
        });
        // Keys that are beyond their share have numbers among those of others, which may be counted there at the same
        // time.
        for (int share = 0; share < shares(); share++) {
            for (int i = shareStarts[share]; beyond[share] > 0 && i < shareStarts[share + 1]; i++) {
                if (places[i] >>> shareBits != share) {
                    row.accept(i, taken.before(places[i]));
                }
            }
        }
    }
}
