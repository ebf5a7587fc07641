package org.unimeros.engine.data;

import static java.nio.charset.StandardCharsets.UTF_8;

import java.lang.invoke.MethodHandles;
import java.lang.invoke.VarHandle;
import java.lang.ref.WeakReference;
import java.nio.ByteOrder;
import java.util.Arrays;

/**
 * A column of UTF-8 text: plain, in slices, or dictionary-encoded.
 *
 * <pre>
 * plain:      value of row r = bytes[starts[r] .. starts[r + 1])
 * slices:     value of row r = bytes[starts[r] .. ends[r])
 * dictionary: value of row r = value ids[r] of a column that is one of the others
 * </pre>
 *
 * Gathering a dictionary column moves ids only; gathering another one copies bytes. Slices keep all the bytes that they were cut from, so whoever
 * makes them sees to it that these are not many more, or that the column is soon forgotten.
 */
public final class TextColumn extends Column {

    /** Values up to this length are copied and compared without calling an intrinsic, which would cost more than they do. */
    static final int SHORT = 24;

    private static final int MOST_TEXTS = 1 << 12;
    private static final VarHandle LONGS = MethodHandles.byteArrayViewVarHandle(long[].class, ByteOrder.LITTLE_ENDIAN);

    private final byte[] bytes;
    /** Where values begin and end: value v is bytes[starts[v] .. ends[v + shift]). */
    private final int[] starts;

    private final int[] ends;
    private final int shift;
    private final int[] ids;
    private final int entries;
    /** The ids for gathering, where the column was made ready for it; else null. */
    private final Narrow narrowIds;
    /**
     * Texts of a small dictionary that were asked for, by id; shared by the columns that it encodes, null in all others. Threads may each
     * make a text once, which is as good as any other.
     */
    private final String[] texts;

    /** The same, for the columns that this one is the dictionary of. */
    private String[] textsOfEntries;

    /**
     * Where a part of each text ends; whoever comes last is remembered, since any of them is as good. Not for long: nobody has counted its
     * memory where the column is held.
     */
    private WeakReference<PartEnds> partEnds;

    /**
     * Where one part of each text ends, so that later parts need not be looked for from the start.
     *
     * @param part counted from 1
     * @param ends by row; the end of the text where it has no further part
     */
    public record PartEnds(byte separator, int part, int[] ends) {}

    /** A plain column; {@code offsets} has one more entry than there are rows. */
    public TextColumn(byte[] bytes, int[] offsets, long[] nulls) {
        this(bytes, offsets, offsets, 1, nulls);
    }

    /** A column without a dictionary. */
    private TextColumn(byte[] bytes, int[] starts, int[] ends, int shift, long[] nulls) {
        super(nulls);
        this.bytes = bytes;
        this.starts = starts;
        this.ends = ends;
        this.shift = shift;
        this.ids = null;
        this.narrowIds = null;
        this.entries = 0;
        this.texts = null;
    }

    private TextColumn(TextColumn values, int[] ids, int entries, String[] texts, long[] nulls) {
        this(values, ids, null, entries, texts, nulls);
    }

    private TextColumn(TextColumn values, int[] ids, Narrow narrowIds, int entries, String[] texts, long[] nulls) {
        super(nulls);
        this.bytes = values.bytes;
        this.starts = values.starts;
        this.ends = values.ends;
        this.shift = values.shift;
        this.ids = ids;
        this.narrowIds = narrowIds;
        this.entries = entries;
        this.texts = texts;
    }

    /** A column of slices of some bytes, which may lie in any order and overlap. */
    public static TextColumn slices(byte[] bytes, int[] starts, int[] ends, long[] nulls) {
        return new TextColumn(bytes, starts, ends, 0, nulls);
    }

    /** A column of ids into the first {@code entries} values of another column. */
    public static TextColumn encoded(int[] ids, TextColumn dictionary, int entries, long[] nulls) {
        if (dictionary.ids != null) {
            int[] inner = new int[ids.length];
            for (int i = 0; i < inner.length; i++) {
                // Behind the rows of a batch an array can hold anything.
                inner[i] = ids[i] < entries ? dictionary.ids[ids[i]] : 0;
            }
            return new TextColumn(dictionary, inner, dictionary.entries, dictionary.texts, nulls);
        }
        return new TextColumn(dictionary, ids, entries, dictionary.textsOfEntries(entries), nulls);
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
        TextColumn one = new TextColumn(utf8, new int[] {0, utf8.length}, null);
        return new TextColumn(one, new int[rows], 1, new String[] {value}, null);
    }

