package org.unimeros.engine.sort;

import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Deque;
import java.util.List;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.spill.Chunk;
import org.unimeros.engine.spill.SpillFile;
import org.unimeros.engine.spill.StepSpace;

/**
 * A stretch of a stream of sorted rows, by the number of the row in the stream. Rows are added at the end and dropped at
 * the front, in segments; those that do not fit into memory are in a scratch file, and a few of them are kept loaded.
 */
public final class SortedRows {

    private static final int KEPT_LOADED = 8;

    private final Evaluator evaluator;
    private final List<Expression> expressions;
    private final StepSpace space;
    private final List<Segment> segments = new ArrayList<>();
    private final Deque<Segment> loadedSegments = new ArrayDeque<>();
    private SpillFile file;
    private long bytesInMemory;
    private long end;

    /** Rows that came in one batch. */
    public static final class Segment {
        private final long first;
        private final Chunk chunk;
        private final boolean inFile;
        private Loaded loaded;

        private Segment(long first, Chunk chunk, boolean inFile) {
            this.first = first;
            this.chunk = chunk;
            this.inFile = inFile;
        }

        public long end() {
            return first + chunk.rows();
        }
    }

    /** A segment in memory, with the values of the expressions. */
    private record Loaded(long first, Batch batch, Column... values) {}

    public SortedRows(Evaluator evaluator, List<Expression> expressions, StepSpace space) {
        this.evaluator = evaluator;
        this.expressions = expressions;
        this.space = space;
    }

    /** The number behind that of the last row. */
    public long end() {
        return end;
    }

    public void add(Batch batch) {
        Batch dense = batch.dense();
        long bytes = dense.sizeInBytes();
        boolean inFile = bytesInMemory + bytes > space.limit() / 3;
        if (inFile && file == null) {
            file = space.newFile();
        }
        Segment segment = new Segment(end, inFile ? file.write(dense) : Chunk.inMemory(dense), inFile);
        bytesInMemory += inFile ? 0 : bytes;
        if (inFile) {
            keepLoaded(segment);
        }
        segment.loaded = loaded(segment, dense);
        segments.add(segment);
        end += dense.rowCount();
    }

    private Loaded loaded(Segment segment, Batch batch) {
        return new Loaded(segment.first, batch, evaluator.evaluateAll(expressions, batch));
    }

    private void keepLoaded(Segment segment) {
        loadedSegments.add(segment);
        if (loadedSegments.size() > KEPT_LOADED) {
            loadedSegments.remove().loaded = null;
        }
    }

    /** Forgets the segments that lie wholly before a row. */
    public void dropBefore(long row) {
        int n = 0;
        while (n < segments.size() && segments.get(n).end() <= row) {
            Segment dropped = segments.get(n++);
            bytesInMemory -= dropped.inFile ? 0 : dropped.chunk.bytes();
            loadedSegments.remove(dropped);
        }
        segments.subList(0, n).clear();
        if (file != null && segments.stream().noneMatch(s -> s.inFile)) {
            space.done(file);
            file = null;
        }
    }

    /** The segment that holds a row. */
    public Segment segment(long row) {
        int low = 0;
        int high = segments.size() - 1;
        while (low < high) {
            int middle = low + high >>> 1;
            if (segments.get(middle).end() <= row) {
                low = middle + 1;
            } else {
                high = middle;
            }
        }
        return segments.get(low);
    }

    public Batch batch(Segment segment) {
        return load(segment).batch;
    }

    private Loaded load(Segment segment) {
        if (segment.loaded == null) {
            segment.loaded = loaded(segment, segment.chunk.load());
            keepLoaded(segment);
        }
        return segment.loaded;
    }

    public Cursor cursor() {
        return new Cursor();
    }

    /** A place in the rows. Moving it by little is cheap. */
    public final class Cursor {
        private Loaded at;
        private long lastRow;
        private int offset;

        /** Moves to a row. */
        public Cursor to(long row) {
            if (at == null || row < at.first || row > lastRow) {
                Segment segment = segment(row);
                at = load(segment);
                lastRow = segment.end() - 1;
            }
            offset = (int) (row - at.first);
            return this;
        }

        /** The values of an expression in the segment of the row. */
        public Column column(int expression) {
            return at.values[expression];
        }

        /** The row within its segment. */
        public int offset() {
            return offset;
        }
    }
}
