package org.unimeros.engine.spill;

import com.github.luben.zstd.ZstdDecompressCtx;
import java.util.concurrent.ArrayBlockingQueue;
import java.util.concurrent.BlockingQueue;

/** Unpacks what a {@link Packer} has packed, at whatever level, and keeps as much. For one thread at a time. */
final class Unpacker implements AutoCloseable {

    private static final int MOST_KEPT = 64;
    private static final BlockingQueue<Unpacker> KEPT = new ArrayBlockingQueue<>(MOST_KEPT);

    private final ZstdDecompressCtx context = new ZstdDecompressCtx();
    private byte[] packed = {};
    private byte[] plain = {};

    private Unpacker() {}

    /** One that nobody else uses until it is closed. */
    static Unpacker take() {
        Unpacker kept = KEPT.poll();
        return kept == null ? new Unpacker() : kept;
    }

    /** Room for so many packed bytes, whatever is in it. */
    byte[] packed(int bytes) {
        if (packed.length < bytes) {
            packed = new byte[bytes];
        }
        return packed;
    }

    /**
     * Unpacks bytes into {@link #plain}; returns how many there were.
     *
     * @param most there are no more than this
     * @throws com.github.luben.zstd.ZstdException when they are damaged, or more
     */
    int unpack(byte[] block, int from, int length, int most) {
        if (plain.length < most) {
            plain = new byte[most];
        }
        return context.decompressByteArray(plain, 0, most, block, from, length);
    }

    byte[] plain() {
        return plain;
    }

    @Override
    public void close() {
        if (Math.max(packed.length, plain.length) > Packer.MOST_BYTES_KEPT) {
            packed = new byte[0];
            plain = new byte[0];
        }
        if (!KEPT.offer(this)) {
            context.close();
        }
    }
}
