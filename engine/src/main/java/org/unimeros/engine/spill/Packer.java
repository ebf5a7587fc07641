package org.unimeros.engine.spill;

import com.github.luben.zstd.Zstd;
import com.github.luben.zstd.ZstdCompressCtx;
import java.util.Arrays;
import java.util.concurrent.ArrayBlockingQueue;
import java.util.concurrent.BlockingQueue;

/**
 * Packs blocks by Zstandard. What the library keeps of its work outside the heap, and room for a block, are used again by the next who
 * asks: to make them anew costs about as much as the work on a small block. For one thread at a time.
 */
final class Packer implements AutoCloseable {

    /** A level without codes for single bytes, and with few places where earlier bytes are looked for. */
    static final int QUICK = -3;

    static final int THOROUGH = 1;

    /** As many as work at a time on a large machine; beyond that they are made anew. */
    private static final int MOST_KEPT = 64;
    /** Room for blocks larger than this is not kept. */
    static final int MOST_BYTES_KEPT = 1 << 20;

    private static final BlockingQueue<Packer> KEPT = new ArrayBlockingQueue<>(MOST_KEPT);

    private final ZstdCompressCtx context = new ZstdCompressCtx();
    private byte[] plain = {};
    private byte[] packed = {};

    private Packer() {}

    /** One that nobody else uses until it is closed. */
    static Packer take() {
        Packer kept = KEPT.poll();
        return kept == null ? new Packer() : kept;
    }

    /** Room for so many plain bytes, whatever is in it. */
    byte[] plain(int bytes) {
        if (plain.length < bytes) {
            plain = new byte[bytes];
        }
        return plain;
    }

    /**
     * Packs the first bytes of {@link #plain}; returns how many they take in {@link #packed}.
     *
     * @param from so many bytes are left free before them
     * @throws com.github.luben.zstd.ZstdException when it has no memory
     */
    int pack(int bytes, int from, int level) {
        int most = Math.toIntExact(from + Zstd.compressBound(bytes));
        if (packed.length < most) {
            packed = new byte[most];
        }
        context.setLevel(level);
        return context.compressByteArray(packed, from, packed.length - from, plain, 0, bytes);
    }

    byte[] packed() {
        return packed;
    }

    byte[] packed(int bytes) {
        return Arrays.copyOf(packed, bytes);
    }

    @Override
    public void close() {
        if (packed.length > MOST_BYTES_KEPT) {
            plain = new byte[0];
            packed = new byte[0];
        }
        if (!KEPT.offer(this)) {
            context.close();
        }
    }
}
