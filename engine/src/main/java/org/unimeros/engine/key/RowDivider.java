package org.unimeros.engine.key;

import java.util.ArrayList;
import java.util.List;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.spill.Chunk;
import org.unimeros.engine.spill.SpillFile;
import org.unimeros.engine.spill.StepSpace;

/**
 * Divides rows by the hash of their keys into a file, so that equal keys are together and each division can be worked
 * on by itself. At every depth the hash is another one. Rows of a division keep their order.
 */
public final class RowDivider {

    private final SpillFile file;
    private final int depth;
    private final long mostBytes;
    private final List<List<Chunk>> divisions = new ArrayList<>();
    private final BatchBuilder[] open;
    private final int[] starts;
    private long[] hashes = new long[Batch.TARGET_ROWS];
    private int[] partOf = new int[Batch.TARGET_ROWS];
    private int[] sorted = new int[Batch.TARGET_ROWS];

    public RowDivider(int divisions, int depth, StepSpace space) {
        this.file = space.newFile();
        this.depth = depth;
        this.mostBytes = space.limit() / 4;
        this.open = new BatchBuilder[divisions];
        this.starts = new int[divisions + 1];
        for (int i = 0; i < divisions; i++) {
            this.divisions.add(new ArrayList<>());
        }
    }

    /** Adds rows with their keys, which are not null where equal keys are to meet. */
    public void add(Batch batch, Column[] keys) {
        int rows = batch.rowCount();
        if (hashes.length < rows) {
            hashes = new long[rows];
            partOf = new int[rows];
            sorted = new int[rows];
        }
        Hashing.rows(keys, rows, hashes);
        Hashing.again(hashes, rows, depth);
        Hashing.divide(hashes, rows, open.length, starts, partOf, sorted);
        long held = 0;
        for (int d = 0; d < open.length; d++) {
            if (open[d] == null) {
                open[d] = BatchBuilder.like(batch);
            }
            for (int from = starts[d]; from < starts[d + 1]; from += Batch.TARGET_ROWS) {
                open[d].appendRows(batch, sorted, from, Math.min(starts[d + 1], from + Batch.TARGET_ROWS));
                if (open[d].rowCount() >= Batch.TARGET_ROWS) {
                    write(d);
                }
            }
            held += open[d].sizeInBytes();
        }
        if (held > mostBytes) {
            writeAll();
        }
    }

    private void write(int division) {
        if (open[division] != null && open[division].rowCount() > 0) {
            divisions.get(division).add(file.write(open[division].build()));
        }
    }

    private void writeAll() {
        for (int d = 0; d < open.length; d++) {
            write(d);
        }
    }

    /** The divisions, when everything was added. */
    public List<List<Chunk>> divisions() {
        writeAll();
        return divisions;
    }

    public SpillFile file() {
        return file;
    }
}
