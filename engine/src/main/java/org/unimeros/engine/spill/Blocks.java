package org.unimeros.engine.spill;

import com.github.luben.zstd.ZstdException;
import java.nio.ByteBuffer;
import java.nio.ByteOrder;
import java.util.zip.CRC32C;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.BooleanColumn;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType.Physical;
import org.unimeros.engine.data.DoubleColumn;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.ListColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.StructColumn;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.data.WideColumn;
import org.unimeros.engine.error.ResourceFailure;

/**
 * The form of a batch outside memory. Little-endian:
 *
 * <pre>
 * block:   version (1 byte), compressed length (4), plain length (4), CRC-32C of the compressed bytes (4), then those:
 * plain:   rows (4), columns (4), then per column: form (1), flags (1: nulls, 2: dictionary), [null words], values
 * text:    [entries (4)], lengths (4 each), bytes, [ids (4 each)]
 * wide:    upper halves (8 each), lower halves (8 each)
 * lists:   elements (4), bounds (4 each), then the elements as a column
 * structs: fields (4), then each as a column
 * </pre>
 *
 * Compressed by Zstandard at a level of little work. Arrays are copied whole, so that a block costs little more than its bytes.
 */
public final class Blocks {

    static final int HEADER = 13;

    private static final byte VERSION = 1;
    private static final Physical[] FORMS = Physical.values();
    private static final int NULLS = 1;
    private static final int DICTIONARY = 2;

    private Blocks() {}

    /** The block of a batch, header first. */
    public static byte[] encode(Batch batch) {
        try (Packer packer = Packer.take()) {
            return packer.packed(encode(batch, packer, new PackLevel()));
        }
    }

    /** Leaves the block of a batch, header first, in a packer; returns its length. */
    static int encode(Batch batch, Packer packer, PackLevel level) {
        int rows = batch.rowCount();
        long size = 8;
        Column[] columns = new Column[batch.columnCount()];
        for (int c = 0; c < columns.length; c++) {
            columns[c] = packed(batch.column(c), rows);
            size += plainSize(columns[c], rows);
        }
        int bytes = Math.toIntExact(size);
        ByteBuffer plain = ByteBuffer.wrap(packer.plain(bytes), 0, bytes)
                .order(ByteOrder.LITTLE_ENDIAN)
                .putInt(rows)
                .putInt(batch.columnCount());
        for (Column column : columns) {
            put(column, rows, plain);
        }
        return compress(packer, bytes, level);
    }

    /** The same values without elements that no list uses. */
    private static Column packed(Column column, int rows) {
        if (column instanceof ListColumn list) {
            ListColumn packed = list.packed(rows);
            return packed.withElements(packed(packed.elements(), packed.elementCount()));
        }
        if (column instanceof StructColumn struct) {
            Column[] fields = new Column[struct.fieldCount()];
            for (int i = 0; i < fields.length; i++) {
                fields[i] = packed(struct.field(i), rows);
            }
            return new StructColumn(fields, struct.nulls());
        }
        return column;
    }

    private static int compress(Packer packer, int bytes, PackLevel level) {
        int length;
        try {
            length = level.pack(packer, bytes, HEADER);
        } catch (ZstdException e) {
            throw new ResourceFailure("cannot compress rows: " + e.getMessage(), e);
        }
        CRC32C sum = new CRC32C();
        sum.update(packer.packed(), HEADER, length);
        ByteBuffer.wrap(packer.packed())
                .order(ByteOrder.LITTLE_ENDIAN)
                .put(VERSION)
                .putInt(length)
                .putInt(bytes)
                .putInt((int) sum.getValue());
        return HEADER + length;
    }

    /**
     * The batch of a block.
     *
     * @throws ResourceFailure when it is damaged
     */
    public static Batch decode(byte[] block, int length) {
        try (Unpacker unpacker = Unpacker.take()) {
            return decode(block, length, unpacker);
        }
    }

