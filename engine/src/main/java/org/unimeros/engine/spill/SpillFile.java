package org.unimeros.engine.spill;

import org.unimeros.engine.data.Batch;

/** Blocks of rows outside memory. Written by one thread; what was written can be read by several. */
public final class SpillFile implements AutoCloseable {

    private final Scratch.File file;
    private final PackLevel level = new PackLevel();
    private long bytes;

    SpillFile(Scratch.File file) {
        this.file = file;
    }

    /** Appends a batch. */
    public Chunk write(Batch batch) {
        try (Packer packer = Packer.take()) {
            int length = Blocks.encode(batch, packer, level);
            long place = file.append(packer.packed(), length);
            bytes += length;
            return Chunk.inFile(batch, this, place, length);
        }
    }

    /** Bytes written so far, compressed. */
    public long bytes() {
        return bytes;
    }

    Batch read(long place, int length) {
        try (Unpacker unpacker = Unpacker.take()) {
            byte[] block = unpacker.packed(length);
            file.read(place, block, length);
            return Blocks.decode(block, length, unpacker);
        }
    }

    byte[] block(long place, int length) {
        byte[] block = new byte[length];
        file.read(place, block, length);
        return block;
    }

    @Override
    public void close() {
        file.close();
    }
}
