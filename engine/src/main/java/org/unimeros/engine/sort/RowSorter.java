package org.unimeros.engine.sort;

import java.util.ArrayList;
import java.util.List;
import java.util.function.Consumer;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.expr.SortKey;
import org.unimeros.engine.source.BatchReader;
import org.unimeros.engine.spill.Chunk;
import org.unimeros.engine.spill.SpillFile;
import org.unimeros.engine.spill.StepSpace;

/**
 * Sorts any number of rows in limited memory; rows with equal keys keep the order in which they came. What is held is
 * sorted and spilled as a run when that takes all there is; in the end the runs are merged, some at a time when
 * there are so many that even their current blocks would not fit.
 */
public final class RowSorter {

    /** Smaller batches are put together before they are kept. */
    private static final int FEW_ROWS = Batch.TARGET_ROWS / 4;
    /** An array cannot hold more than twice as much. */
    private static final long MOST_BYTES = 1L << 30;

    private final Evaluator evaluator;
    private final List<DataType> types;
    private final List<SortKey> keys;
    /** Whether rows can be told apart by their first key without a look at the others, which would have to be computed if they could fail. */
    private final boolean firstKeyMayDo;

    private final StepSpace space;
    /** The rows that came last, where they came in small batches. */
    private final BatchBuilder small;

    private final List<Batch> held = new ArrayList<>();
    private long heldBytes;
    private int heldRows;
    /** The keys of a row before which all must come that are added, once there are as many as are wanted; else null. */
    private RowOrder.Keys bound;
    /** For the numbers of rows that are chosen from a batch. */
    private int[] chosen = {};

    private final List<Run> runs = new ArrayList<>();

    private long largestBlock = 1;

    /**
     * Sorted rows.
     *
     * @param file where they are, null when they belong to others
     * @param piece the range that is meant, null for all
     */
    private record Run(List<Chunk> chunks, SpillFile file, SortedRuns.Piece piece) {}

    public RowSorter(Evaluator evaluator, List<DataType> types, List<SortKey> keys, StepSpace space) {
        this.evaluator = evaluator;
        this.types = types;
        this.keys = keys;
        this.firstKeyMayDo = !keys.isEmpty()
                && keys.stream().skip(1).noneMatch(k -> k.expression().canFail());
        this.space = space;
        this.small = new BatchBuilder(types);
    }

    public void add(Batch batch) {
        Batch near = bound == null ? batch : before(firstKeyMayDo ? notBehind(batch) : batch);
        if (near.rowCount() > 0) {
            take(near);
        }
    }

    /** Without most rows that come behind the bound: their first key alone is looked at. */
    private Batch notBehind(Batch batch) {
        Column[] first = {evaluator.evaluate(keys.get(0).expression(), batch)};
        int[] rows = rows(batch.rowCount());
        int n = new RowOrder.Keys(first, keys.subList(0, 1)).notBehind(batch.rowCount(), bound, 0, rows);
        return n == batch.rowCount() ? batch : batch.select(rows, n);
    }

    private Batch before(Batch batch) {
        if (batch.rowCount() == 0) {
            return batch;
        }
        int[] rows = rows(batch.rowCount());
        return batch.select(rows, new RowOrder.Keys(evaluated(batch), keys).before(batch.rowCount(), bound, 0, rows));
    }

    private int[] rows(int atLeast) {
        if (chosen.length < atLeast) {
            chosen = new int[atLeast];
        }
        return chosen;
    }

    private void take(Batch batch) {
        heldRows += batch.rowCount();
        if (batch.rowCount() < FEW_ROWS) {
            small.appendAll(batch);
            if (small.rowCount() >= Batch.TARGET_ROWS) {
                holdSmall();
            }
        } else {
            holdSmall();
            hold(batch);
        }
        // Rows are copied once into one batch and once more piece by piece; beside them stand their numbers and the
        // words that they are sorted by, twice.
        long bytes = heldBytes + small.sizeInBytes();
        if (bytes * 5 / 2 + 28L * heldRows > space.limit() || bytes > MOST_BYTES) {
            runs.add(written(this::pushHeld));
        }
    }

