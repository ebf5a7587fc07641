package org.unimeros.engine.spill;

import org.unimeros.engine.data.Batch;

/** Blocks of rows outside memory. Written by one thread; what was written can be read by several. */
public final class SpillFile implements AutoCloseable {

    private final Scratch.File file;
    private long bytes;

    SpillFile(Scratch.File file) {
        this.file = file;
    }

    /** Appends a batch. */
    public Chunk write(Batch batch) {
        byte[] block = Blocks.encode(batch);
        long place = file.append(block, block.length);
        bytes += block.length;
        return Chunk.inFile(batch, this, place, block.length);
    }

    /** Bytes written so far, compressed. */
    public long bytes() {
        return bytes;
    }

    Batch read(long place, int length) {
        return Blocks.decode(block(place, length), length);
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
