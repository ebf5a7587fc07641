package org.unimeros.engine.spill;

import org.unimeros.engine.data.Batch;

/**
 * Keeps what one attempt makes for later stages: in memory while there is some for it, else in a file. Written by the
 * thread of the attempt, read by any once it is done.
 */
public final class OutputStore implements AutoCloseable {

    private final Workspace workspace;
    private final MemoryPool memory;
    private SpillFile file;
    private long reserved;

    OutputStore(Workspace workspace, MemoryPool memory) {
        this.workspace = workspace;
        this.memory = memory;
    }

    /** Keeps a batch. */
    public Chunk keep(Batch batch) {
        Batch dense = batch.dense();
        long bytes = dense.sizeInBytes();
        if (memory.tryReserve(bytes)) {
            reserved += bytes;
            return Chunk.inMemory(dense);
        }
        if (file == null) {
            file = workspace.newFile();
        }
        return file.write(dense);
    }

    /** Bytes that went into the file. */
    public long spilledBytes() {
        return file == null ? 0 : file.bytes();
    }

    /** Time to write it, and to read what was read of it. */
    public long spillNanos() {
        return file == null ? 0 : file.nanos();
    }

    /** Gives memory and file back. */
    @Override
    public void close() {
        memory.release(reserved);
        reserved = 0;
        if (file != null) {
            workspace.close(file);
        }
    }
}
