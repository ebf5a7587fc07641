package org.unimeros.engine.spill;

import java.util.concurrent.atomic.LongAdder;
import java.util.function.LongSupplier;
import org.unimeros.engine.data.Batch;

/** Blocks of rows outside memory. Written by one thread; what was written can be read by several. */
public final class SpillFile implements AutoCloseable {

    private final Scratch.File file;
    private final LongSupplier nanoClock;
    private final PackLevel level = new PackLevel();
    private final LongAdder readNanos = new LongAdder();
    private long bytes;
    private long writeNanos;

    SpillFile(Scratch.File file, LongSupplier nanoClock) {
        this.file = file;
        this.nanoClock = nanoClock;
    }

    /** Appends a batch. */
    public Chunk write(Batch batch) {
        long start = nanoClock.getAsLong();
        try (Packer packer = Packer.take()) {
            int length = Blocks.encode(batch, packer, level);
            long place = file.append(packer.packed(), length);
            bytes += length;
            return Chunk.inFile(batch, this, place, length);
        } finally {
            writeNanos += nanoClock.getAsLong() - start;
        }
    }

    /** Bytes written so far, compressed. */
    public long bytes() {
        return bytes;
    }

    /** Time of all threads to pack and write, and to read and unpack. */
    public long nanos() {
        return writeNanos + readNanos.sum();
    }

    Batch read(long place, int length) {
        long start = nanoClock.getAsLong();
        try (Unpacker unpacker = Unpacker.take()) {
            byte[] block = unpacker.packed(length);
            file.read(place, block, length);
            return Blocks.decode(block, length, unpacker);
        } finally {
            readNanos.add(nanoClock.getAsLong() - start);
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