    static Batch decode(byte[] block, int length, Unpacker unpacker) {
        if (length < HEADER) {
            throw damaged();
        }
        ByteBuffer header = ByteBuffer.wrap(block).order(ByteOrder.LITTLE_ENDIAN);
        byte version = header.get();
        int compressed = header.getInt();
        int plainLength = header.getInt();
        int expected = header.getInt();
        if (version != VERSION || compressed != length - HEADER || plainLength < 8) {
            throw damaged();
        }
        CRC32C sum = new CRC32C();
        sum.update(block, HEADER, compressed);
        if ((int) sum.getValue() != expected) {
            throw damaged();
        }
        try {
            if (unpacker.unpack(block, HEADER, compressed, plainLength) != plainLength) {
                throw damaged();
            }
        } catch (ZstdException e) {
            throw damaged();
        }
        ByteBuffer in = ByteBuffer.wrap(unpacker.plain(), 0, plainLength).order(ByteOrder.LITTLE_ENDIAN);
        int rows = in.getInt();
        Column[] columns = new Column[in.getInt()];
        for (int c = 0; c < columns.length; c++) {
            columns[c] = get(in, rows);
        }
        return new Batch(rows, columns);
    }

    private static ResourceFailure damaged() {
        return new ResourceFailure("rows that were spilled came back damaged; check the disk of the scratch folder"
                + " (setting memory.scratch), and run again");
    }

    private static long plainSize(Column column, int rows) {
        long words = 8L * Bits.words(rows);
        long nulls = 2 + (column.nulls() == null ? 0 : words);
        return nulls
                + switch (column) {
                    case BooleanColumn c -> words;
                    case IntColumn c -> 4L * rows;
                    case LongColumn c -> 8L * rows;
                    case DoubleColumn c -> 8L * rows;
                    case TextColumn c -> textSize(c, rows);
                    case WideColumn c -> 16L * rows;
                    case ListColumn c -> 4 + 4L * rows + plainSize(c.elements(), c.elementCount());
                    case StructColumn c -> fieldSizes(c, rows);
                };
    }

    private static long fieldSizes(StructColumn c, int rows) {
        long size = 4;
        for (int i = 0; i < c.fieldCount(); i++) {
            size += plainSize(c.field(i), rows);
        }
        return size;
    }

    private static long textSize(TextColumn c, int rows) {
        int values = isShort(c, rows) ? c.entries() : rows;
        long bytes = isShort(c, rows) ? 4L + 4L * rows : 0;
        for (int i = 0; i < values; i++) {
            bytes += 4 + length(c, i, rows);
        }
        return bytes;
    }

    /** Whether the dictionary is worth keeping. */
    private static boolean isShort(TextColumn c, int rows) {
        return c.ids() != null && c.entries() <= rows;
    }

    private static int length(TextColumn c, int value, int rows) {
        return isShort(c, rows) ? c.endOf(value) - c.startOf(value) : c.end(value) - c.start(value);
    }

    private static void put(Column column, int rows, ByteBuffer out) {
        boolean hasDictionary = column instanceof TextColumn t && isShort(t, rows);
        out.put((byte) form(column).ordinal());
        out.put((byte) ((column.nulls() == null ? 0 : NULLS) | (hasDictionary ? DICTIONARY : 0)));
        if (column.nulls() != null) {
            putLongs(column.nulls(), Bits.words(rows), out);
        }
        switch (column) {
            case BooleanColumn c -> putLongs(c.bits(), Bits.words(rows), out);
            case IntColumn c -> putInts(c.values(), rows, out);
            case LongColumn c -> putLongs(c.values(), rows, out);
            case DoubleColumn c -> {
                out.asDoubleBuffer().put(c.values(), 0, rows);
                out.position(out.position() + 8 * rows);
            }
            case TextColumn c -> putText(c, rows, out);
            case WideColumn c -> {
                putLongs(c.high(), rows, out);
                putLongs(c.low(), rows, out);
            }
            case ListColumn c -> putLists(c, rows, out);
            case StructColumn c -> {
                out.putInt(c.fieldCount());
                for (int i = 0; i < c.fieldCount(); i++) {
                    put(c.field(i), rows, out);
                }
            }
        }
    }

    private static Physical form(Column column) {
        return switch (column) {
            case BooleanColumn c -> Physical.BITS;
            case IntColumn c -> Physical.INTS;
            case LongColumn c -> Physical.LONGS;
            case DoubleColumn c -> Physical.DOUBLES;
            case TextColumn c -> Physical.BYTES;
            case WideColumn c -> Physical.WIDE;
            case ListColumn c -> Physical.LIST;
            case StructColumn c -> Physical.STRUCT;
        };
    }

