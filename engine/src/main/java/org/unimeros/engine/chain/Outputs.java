package org.unimeros.engine.chain;

import java.util.ArrayList;
import java.util.List;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.key.Hashing;
import org.unimeros.engine.key.KeySketch;
import org.unimeros.engine.operator.Operator;
import org.unimeros.engine.operator.Part;
import org.unimeros.engine.operator.StepMetrics;
import org.unimeros.engine.operator.TaskResult;
import org.unimeros.engine.sort.RunStarts;
import org.unimeros.engine.source.TableSink;
import org.unimeros.engine.source.TableSink.TaskOutput;
import org.unimeros.engine.spill.Chunk;
import org.unimeros.engine.spill.OutputStore;
import org.unimeros.engine.stage.Output;

/** The ends of the chains: they keep or write what arrives. */
final class Outputs {

    private Outputs() {}

    /** An end whose result can be taken once it is finished. */
    abstract static class End extends Operator {
        abstract TaskResult result();

        /** Bytes kept or written. */
        abstract long bytes();

        /** What did not fit into memory. */
        StepMetrics spilled() {
            return StepMetrics.NONE;
        }
    }

    /** Keeps rows as they come, in batches of a decent size. */
    static final class Keep extends End {
        private static final int FINE_CHUNK = 128;
        private static final long FINE_ROWS = 1 << 19;

        private final OutputStore store;
        private final RunStarts starts;
        private final boolean fine;
        private BatchBuilder small;
        private int width;
        private final List<Chunk> chunks = new ArrayList<>();
        private long rows;
        private long bytes;

        Keep(List<DataType> types, OutputStore store) {
            this(types, store, null, false);
        }

        /**
         * @param starts is told of chunks of sorted rows, else null
         * @param fine whether chunks are small, so that ranges of their rows can be cut in many places
         */
        Keep(List<DataType> types, OutputStore store, RunStarts starts, boolean fine) {
            this.starts = starts;
            this.fine = fine;
            this.small = new BatchBuilder(types);
            this.width = types.size();
            this.store = store;
        }

        @Override
        public void accept(Batch batch) {
            rows += batch.rowCount();
            if (batch.rowCount() >= Batch.TARGET_ROWS / 4) {
                flush();
                add(batch);
            } else {
                fit(batch);
                small.appendAll(batch);
                if (small.rowCount() >= Batch.TARGET_ROWS) {
                    flush();
                }
            }
        }

        /** Some rows of a batch that was divided. Chunks have as many rows as a batch, so that nothing is copied when one is full. */
        void accept(Batch batch, int[] rowNumbers, int start, int end) {
            fit(batch);
            rows += end - start;
            int from = start;
            while (from < end) {
                int until = Math.min(end, from + Batch.TARGET_ROWS - small.rowCount());
                small.appendRows(batch, rowNumbers, from, until);
                from = until;
                if (small.rowCount() == Batch.TARGET_ROWS) {
                    flush();
                    small.expect(Batch.TARGET_ROWS);
                }
            }
        }

        /** Where a task makes batches of two kinds, which differ in their columns, each has chunks of its own. */
        private void fit(Batch batch) {
            if (batch.columnCount() != width) {
                flush();
                small = BatchBuilder.like(batch);
                width = batch.columnCount();
            }
        }

        long openBytes() {
            return small.sizeInBytes();
        }

        void flush() {
            if (small.rowCount() > 0) {
                add(small.build());
            }
        }

        private void add(Batch batch) {
            // Beyond so many rows, chunks of the usual size are small enough among all.
            boolean isCut = fine && rows <= FINE_ROWS && batch.rowCount() > FINE_CHUNK;
            for (int from = 0; isCut && from < batch.rowCount(); from += FINE_CHUNK) {
                keep(batch.slice(from, Math.min(FINE_CHUNK, batch.rowCount() - from)));
            }
            if (!isCut) {
                keep(batch);
            }
        }

        private void keep(Batch batch) {
            if (starts != null) {
                starts.add(batch);
            }
            Chunk chunk = store.keep(batch);
            chunks.add(chunk);
            bytes += chunk.bytes();
        }

        @Override
        public void finish() {
            flush();
        }

        private Part part() {
            return new Part(chunks, rows, bytes);
        }