    private void hold(Batch batch) {
        Batch dense = batch.dense();
        held.add(dense);
        for (int c = 0; c < dense.columnCount(); c++) {
            heldBytes += dense.column(c).spelledOutBytes(dense.rowCount());
        }
    }

    private void holdSmall() {
        if (small.rowCount() > 0) {
            hold(small.build());
        }
    }

    /** Adds rows that are sorted already; among equal ones those of earlier runs come first. */
    public void addRun(SortedRuns.Piece piece) {
        piece.chunks().forEach(chunk -> largestBlock = Math.max(largestBlock, chunk.bytes()));
        runs.add(new Run(piece.chunks(), null, piece));
    }

    public int heldRows() {
        return heldRows;
    }

    /** Keeps only the first of the rows held, in order, and takes none any more that would come behind them. */
    public void keepFirst(long limit) {
        Batch first = ordered(limit);
        take(first);
        if (limit > 0 && first.rowCount() == limit) {
            Batch last = first.slice(first.rowCount() - 1, 1).dense();
            bound = new RowOrder.Keys(evaluated(last), keys);
        }
    }

    private Batch ordered(long limit) {
        holdSmall();
        Batch all = BatchBuilder.joined(types, held);
        held.clear();
        heldBytes = 0;
        heldRows = 0;
        int rows = all.rowCount();
        int[] order = new RowOrder(evaluated(all), keys).sorted(rows);
        return all.select(order, (int) Math.min(limit, rows));
    }

    private Column[] evaluated(Batch batch) {
        return keys.stream().map(k -> evaluator.evaluate(k.expression(), batch)).toArray(Column[]::new);
    }

    private void pushHeld(Consumer<Batch> out) {
        inPieces(ordered(Long.MAX_VALUE), out);
    }

    private static void inPieces(Batch batch, Consumer<Batch> out) {
        Pieces pieces = new Pieces(batch);
        for (Batch piece = pieces.next(); piece != null; piece = pieces.next()) {
            out.accept(piece);
        }
    }

    /** Hands out a large batch in batches of the usual size. */
    private static final class Pieces implements BatchReader {
        private final Batch batch;
        private int from;

        Pieces(Batch batch) {
            this.batch = batch;
        }

        @Override
        public Batch next() {
            if (from >= batch.rowCount()) {
                return null;
            }
            Batch piece = batch.slice(from, Math.min(Batch.TARGET_ROWS, batch.rowCount() - from));
            from += piece.rowCount();
            return piece;
        }

        @Override
        public void close() {
            // nothing is open
        }
    }

    private Run written(Consumer<Consumer<Batch>> maker) {
        SpillFile file = space.newFile();
        List<Chunk> chunks = new ArrayList<>();
        maker.accept(batch -> {
            Chunk chunk = file.write(batch.dense());
            largestBlock = Math.max(largestBlock, chunk.bytes());
            chunks.add(chunk);
        });
        return new Run(chunks, file, null);
    }

    /** Hands out all rows in order; the sorter is empty then. */
    public void finish(Consumer<Batch> out) {
        BatchReader all = sorted();
        for (Batch batch = all.next(); batch != null; batch = all.next()) {
            out.accept(batch);
        }
    }

    /** All rows in order, for someone who reads them at his own pace; nothing can be added any more. */
    public BatchReader sorted() {
        if (runs.isEmpty()) {
            return new Pieces(ordered(Long.MAX_VALUE));
        }
        if (heldRows > 0) {
            runs.add(written(this::pushHeld));
        }
        int atOnce = Math.clamp(space.limit() / (2 * largestBlock), 2, 1024);
        while (runs.size() > atOnce) {
            List<Run> first = new ArrayList<>(runs.subList(0, atOnce));
            runs.subList(0, atOnce).clear();
            runs.add(0, written(to -> {
                Merged merged = new Merged(first);
                for (Batch batch = merged.next(); batch != null; batch = merged.next()) {
                    to.accept(batch);
                }
            }));
        }
        Merged all = new Merged(runs);
        runs.clear();
        return all;
    }