    public byte[] bytes() {
        return bytes;
    }

    /** The dictionary ids, or null in a column that has none. */
    public int[] ids() {
        return ids;
    }

    /** The number of dictionary entries; 0 in a column that has no dictionary. */
    public int entries() {
        return entries;
    }

    /** The values of the dictionary, or this column where it has none. */
    public TextColumn dictionary() {
        if (ids == null) {
            return this;
        }
        return new TextColumn(bytes, starts, ends, shift, null);
    }

    /**
     * Whether ids surely mean the same texts in both columns. Of slices it is not sure, since the places that they are kept in may be used
     * again.
     */
    public boolean sharesDictionary(TextColumn other) {
        return shift == 1 && bytes == other.bytes && starts == other.starts && ends == other.ends;
    }

    /** Whether the values of the rows stand one after the other. */
    boolean isPlain() {
        return ids == null && shift == 1;
    }

    /** Where a value begins: that of a dictionary entry, or of a row where there is no dictionary. */
    public int startOf(int value) {
        return starts[value];
    }

    /** Where a value ends: that of a dictionary entry, or of a row where there is no dictionary. */
    public int endOf(int value) {
        return ends[value + shift];
    }

    public int start(int row) {
        return starts[ids == null ? row : ids[row]];
    }

    public int end(int row) {
        return ends[(ids == null ? row : ids[row]) + shift];
    }

    /** For how many rows there is a value. */
    public int capacity() {
        return ids == null ? starts.length - shift : ids.length;
    }

