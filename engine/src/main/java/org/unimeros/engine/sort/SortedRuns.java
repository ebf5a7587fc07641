package org.unimeros.engine.sort;

import java.io.Serializable;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.expr.SortKey;
import org.unimeros.engine.operator.TaskResult;
import org.unimeros.engine.spill.Chunk;
import org.unimeros.engine.stage.Source;

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
     * It means the same rows wherever and however often they are made. Bounds can be rows of the first key columns only.
     *
     * @param isEmpty whether it has no rows, whatever its bounds
     */
    public record Range(Batch low, Batch high, boolean isEmpty) implements Serializable {
        static final Range EMPTY = new Range(null, null, true);

        Range(Batch low, Batch high) {
            this(low, high, false);
        }
    }

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

    private static Column[] columns(Batch batch) {
        Column[] all = new Column[batch.columnCount()];
        Arrays.setAll(all, batch::column);
        return all;
    }

    /** Cuts all rows into ranges as they are wanted, in order; where their number is open, by size. */
    public List<Range> ranges(Source.Cut cut, long targetBytes) {
        if (cut.ranges() == 0) {
            return cut(suggested(targetBytes), cut.keys());
        }
        List<Range> ranges = new ArrayList<>(cut(cut.ranges(), cut.keys()));
        while (ranges.size() < cut.ranges()) {
            ranges.add(Range.EMPTY);
        }
        return ranges;
    }

    private int suggested(long targetBytes) {
        long bytes = 0;
        for (List<Chunk> run : runs) {
            bytes += run.stream().mapToLong(Chunk::bytes).sum();
        }
        long bySize = bytes / Math.max(1, targetBytes);
        return (int) Math.min(bySize, offsets[runs.size()] / (CHUNKS_PER_RANGE * Math.max(1, runs.size())));
    }

    /** At most so many ranges, between which the first keys differ. */
    private List<Range> cut(int count, int cutKeys) {
        int chunks = offsets[runs.size()];
        RowOrder.Keys cutting = new RowOrder.Keys(Arrays.copyOf(columns, cutKeys), keys.subList(0, cutKeys));
        List<Range> ranges = new ArrayList<>();
        int low = -1;
        if (count > 1 && chunks > 0) {
            int[] order = new RowOrder(columns, keys).sorted(chunks);
            int[] rows = rowsOfChunks();
            long all = Arrays.stream(rows).asLongStream().sum();
            long before = 0;
            int at = 0;
            for (int r = 1; r < count; r++) {
                while (at < chunks - 1 && before + rows[order[at]] <= all * r / count) {
                    before += rows[order[at++]];
                }
                int high = order[at];
                boolean isNew = low < 0 || cutting.compare(low, cutting, high) < 0;
                if (isNew) {
                    ranges.add(new Range(bound(low, cutKeys), bound(high, cutKeys)));
                    low = high;
                }
            }
        }
        ranges.add(new Range(bound(low, cutKeys), null));
        return ranges;
    }

    private int[] rowsOfChunks() {
        int[] rows = new int[offsets[runs.size()]];
        int at = 0;
        for (List<Chunk> run : runs) {
            for (Chunk chunk : run) {
                rows[at++] = chunk.rows();
            }
        }
        return rows;
    }

    private Batch bound(int row, int cutKeys) {
        if (row < 0) {
            return null;
        }
        int[] first = new int[cutKeys];
        Arrays.setAll(first, i -> i);
        return firstRows.pick(first).slice(row, 1).dense();
    }

    private RowOrder.Keys bound(Batch row) {
        return row == null ? null : new RowOrder.Keys(columns(row), keys.subList(0, row.columnCount()));
    }

    /** What a range has of each run, in the order of the tasks that made them. */
    public List<Piece> pieces(Range range) {
        List<Piece> pieces = new ArrayList<>();
        if (range.isEmpty) {
            return pieces;
        }
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
            if (bound.compare(0, starts, offset + middle) > 0) {
                low = middle + 1;
            } else {
                high = middle;
            }
        }
        return low;
    }
}
