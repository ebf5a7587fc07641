package org.unimeros.engine.operator;

import java.util.ArrayList;
import java.util.List;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.source.TableSink;
import org.unimeros.engine.source.TableSink.TaskOutput;

/** The ends of the chains: they keep or write what arrives. */
final class Outputs {

    private Outputs() {}

    /** An end whose result can be taken once it is finished. */
    abstract static class End extends Operator {
        abstract TaskResult result();

        /** Bytes kept or written. */
        abstract long bytes();
    }

    /** Keeps rows as they come, in batches of a decent size. */
    static final class Keep extends End {
        private final BatchBuilder small;
        private final List<Batch> batches = new ArrayList<>();
        private long rows;
        private long bytes;

        Keep(List<DataType> types) {
            small = new BatchBuilder(types);
        }

        @Override
        void accept(Batch batch) {
            rows += batch.rowCount();
            if (batch.rowCount() >= Batch.TARGET_ROWS / 4) {
                flush();
                add(batch.dense());
            } else {
                small.appendAll(batch);
                if (small.rowCount() >= Batch.TARGET_ROWS) {
                    flush();
                }
            }
        }

        private void flush() {
            if (small.rowCount() > 0) {
                add(small.build());
            }
        }

        private void add(Batch batch) {
            batches.add(batch);
            bytes += batch.sizeInBytes();
        }

        @Override
        void finish() {
            flush();
        }

        @Override
        TaskResult result() {
            return new TaskResult(rows, List.of(new Part(batches, rows, bytes)), null);
        }

        @Override
        long bytes() {
            return bytes;
        }
    }

    /** Divides rows by the hash of their keys. */
    static final class Divide extends End {
        private final Evaluator evaluator;
        private final List<Expression> keys;
        private final Keep[] parts;
        private long[] hashes = new long[Batch.TARGET_ROWS];
        private long rows;

        Divide(Evaluator evaluator, List<Expression> keys, int partCount, List<DataType> types) {
            this.evaluator = evaluator;
            this.keys = keys;
            this.parts = new Keep[partCount];
            for (int p = 0; p < partCount; p++) {
                parts[p] = new Keep(types);
            }
        }

        @Override
        void accept(Batch batch) {
            int n = batch.rowCount();
            rows += n;
            if (parts.length == 1) {
                parts[0].accept(batch);
                return;
            }
            if (hashes.length < n) {
                hashes = new long[n];
            }
            Column[] columns = JoinTable.evaluate(evaluator, keys, batch);
            Hashing.rows(columns, n, hashes);
            divide(batch, n);
        }

        /** A counting sort of the row numbers by part. The high bits choose the part, the low ones the slot in its table. */
        private void divide(Batch batch, int n) {
            int[] starts = new int[parts.length + 1];
            int[] partOf = new int[n];
            for (int i = 0; i < n; i++) {
                partOf[i] = (int) Math.unsignedMultiplyHigh(hashes[i], parts.length);
                starts[partOf[i] + 1]++;
            }
            for (int p = 0; p < parts.length; p++) {
                starts[p + 1] += starts[p];
            }
            int[] at = starts.clone();
            int[] sorted = new int[n];
            for (int i = 0; i < n; i++) {
                sorted[at[partOf[i]]++] = i;
            }
            for (int p = 0; p < parts.length; p++) {
                int size = starts[p + 1] - starts[p];
                if (size > 0) {
                    int[] rowsOfPart = new int[size];
                    System.arraycopy(sorted, starts[p], rowsOfPart, 0, size);
                    parts[p].accept(batch.select(rowsOfPart, size));
                }
            }
        }

        @Override
        void finish() {
            for (Keep part : parts) {
                part.finish();
            }
        }

        @Override
        TaskResult result() {
            List<Part> made = new ArrayList<>();
            for (Keep part : parts) {
                made.add(part.result().parts().get(0));
            }
            return new TaskResult(rows, made, null);
        }

        @Override
        long bytes() {
            long bytes = 0;
            for (Keep part : parts) {
                bytes += part.bytes();
            }
            return bytes;
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
        void accept(Batch batch) {
            rows += batch.rowCount();
            writer.write(batch);
        }

        @Override
        void finish() {
            output = writer.finish();
        }

        @Override
        TaskResult result() {
            return new TaskResult(rows, List.of(), output);
        }

        @Override
        long bytes() {
            return output == null ? 0 : output.bytes();
        }
    }
}