    /** Whether the first {@code values} entries, or rows where there is no dictionary, are surely of plain characters, each of one byte. */
    public boolean isAscii(int values) {
        if (values == 0) {
            return true;
        }
        int from = starts[0];
        int to = ends[values - 1 + shift];
        for (int v = 0; shift == 0 && v < values; v++) {
            from = Math.min(from, starts[v]);
            to = Math.max(to, ends[v]);
        }
        return Utf8.isAscii(bytes, from, to);
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
            if (narrowIds != null) {
                narrowIds.gather(rows, n, out);
            } else {
                for (int i = 0; i < n; i++) {
                    out[i] = ids[rows[i]];
                }
            }
            return new TextColumn(this, out, entries, texts, nulls);
        }
        int[] offsets = new int[n + 1];
        for (int i = 0; i < n; i++) {
            offsets[i + 1] = Math.addExact(offsets[i], endOf(rows[i]) - starts[rows[i]]);
        }
        byte[] out = new byte[Math.addExact(offsets[n], SHORT)];
        for (int i = 0; i < n; i++) {
            copy(bytes, starts[rows[i]], out, offsets[i], offsets[i + 1] - offsets[i]);
        }
        return new TextColumn(out, offsets, nulls);
    }

    @Override
    public TextColumn forGathering(int rows) {
        return ids == null ? this : new TextColumn(this, ids, Narrow.of(ids, rows), entries, texts, nulls());
    }

    @Override
    public TextColumn slice(int from, int n) {
        long[] nulls = Bits.slice(nulls(), from, n);
        if (ids != null) {
            return new TextColumn(this, Arrays.copyOfRange(ids, from, from + n), entries, texts, nulls);
        }
        if (shift == 0) {
            return slices(from, n, nulls).packed(n);
        }
        int start = starts[from];
        int[] offsets = new int[n + 1];
        for (int i = 0; i <= n; i++) {
            offsets[i] = starts[from + i] - start;
        }
        return new TextColumn(Arrays.copyOfRange(bytes, start, starts[from + n]), offsets, nulls);
    }

    private TextColumn slices(int from, int n, long[] nulls) {
        return slices(
                bytes, Arrays.copyOfRange(starts, from, from + n), Arrays.copyOfRange(ends, from, from + n), nulls);
    }

    /** The first rows with no bytes but their own; this column where it is so already. */
    public TextColumn packed(int rows) {
        if (shift == 1) {
            return this;
        }
        int values = ids == null ? rows : entries;
        int[] offsets = new int[values + 1];
        for (int v = 0; v < values; v++) {
            offsets[v + 1] = Math.addExact(offsets[v], ends[v] - starts[v]);
        }
        byte[] out = new byte[Math.addExact(offsets[values], SHORT)];
        for (int v = 0; v < values; v++) {
            copy(bytes, starts[v], out, offsets[v], ends[v] - starts[v]);
        }
        TextColumn plain = new TextColumn(out, offsets, ids == null ? nulls() : null);
        return ids == null ? plain : new TextColumn(plain, ids, entries, texts, nulls());
    }

    /** A plain column with the same places in other bytes. */
    public TextColumn withBytes(byte[] others) {
        return new TextColumn(others, starts, nulls());
    }

    /** The ends of a part before one of the first rows, where they were {@linkplain #keep kept}; else null. */
    public PartEnds partBefore(byte separator, int part, int rows) {
        WeakReference<PartEnds> kept = partEnds;
        PartEnds known = kept == null ? null : kept.get();
        boolean helps = known != null && known.separator == separator && known.part < part && known.ends.length >= rows;
        return helps ? known : null;
    }

    /** Remembers the ends of a part for a while; they must not be changed any more. */
    public void keep(PartEnds ends) {
        partEnds = new WeakReference<>(ends);
    }

    /** Copies the bytes of a row to a place in an array, and returns the place behind them. */
    public int copyTo(int row, byte[] to, int at) {
        int start = start(row);
        int length = end(row) - start;
        copy(bytes, start, to, at, length);
        return at + length;
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
        return new TextColumn(this, out, entries, texts, nulls);
    }

    /** Where both arrays have room for it, short values are copied eight bytes at a time, with whatever stands behind them. */
    static void copy(byte[] from, int start, byte[] to, int at, int length) {
        if (length > SHORT) {
            System.arraycopy(from, start, to, at, length);
        } else if (start + SHORT <= from.length && at + SHORT <= to.length) {
            for (int i = 0; i < length; i += Long.BYTES) {
                LONGS.set(to, at + i, (long) LONGS.get(from, start + i));
            }
        } else {
            for (int i = 0; i < length; i++) {
                to[at + i] = from[start + i];
            }
        }
    }

    @Override
    public TextColumn withNulls(long[] newNulls) {
        if (ids != null) {
            return new TextColumn(this, ids, narrowIds, entries, texts, newNulls);
        }
        return new TextColumn(bytes, starts, ends, shift, newNulls);
    }

    @Override
    public long sizeInBytes(int rows) {
        if (ids != null) {
            return 4L * rows;
        }
        if (shift == 0) {
            long size = 8L * rows;
            for (int i = 0; i < rows; i++) {
                size += ends[i] - starts[i];
            }
            return size;
        }
        return 4L * rows + (rows == 0 ? 0 : starts[rows] - starts[0]);
    }

    @Override
    public long spelledOutBytes(int rows) {
        return 4L * rows + length(rows);
    }

    /** The bytes of the texts of the first rows together. */
    long length(int rows) {
        if (isPlain()) {
            return rows == 0 ? 0 : starts[rows] - starts[0];
        }
        long length = 0;
        for (int i = 0; i < rows; i++) {
            length += end(i) - start(i);
        }
        return length;
    }

    /** Compares by unsigned bytes, which is the order of Unicode code points. */
    public static int compare(TextColumn a, int rowA, TextColumn b, int rowB) {
        return Arrays.compareUnsigned(a.bytes, a.start(rowA), a.end(rowA), b.bytes, b.start(rowB), b.end(rowB));
    }

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
        if (length >= Long.BYTES) {
            // The last eight bytes overlap those before where there are no more eights.
            int last = length - Long.BYTES;
            long differing = word(a, startA + last) ^ word(b, startB + last);
            for (int i = 0; i < last; i += Long.BYTES) {
                differing |= word(a, startA + i) ^ word(b, startB + i);
            }
            return differing == 0;
        }
        if (startA + Long.BYTES <= a.bytes.length && startB + Long.BYTES <= b.bytes.length) {
            long differing = word(a, startA) ^ word(b, startB);
            return length == 0 || differing << Long.SIZE - Byte.SIZE * length == 0;
        }
        for (int i = 0; i < length; i++) {
            if (a.bytes[startA + i] != b.bytes[startB + i]) {
                return false;
            }
        }
        return true;
    }

    private static long word(TextColumn column, int at) {
        return (long) LONGS.get(column.bytes, at);
    }
}