        @Override
        TaskResult result() {
            return new TaskResult(rows, List.of(part()), store, null, starts == null ? null : starts.build(), null);
        }

        @Override
        long bytes() {
            return bytes;
        }

        @Override
        StepMetrics spilled() {
            return StepMetrics.spilled(store.spilledBytes(), store.spillNanos());
        }
    }

    /** Divides rows by the hash of their keys, or by a number that is theirs. */
    static final class Divide extends End {
        private final Evaluator evaluator;
        private final List<Expression> keys;
        private final boolean byNumber;
        private final OutputStore store;
        private final long mostOpenBytes;
        private final KeySketch sketch;
        private final Keep[] parts;
        private final int[] starts;
        private long[] hashes = new long[Batch.TARGET_ROWS];
        private int[] partOf = new int[Batch.TARGET_ROWS];
        private int[] sorted = new int[Batch.TARGET_ROWS];
        private long rows;

        Divide(
                Evaluator evaluator,
                Output.ToParts output,
                List<DataType> types,
                OutputStore store,
                long mostOpenBytes) {
            this.evaluator = evaluator;
            this.keys = output.keys();
            this.byNumber = output.byNumber();
            this.store = store;
            this.mostOpenBytes = mostOpenBytes;
            this.sketch = sketch(output);
            this.parts = new Keep[output.parts()];
            this.starts = new int[parts.length + 1];
            for (int p = 0; p < parts.length; p++) {
                parts[p] = new Keep(types, store);
            }
        }

        private static KeySketch sketch(Output.ToParts output) {
            List<DataType> types = output.keys().stream().map(Expression::type).toList();
            return switch (output.notes()) {
                case NONE -> null;
                case OF_JOIN -> types.isEmpty() ? null : new KeySketch(types, false);
                case OF_ROWS -> types.isEmpty() || output.parts() == 1 ? null : new KeySketch(types, true);
            };
        }

        @Override
        public void accept(Batch batch) {
            int n = batch.rowCount();
            rows += n;
            if (isWhole()) {
                parts[0].accept(batch);
                return;
            }
            if (hashes.length < n) {
                hashes = new long[n];
                partOf = new int[n];
                sorted = new int[n];
            }
            Column[] columns = evaluator.evaluateAll(keys, batch);
            if (byNumber) {
                Hashing.sort(((IntColumn) columns[0]).values(), n, parts.length, starts, sorted);
            } else {
                Hashing.rows(columns, n, hashes);
                if (sketch != null) {
                    sketch.add(hashes, n, columns);
                }
                Hashing.divide(hashes, n, parts.length, starts, partOf, sorted);
            }
            long open = 0;
            for (int p = 0; p < parts.length; p++) {
                parts[p].accept(batch, sorted, starts[p], starts[p + 1]);
                open += parts[p].openBytes();
            }
            if (open > mostOpenBytes) {
                finish();
            }
        }

        /** Rows that are divided are copied. */
        @Override
        public boolean forgetsBatch() {
            return !isWhole();
        }

        private boolean isWhole() {
            return parts.length == 1 && sketch == null;
        }

        @Override
        public void finish() {
            for (Keep part : parts) {
                part.flush();
            }
        }

        @Override
        TaskResult result() {
            List<Part> made = new ArrayList<>();
            for (Keep part : parts) {
                made.add(part.part());
            }
            return new TaskResult(rows, made, store, sketch, null, null);
        }

        @Override
        long bytes() {
            long bytes = 0;
            for (Keep part : parts) {
                bytes += part.bytes();
            }
            return bytes;
        }

        @Override
        StepMetrics spilled() {
            return StepMetrics.spilled(store.spilledBytes(), store.spillNanos());
        }
    }

    /** Writes rows outside. */
    static final class Write extends End {
        private final TableSink.TaskWriter writer;
        private TaskOutput output;
        private long rows;

        Write(TableSink.TaskWriter writer) {
            this.writer = writer;
        }

        @Override
        public void accept(Batch batch) {
            rows += batch.rowCount();
            writer.write(batch);
        }

        @Override
        public void finish() {
            output = writer.finish();
        }

        @Override
        TaskResult result() {
            return new TaskResult(rows, List.of(), null, null, null, output);
        }

        @Override
        long bytes() {
            return output == null ? 0 : output.bytes();
        }
    }
}