    /** Notes which rows come next, and copies them when there is a batch of them, column by column. */
    private final class Merged implements BatchReader {
        private final Cursor[] cursors;
        private final Tournament<Cursor> tournament;
        private final BatchBuilder builder = new BatchBuilder(types);
        private final List<Batch> batches = new ArrayList<>();
        private final int[] which = new int[Batch.TARGET_ROWS];
        private final int[] rows = new int[Batch.TARGET_ROWS];
        private int size;

        Merged(List<Run> some) {
            cursors = new Cursor[some.size()];
            for (int i = 0; i < cursors.length; i++) {
                cursors[i] = new Cursor(some.get(i), i);
                cursors[i].advance();
            }
            tournament = new Tournament<>(cursors);
        }

        @Override
        public Batch next() {
            while (size < which.length) {
                Cursor least = tournament.winner();
                if (least.isAtEnd()) {
                    break;
                }
                add(least);
                least.advance();
                tournament.replay();
            }
            return size == 0 ? null : handOut();
        }

        private void add(Cursor cursor) {
            if (cursor.place < 0) {
                cursor.place = batches.size();
                batches.add(cursor.batch);
            }
            which[size] = cursor.place;
            rows[size++] = cursor.row;
        }

        private Batch handOut() {
            builder.appendMixed(batches, which, rows, size);
            size = 0;
            batches.clear();
            for (Cursor cursor : cursors) {
                cursor.place = -1;
            }
            return builder.build();
        }

        @Override
        public void close() {
            // files end with the space of the step
        }
    }

    /** The next row of a run. */
    private final class Cursor implements Tournament.Entrant<Cursor> {
        private final Run run;
        private final int number;
        private int nextChunk;
        private Batch batch;
        private RowOrder.Keys sorted;
        private long[] words;
        private int row;
        private int end;
        private long word;
        private boolean atEnd;
        /** The number of the batch among those whose rows are being merged; -1 when it is not there yet. */
        private int place = -1;

        Cursor(Run run, int number) {
            this.run = run;
            this.number = number;
        }

        void advance() {
            row++;
            while (batch == null || row >= end) {
                if (nextChunk == run.chunks.size()) {
                    if (run.file != null) {
                        space.done(run.file);
                    }
                    atEnd = true;
                    return;
                }
                load(run.chunks.get(nextChunk++));
            }
            word = words == null ? 0 : words[row];
        }

        boolean isAtEnd() {
            return atEnd;
        }

        private void load(Chunk chunk) {
            batch = chunk.load();
            place = -1;
            sorted = new RowOrder.Keys(evaluated(batch), keys);
            words = sorted.words(batch.rowCount());
            row = 0;
            end = batch.rowCount();
            if (run.piece != null) {
                row = firstNotBelow(run.piece.low(), 0);
                end = firstNotBelow(run.piece.high(), end);
            }
        }

        /** The first row of the batch that is not below a bound of the piece; what is given where there is no bound. */
        private int firstNotBelow(RowOrder.Keys bound, int without) {
            if (bound == null) {
                return without;
            }
            int low = 0;
            int high = batch.rowCount();
            while (low < high) {
                int middle = (low + high) >>> 1;
                if (bound.compare(0, sorted, middle) > 0) {
                    low = middle + 1;
                } else {
                    high = middle;
                }
            }
            return low;
        }

        /** Among equal rows that of the earlier run comes first; a run at its end comes behind all others. */
        @Override
        public boolean isBefore(Cursor other) {
            if (atEnd || other.atEnd) {
                return !atEnd;
            }
            if (word != other.word && words != null && other.words != null) {
                return Long.compareUnsigned(word, other.word) < 0;
            }
            int order = sorted.compare(row, other.sorted, other.row);
            return order != 0 ? order < 0 : number < other.number;
        }
    }
}
