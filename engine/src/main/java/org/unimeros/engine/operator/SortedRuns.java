package org.unimeros.engine.operator;

import java.io.Serializable;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.expr.SortKey;
import org.unimeros.engine.spill.Chunk;

/**
 * Rows that the tasks of a stage have sorted, each its own, and how they are cut into ranges of the keys that later tasks merge:
 * all rows of a range come before those of the next one. The first keys of the chunks say where ranges can be cut and which
 * chunks belong to them, so that nothing is read to find out. Not changed once it is made; shared by tasks.
 */
public final class SortedRuns {

    /** Chunks of each run that a range should at least have, since those at its ends are read by its neighbours as well. */
    private static final int CHUNKS_PER_RANGE = 3;

    private final List<List<Chunk>> runs = new ArrayList<>();
    /** Where the first keys of each run stand among those of all. */
    private final int[] offsets;

    private final RowOrder.Keys starts;
    private final Column[] columns;
    private final Batch firstRows;
    private final List<SortKey> keys;

    /**
     * Rows whose keys are not below one bound and below another, each a row of the key columns; null where there is no such bound.
     * It means the same rows wherever and however often they are made.
     */
    public record Range(Batch low, Batch high) implements Serializable {}

    /** The chunks of a run that have rows of a range; a bound is the first row of its keys, or null. */
    public record Piece(List<Chunk> chunks, RowOrder.Keys low, RowOrder.Keys high) {}

    public SortedRuns(List<TaskResult> tasks, List<SortKey> keys) {
        this.keys = List.copyOf(keys);
        this.offsets = new int[tasks.size() + 1];
        BatchBuilder all =
                new BatchBuilder(keys.stream().map(k -> k.expression().type()).toList());
        for (int t = 0; t < tasks.size(); t++) {
            List<Chunk> chunks = tasks.get(t).parts().get(0).chunks();
            runs.add(chunks);
            all.appendAll(tasks.get(t).runStarts());
            offsets[t + 1] = offsets[t] + chunks.size();
        }
        this.firstRows = all.build();
        this.columns = columns(firstRows);
        this.starts = new RowOrder.Keys(columns, this.keys);
    }

    private Column[] columns(Batch batch) {
        Column[] all = new Column[keys.size()];
        Arrays.setAll(all, batch::column);
        return all;
    }

    /** Cuts all rows into ranges of about a size, in order; one range where there are few. */
    public List<Range> ranges(long targetBytes) {
        long bytes = 0;
        for (List<Chunk> run : runs) {
            bytes += run.stream().mapToLong(Chunk::bytes).sum();
        }
        int chunks = offsets[runs.size()];
        long bySize = bytes / Math.max(1, targetBytes);
        int count = (int) Math.min(bySize, chunks / (CHUNKS_PER_RANGE * Math.max(1, runs.size())));
        List<Range> ranges = new ArrayList<>();
        int low = -1;
        if (count > 1) {
            int[] order = new RowOrder(columns, keys).sorted(chunks);
            for (int r = 1; r < count; r++) {
                int high = order[(int) ((long) chunks * r / count)];
                boolean isNew = low < 0 || starts.compare(low, starts, high) < 0;
                if (isNew) {
                    ranges.add(new Range(bound(low), bound(high)));
                    low = high;
                }
            }
        }
        ranges.add(new Range(bound(low), null));
        return ranges;
    }

    private Batch bound(int row) {
        return row < 0 ? null : firstRows.slice(row, 1).dense();
    }

    private RowOrder.Keys bound(Batch row) {
        return row == null ? null : new RowOrder.Keys(columns(row), keys);
    }

    /** What a range has of each run, in the order of the tasks that made them. */
    public List<Piece> pieces(Range range) {
        List<Piece> pieces = new ArrayList<>();
        RowOrder.Keys low = bound(range.low);
        RowOrder.Keys high = bound(range.high);
        for (int r = 0; r < runs.size(); r++) {
            int size = runs.get(r).size();
            // The chunk before the first one that starts within the range can end within it.
            int from = low == null ? 0 : Math.max(0, firstNotBelow(offsets[r], size, low) - 1);
            int end = high == null ? size : firstNotBelow(offsets[r], size, high);
            if (from < end) {
                pieces.add(new Piece(runs.get(r).subList(from, end), low, high));
            }
        }
        return pieces;
    }

    /** The first of so many chunks that does not start below a bound. */
    private int firstNotBelow(int offset, int size, RowOrder.Keys bound) {
        int low = 0;
        int high = size;
        while (low < high) {
            int middle = (low + high) >>> 1;
            if (starts.compare(offset + middle, bound, 0) < 0) {
                low = middle + 1;
            } else {
                high = middle;
            }
        }
        return low;
    }
}
