package org.unimeros.engine.spill;

import org.unimeros.engine.data.Batch;

/** A batch that is in memory or in a {@link SpillFile}. Can be shared; loading it does not change it. */
public final class Chunk {

    private final int rows;
    private final long bytes;
    private final Batch batch;
    private final SpillFile file;
    private final long place;
    private final int length;

    private Chunk(int rows, long bytes, Batch batch, SpillFile file, long place, int length) {
        this.rows = rows;
        this.bytes = bytes;
        this.batch = batch;
        this.file = file;
        this.place = place;
        this.length = length;
    }

    /** A batch in memory, which must be {@linkplain Batch#dense dense}. */
    public static Chunk inMemory(Batch batch) {
        return new Chunk(batch.rowCount(), batch.sizeInBytes(), batch, null, 0, 0);
    }

    static Chunk inFile(Batch batch, SpillFile file, long place, int length) {
        return new Chunk(batch.rowCount(), batch.sizeInBytes(), null, file, place, length);
    }

    public int rows() {
        return rows;
    }

    /** Bytes that the batch needs in memory. */
    public long bytes() {
        return bytes;
    }

    /** The batch, read anew when it is not in memory. */
    public Batch load() {
        return batch != null ? batch : file.read(place, length);
    }
}
