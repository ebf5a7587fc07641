package org.unimeros.engine.spill;

import java.util.function.Supplier;
import org.unimeros.engine.data.Batch;

/** A batch that is in memory, in a {@link SpillFile} or somewhere else. Can be shared; loading it does not change it. */
public final class Chunk {

    private final int rows;
    private final long bytes;
    private final Batch batch;
    private final SpillFile file;
    private final long place;
    private final int length;
    private final Supplier<Batch> elsewhere;

    private Chunk(
            int rows, long bytes, Batch batch, SpillFile file, long place, int length, Supplier<Batch> elsewhere) {
        this.rows = rows;
        this.bytes = bytes;
        this.batch = batch;
        this.file = file;
        this.place = place;
        this.length = length;
        this.elsewhere = elsewhere;
    }

    /** A batch in memory, which must be {@linkplain Batch#dense dense}. */
    public static Chunk inMemory(Batch batch) {
        return new Chunk(batch.rowCount(), batch.sizeInBytes(), batch, null, 0, 0, null);
    }

    static Chunk inFile(Batch batch, SpillFile file, long place, int length) {
        return new Chunk(batch.rowCount(), batch.sizeInBytes(), null, file, place, length, null);
    }

    /** A batch that is fetched each time it is loaded. */
    public static Chunk elsewhere(int rows, long bytes, Supplier<Batch> load) {
        return new Chunk(rows, bytes, null, null, 0, 0, load);
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
        if (batch != null) {
            return batch;
        }
        return file != null ? file.read(place, length) : elsewhere.get();
    }

    /** Some of its rows, for which all are loaded. */
    public Chunk slice(int from, int count) {
        if (from == 0 && count == rows) {
            return this;
        }
        return elsewhere(
                count, bytes * count / rows, () -> load().slice(from, count).dense());
    }

    /** Where it is fetched from; null when it is here. */
    public Supplier<Batch> source() {
        return elsewhere;
    }

    /** The batch as a block, which can be read from {@link Blocks}. */
    public byte[] block() {
        return file != null ? file.block(place, length) : Blocks.encode(load());
    }
}
