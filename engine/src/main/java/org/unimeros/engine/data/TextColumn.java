package org.unimeros.engine.data;

import static java.nio.charset.StandardCharsets.UTF_8;

import java.util.Arrays;

/**
 * A column of UTF-8 text, plain or dictionary-encoded.
 *
 * <pre>
 * plain:      value of row r = bytes[offsets[r] .. offsets[r + 1])
 * dictionary: value of row r = bytes[offsets[ids[r]] .. offsets[ids[r] + 1])
 * </pre>
 *
 * Gathering a dictionary column moves ids only; gathering a plain one copies bytes.
 */
public final class TextColumn extends Column {

    private static final int SHORT = 24;
    private static final int MOST_TEXTS = 1 << 12;

    private final byte[] bytes;
    private final int[] offsets;
    private final int[] ids;
    private final int entries;
    /**
     * Texts of a small dictionary that were asked for, by id; shared by the columns that it encodes, null in all others. Threads may each
     * make a text once, which is as good as any other.
     */
    private final String[] texts;

    /** The same, for the columns that this one is the dictionary of. */
    private String[] textsOfEntries;

    /** A plain column; {@code offsets} has one more entry than there are rows. */
    public TextColumn(byte[] bytes, int[] offsets, long[] nulls) {
        this(bytes, offsets, null, 0, null, nulls);
    }

    private TextColumn(byte[] bytes, int[] offsets, int[] ids, int entries, String[] texts, long[] nulls) {
        super(nulls);
        this.texts = texts;
        this.bytes = bytes;
        this.offsets = offsets;
        this.ids = ids;
        this.entries = entries;
    }

    /** A column of ids into the first {@code entries} values of another column. */
    public static TextColumn encoded(int[] ids, TextColumn dictionary, int entries, long[] nulls) {
        if (dictionary.ids != null) {
            int[] inner = new int[ids.length];
            for (int i = 0; i < inner.length; i++) {
                // Behind the rows of a batch an array can hold anything.
                inner[i] = ids[i] < entries ? dictionary.ids[ids[i]] : 0;
            }
            return new TextColumn(
                    dictionary.bytes, dictionary.offsets, inner, dictionary.entries, dictionary.texts, nulls);
        }
        return new TextColumn(
                dictionary.bytes, dictionary.offsets, ids, entries, dictionary.textsOfEntries(entries), nulls);
    }

    private String[] textsOfEntries(int count) {
        if (count > MOST_TEXTS) {
            return null;
        }
        String[] known = textsOfEntries;
        if (known == null || known.length < count) {
            known = new String[count];
            textsOfEntries = known;
        }
        return known;
    }

    /** A column in which each of {@code rows} rows has the same value. */
    public static TextColumn constant(String value, int rows) {
        byte[] utf8 = value.getBytes(UTF_8);
        return new TextColumn(utf8, new int[] {0, utf8.length}, new int[rows], 1, new String[] {value}, null);
    }

    public byte[] bytes() {
        return bytes;
    }

    public int[] offsets() {
        return offsets;
    }

    /** The dictionary ids, or null in a plain column. */
    public int[] ids() {
        return ids;
    }

    /** The number of dictionary entries; 0 in a plain column. */
    public int entries() {
        return entries;
    }

    public int start(int row) {
        return offsets[ids == null ? row : ids[row]];
    }

    public int end(int row) {
        return offsets[(ids == null ? row : ids[row]) + 1];
    }

    public String text(int row) {
        if (texts == null) {
            return decoded(row);
        }
        int id = ids[row];
        String text = texts[id];
        if (text == null) {
            text = decoded(row);
            texts[id] = text;
        }
        return text;
    }

    private String decoded(int row) {
        int start = start(row);
        return new String(bytes, start, end(row) - start, UTF_8);
    }

    /** Whether every row has one and the same value. */
    public boolean isConstant() {
        return entries == 1;
    }

    @Override
    public TextColumn gather(int[] rows, int n) {
        long[] nulls = Bits.gather(nulls(), rows, n);
        if (ids != null) {
            int[] out = new int[n];
            for (int i = 0; i < n; i++) {
                out[i] = ids[rows[i]];
            }
            return new TextColumn(bytes, offsets, out, entries, texts, nulls);
        }
        int[] outOffsets = new int[n + 1];
        for (int i = 0; i < n; i++) {
            outOffsets[i + 1] = Math.addExact(outOffsets[i], offsets[rows[i] + 1] - offsets[rows[i]]);
        }
        byte[] out = new byte[outOffsets[n]];
        for (int i = 0; i < n; i++) {
            copy(bytes, offsets[rows[i]], out, outOffsets[i], outOffsets[i + 1] - outOffsets[i]);
        }
        return new TextColumn(out, outOffsets, nulls);
    }

    @Override
    public TextColumn slice(int from, int n) {
        long[] nulls = Bits.slice(nulls(), from, n);
        if (ids != null) {
            return new TextColumn(bytes, offsets, Arrays.copyOfRange(ids, from, from + n), entries, texts, nulls);
        }
        int start = offsets[from];
        int[] outOffsets = new int[n + 1];
        for (int i = 0; i <= n; i++) {
            outOffsets[i] = offsets[from + i] - start;
        }
        return new TextColumn(Arrays.copyOfRange(bytes, start, offsets[from + n]), outOffsets, nulls);
    }

    /** A value that is repeated is a dictionary of one. */
    @Override
    public TextColumn repeat(int row, int n) {
        long[] nulls = Bits.repeat(nulls(), row, n);
        if (ids == null) {
            return encoded(new int[n], gather(new int[] {row}, 1).withNulls(null), 1, nulls);
        }
        int[] out = new int[n];
        Arrays.fill(out, ids[row]);
        return new TextColumn(bytes, offsets, out, entries, texts, nulls);
    }

    /** Short values are copied by a loop: the call of the intrinsic costs more than they do. */
    private static void copy(byte[] from, int start, byte[] to, int at, int length) {
        if (length > SHORT) {
            System.arraycopy(from, start, to, at, length);
            return;
        }
        for (int i = 0; i < length; i++) {
            to[at + i] = from[start + i];
        }
    }

    @Override
    public TextColumn withNulls(long[] newNulls) {
        return new TextColumn(bytes, offsets, ids, entries, texts, newNulls);
    }

    @Override
    public long sizeInBytes(int rows) {
        if (ids != null) {
            return 4L * rows;
        }
        return 4L * rows + (rows == 0 ? 0 : offsets[rows] - offsets[0]);
    }

    /** Compares by unsigned bytes, which is the order of Unicode code points. */
    public static int compare(TextColumn a, int rowA, TextColumn b, int rowB) {
        return Arrays.compareUnsigned(a.bytes, a.start(rowA), a.end(rowA), b.bytes, b.start(rowB), b.end(rowB));
    }

    /** Short values are compared by a loop, which costs less than the call of the intrinsic. */
    public static boolean equal(TextColumn a, int rowA, TextColumn b, int rowB) {
        int startA = a.start(rowA);
        int startB = b.start(rowB);
        int length = a.end(rowA) - startA;
        if (length != b.end(rowB) - startB) {
            return false;
        }
        if (length > SHORT) {
            return Arrays.equals(a.bytes, startA, startA + length, b.bytes, startB, startB + length);
        }
        for (int i = 0; i < length; i++) {
            if (a.bytes[startA + i] != b.bytes[startB + i]) {
                return false;
            }
        }
        return true;
    }
}
