package org.unimeros.engine.spill;

import com.github.luben.zstd.Zstd;
import com.github.luben.zstd.ZstdCompressCtx;
import com.github.luben.zstd.ZstdDecompressCtx;
import java.util.concurrent.ArrayBlockingQueue;
import java.util.concurrent.BlockingQueue;

/**
 * Zstandard at its fastest. What the library keeps of its work outside the heap is used again: to make it anew costs about as much
 * as the work on a small block. Thread-safe.
 */
final class Packing {

    private static final int FASTEST = 1;
    /** As many as work at a time on a large machine; beyond that they are made anew. */
    private static final int MOST_KEPT = 64;

    private static final BlockingQueue<ZstdCompressCtx> PACKERS = new ArrayBlockingQueue<>(MOST_KEPT);
    private static final BlockingQueue<ZstdDecompressCtx> UNPACKERS = new ArrayBlockingQueue<>(MOST_KEPT);

    private Packing() {}

    /** The most bytes that so many plain ones can take. */
    static int bound(int plain) {
        return Math.toIntExact(Zstd.compressBound(plain));
    }

    /**
     * Packs all of {@code plain}; returns how many bytes it takes.
     *
     * @param out has {@link #bound} bytes from {@code from} on
     */
    static int pack(byte[] plain, byte[] out, int from) {
        ZstdCompressCtx kept = PACKERS.poll();
        ZstdCompressCtx packer = kept == null ? new ZstdCompressCtx().setLevel(FASTEST) : kept;
        try {
            return packer.compressByteArray(out, from, out.length - from, plain, 0, plain.length);
        } finally {
            if (!PACKERS.offer(packer)) {
                packer.close();
            }
        }
    }

    /**
     * Unpacks some bytes; returns how many there were.
     *
     * @throws com.github.luben.zstd.ZstdException when they are damaged, or do not fit
     */
    static int unpack(byte[] packed, int from, int length, byte[] out) {
        ZstdDecompressCtx kept = UNPACKERS.poll();
        ZstdDecompressCtx unpacker = kept == null ? new ZstdDecompressCtx() : kept;
        try {
            return unpacker.decompressByteArray(out, 0, out.length, packed, from, length);
        } finally {
            if (!UNPACKERS.offer(unpacker)) {
                unpacker.close();
            }
        }
    }
}
