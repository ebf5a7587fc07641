package org.unimeros.engine.key;

import java.lang.invoke.MethodHandles;
import java.lang.invoke.VarHandle;
import java.nio.ByteOrder;
import java.util.Arrays;
import org.unimeros.engine.data.BooleanColumn;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DoubleColumn;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.ListColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.StructColumn;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.data.WideColumn;

/**
 * 64-bit hashes of rows, column by column. Equal values have equal hashes whatever their encoding: plain or dictionary
 * text, either zero, any NaN. The same on every machine and in every run.
 */
public final class Hashing {

    private static final long PRIME = 0x9E3779B97F4A7C15L;
    private static final long NULL = 0x51_7C_C1_B7_27_22_0A_95L;
    private static final VarHandle LONGS = MethodHandles.byteArrayViewVarHandle(long[].class, ByteOrder.LITTLE_ENDIAN);

    private Hashing() {}

    /** Writes the hash of each of the first {@code rows} rows. */
    public static void rows(Column[] columns, int rows, long[] out) {
        Arrays.fill(out, 0, rows, PRIME);
        for (Column column : columns) {
            add(column, rows, out);
        }
    }

    /** The hash of a row whose only key is a whole number. */
    static long ofOne(long value) {
        return mix(PRIME ^ value);
    }

    private static void add(Column column, int rows, long[] out) {
        long[] before = column.nulls() == null ? null : Arrays.copyOf(out, rows);
        switch (column) {
            case IntColumn c -> addInts(c.values(), rows, out);
            case LongColumn c -> addLongs(c.values(), rows, out);
            case DoubleColumn c -> addDoubles(c.values(), rows, out);
            case TextColumn c -> addText(c, rows, out);
            case BooleanColumn c -> addBits(c, rows, out);
            case WideColumn c -> {
                addLongs(c.high(), rows, out);
                addLongs(c.low(), rows, out);
            }
            case ListColumn c -> addLists(c, rows, out);
            case StructColumn c -> {
                for (int i = 0; i < c.fieldCount(); i++) {
                    add(c.field(i), rows, out);
                }
            }
        }
        if (before != null) {
            correctNulls(column, rows, before, out);
        }
    }

    /** The typed loops mix in what stands in the array, which is undefined for a null row. */
    private static void correctNulls(Column column, int rows, long[] before, long[] out) {
        for (int i = 0; i < rows; i++) {
            if (column.isNull(i)) {
                out[i] = mix(before[i] ^ NULL);
            }
        }
    }

    private static void addInts(int[] values, int rows, long[] out) {
        for (int i = 0; i < rows; i++) {
            out[i] = mix(out[i] ^ values[i]);
        }
    }

    private static void addLongs(long[] values, int rows, long[] out) {
        for (int i = 0; i < rows; i++) {
            out[i] = mix(out[i] ^ values[i]);
        }
    }

    private static void addDoubles(double[] values, int rows, long[] out) {
        for (int i = 0; i < rows; i++) {
            out[i] = mix(out[i] ^ Double.doubleToLongBits(values[i] + 0.0));
        }
    }

    private static void addBits(BooleanColumn column, int rows, long[] out) {
        for (int i = 0; i < rows; i++) {
            out[i] = mix(out[i] ^ (column.value(i) ? 1 : 2));
        }
    }

    private static void addLists(ListColumn column, int rows, long[] out) {
        long[] elements = new long[column.elementCount()];
        rows(new Column[] {column.elements()}, elements.length, elements);
        for (int i = 0; i < rows; i++) {
            long hash = mix(out[i] ^ column.length(i));
            for (int k = column.start(i); k < column.end(i); k++) {
                hash = mix(hash ^ elements[k]);
            }
            out[i] = hash;
        }
    }

    private static void addText(TextColumn column, int rows, long[] out) {
        byte[] bytes = column.bytes();
        int[] ids = column.ids();
        if (ids == null) {
            for (int i = 0; i < rows; i++) {
                out[i] = mix(out[i] ^ text(bytes, column.startOf(i), column.endOf(i)));
            }
            return;
        }
        if (column.entries() > rows) {
            for (int i = 0; i < rows; i++) {
                out[i] = mix(out[i] ^ text(bytes, column.startOf(ids[i]), column.endOf(ids[i])));
            }
            return;
        }
        long[] entries = new long[column.entries()];
        for (int i = 0; i < entries.length; i++) {
            entries[i] = text(bytes, column.startOf(i), column.endOf(i));
        }
        for (int i = 0; i < rows; i++) {
            out[i] = mix(out[i] ^ entries[ids[i]]);
        }
    }

    private static long text(byte[] bytes, int start, int end) {
        long h = (end - start) * PRIME;
        int i = start;
        for (; i + 8 <= end; i += 8) {
            h = (h ^ (long) LONGS.get(bytes, i)) * PRIME;
            h ^= h >>> 32;
        }
        return (h ^ rest(bytes, i, end)) * PRIME;
    }

    /** Up to seven bytes as one number, the first one lowest. */
    private static long rest(byte[] bytes, int start, int end) {
        if (start < end && start + Long.BYTES <= bytes.length) {
            return (long) LONGS.get(bytes, start) & (1L << Byte.SIZE * (end - start)) - 1;
        }
        long rest = 0;
        for (int i = end - 1; i >= start; i--) {
            rest = rest << Byte.SIZE | bytes[i] & 0xFF;
        }
        return rest;
    }

    /** Turns hashes into others that do not depend on the bits that chose the part or the slot of a row before. */
    static void again(long[] hashes, int rows, int depth) {
        long salt = depth * NULL;
        for (int i = 0; i < rows; i++) {
            hashes[i] = mix(hashes[i] + salt);
        }
    }

    /**
     * A counting sort of row numbers by part, which the high bits of the hash choose. The rows of part {@code p} are at
     * {@code starts[p] .. starts[p + 1]} of {@code sorted}, in their order.
     *
     * @param partOf scratch space for all rows
     */
    public static void divide(long[] hashes, int rows, int parts, int[] starts, int[] partOf, int[] sorted) {
        for (int i = 0; i < rows; i++) {
            partOf[i] = part(hashes[i], parts);
        }
        sort(partOf, rows, parts, starts, sorted);
    }

    /** The part of a row by the hash of its keys. */
    public static int part(long hash, int parts) {
        return (int) Math.unsignedMultiplyHigh(hash, parts);
    }

    /** The same for rows whose parts are known. */
    public static void sort(int[] partOf, int rows, int parts, int[] starts, int[] sorted) {
        Arrays.fill(starts, 0);
        for (int i = 0; i < rows; i++) {
            starts[partOf[i]]++;
        }
        int before = 0;
        for (int p = 0; p <= parts; p++) {
            int count = starts[p];
            starts[p] = before;
            before += count;
        }
        for (int i = 0; i < rows; i++) {
            sorted[starts[partOf[i]]++] = i;
        }
        // What were beginnings are the ends now, each of which is where the next part begins.
        System.arraycopy(starts, 0, starts, 1, parts);
        starts[0] = 0;
    }

    static long mix(long h) {
        long x = h * PRIME;
        x ^= x >>> 32;
        return x * PRIME;
    }
}