    private static void putLists(ListColumn c, int rows, ByteBuffer out) {
        out.putInt(c.elementCount());
        for (int i = 0; i < rows; i++) {
            out.putInt(c.end(i));
        }
        put(c.elements(), c.elementCount(), out);
    }

    private static void putText(TextColumn c, int rows, ByteBuffer out) {
        boolean dictionary = isShort(c, rows);
        int values = dictionary ? c.entries() : rows;
        if (dictionary) {
            out.putInt(values);
        }
        for (int i = 0; i < values; i++) {
            out.putInt(length(c, i, rows));
        }
        for (int i = 0; i < values; i++) {
            out.put(c.bytes(), dictionary ? c.startOf(i) : c.start(i), length(c, i, rows));
        }
        if (dictionary) {
            putInts(c.ids(), rows, out);
        }
    }

    private static void putInts(int[] values, int n, ByteBuffer out) {
        out.asIntBuffer().put(values, 0, n);
        out.position(out.position() + 4 * n);
    }

    /** Bit sets of builders can be shorter than the rows need; what is missing is zeros. */
    private static void putLongs(long[] values, int n, ByteBuffer out) {
        int there = Math.min(n, values.length);
        out.asLongBuffer().put(values, 0, there);
        out.position(out.position() + 8 * there);
        // The room that is written to was used before.
        for (int i = there; i < n; i++) {
            out.putLong(0);
        }
    }

    private static Column get(ByteBuffer in, int rows) {
        Physical form = FORMS[in.get()];
        int flags = in.get();
        long[] nulls = (flags & NULLS) == 0 ? null : longs(in, Bits.words(rows));
        return switch (form) {
            case BITS -> new BooleanColumn(longs(in, Bits.words(rows)), nulls);
            case INTS -> new IntColumn(ints(in, rows), nulls);
            case LONGS -> new LongColumn(longs(in, rows), nulls);
            case DOUBLES -> new DoubleColumn(doubles(in, rows), nulls);
            case BYTES -> text(in, rows, (flags & DICTIONARY) != 0, nulls);
            case WIDE -> new WideColumn(longs(in, rows), longs(in, rows), nulls);
            case LIST -> lists(in, rows, nulls);
            case STRUCT -> structs(in, rows, nulls);
        };
    }

    private static ListColumn lists(ByteBuffer in, int rows, long[] nulls) {
        int elements = in.getInt();
        int[] bounds = new int[rows + 1];
        in.asIntBuffer().get(bounds, 1, rows);
        in.position(in.position() + 4 * rows);
        return ListColumn.packed(bounds, get(in, elements), elements, nulls);
    }

    private static StructColumn structs(ByteBuffer in, int rows, long[] nulls) {
        Column[] fields = new Column[in.getInt()];
        for (int i = 0; i < fields.length; i++) {
            fields[i] = get(in, rows);
        }
        return new StructColumn(fields, nulls);
    }

    private static TextColumn text(ByteBuffer in, int rows, boolean dictionary, long[] nulls) {
        int values = dictionary ? in.getInt() : rows;
        int[] offsets = new int[values + 1];
        for (int i = 0; i < values; i++) {
            offsets[i + 1] = Math.addExact(offsets[i], in.getInt());
        }
        byte[] bytes = new byte[offsets[values]];
        in.get(bytes);
        if (!dictionary) {
            return new TextColumn(bytes, offsets, nulls);
        }
        return TextColumn.encoded(ints(in, rows), new TextColumn(bytes, offsets, null), values, nulls);
    }

    private static int[] ints(ByteBuffer in, int n) {
        int[] out = new int[n];
        in.asIntBuffer().get(out);
        in.position(in.position() + 4 * n);
        return out;
    }

    private static long[] longs(ByteBuffer in, int n) {
        long[] out = new long[n];
        in.asLongBuffer().get(out);
        in.position(in.position() + 8 * n);
        return out;
    }

    private static double[] doubles(ByteBuffer in, int n) {
        double[] out = new double[n];
        in.asDoubleBuffer().get(out);
        in.position(in.position() + 8 * n);
        return out;
    }
}
