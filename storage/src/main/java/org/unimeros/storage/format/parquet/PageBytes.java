package org.unimeros.storage.format.parquet;

import java.lang.invoke.MethodHandles;
import java.lang.invoke.VarHandle;
import java.nio.ByteOrder;

/**
 * The body of a page, and a place in it. Behind the last byte there are a few more, so that eight bytes can be read at any
 * place; what goes beyond those fails with an {@link IndexOutOfBoundsException}.
 */
final class PageBytes {

    /** Bytes behind the end of a body. */
    static final int SLACK = 16;

    static final VarHandle LONGS = MethodHandles.byteArrayViewVarHandle(long[].class, ByteOrder.LITTLE_ENDIAN);
    static final VarHandle INTS = MethodHandles.byteArrayViewVarHandle(int[].class, ByteOrder.LITTLE_ENDIAN);
    static final VarHandle DOUBLES = MethodHandles.byteArrayViewVarHandle(double[].class, ByteOrder.LITTLE_ENDIAN);
    static final VarHandle FLOATS = MethodHandles.byteArrayViewVarHandle(float[].class, ByteOrder.LITTLE_ENDIAN);

    final byte[] bytes;
    final int end;
    int at;

    PageBytes(byte[] bytes, int from, int end) {
        this.bytes = bytes;
        this.at = from;
        this.end = end;
    }

    int left() {
        return end - at;
    }

    /** Moves on by so many bytes; returns where they begin. */
    int skip(long n) {
        if (n < 0 || n > end - at) {
            throw damaged("a page is shorter than what it should hold");
        }
        int from = at;
        at += (int) n;
        return from;
    }

    int nextInt() {
        return (int) INTS.get(bytes, skip(4));
    }

    /** An unsigned number of seven bits per byte, low ones first. */
    long nextVarint() {
        long value = 0;
        for (int shift = 0; shift < 64; shift += 7) {
            byte b = bytes[skip(1)];
            value |= (long) (b & 0x7F) << shift;
            if (b >= 0) {
                return value;
            }
        }
        throw damaged("a number in a page has no end");
    }

    /** A signed number, the sign in the lowest bit. */
    long nextZigzag() {
        long value = nextVarint();
        return value >>> 1 ^ -(value & 1);
    }

    /** A number of up to 64 bits that begins so many bits behind a byte. */
    long bits(int from, long bit, int width) {
        int place = from + (int) (bit >>> 3);
        int shift = (int) bit & 7;
        long value = (long) LONGS.get(bytes, place) >>> shift;
        if (shift + width > 64) {
            value |= (long) LONGS.get(bytes, place + 8) << 64 - shift;
        }
        return width == 64 ? value : value & (1L << width) - 1;
    }

    static IllegalStateException damaged(String what) {
        return new IllegalStateException(what);
    }
}
