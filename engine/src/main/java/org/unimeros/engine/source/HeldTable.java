package org.unimeros.engine.source;

import java.util.ArrayList;
import java.util.Iterator;
import java.util.List;
import java.util.function.Supplier;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Schema;

/**
 * Rows that are held in memory for repeated questions, as a table.
 *
 * @param id of what holds them
 * @param pieces asked anew for every scan, since pieces that were lost are made again elsewhere
 */
public record HeldTable(String id, String name, Schema schema, Supplier<List<Piece>> pieces) implements TableSource {

    /**
     * What one task made.
     *
     * @param place the address of the worker that has it; empty for this process
     */
    public record Piece(int number, long rows, long bytes, String place) {}

    @Override
    public ScanPlan plan(ScanRequest request) {
        List<Split> splits = new ArrayList<>();
        long rows = 0;
        long bytes = 0;
        int[] columns = request.columns().stream().mapToInt(Integer::intValue).toArray();
        for (Piece piece : pieces.get()) {
            if (piece.rows > 0) {
                splits.add(new HeldSplit(id, piece.number, columns, piece.bytes, piece.place));
                rows += piece.rows;
                bytes += piece.bytes;
            }
        }
        return new ScanPlan(splits, 0, bytes, 0, 0, rows, request.conditions(), List.of());
    }

    private static final class HeldSplit implements Split {
        private static final long serialVersionUID = 1;

        private final String held;
        private final int piece;
        private final int[] columns;
        private final long bytes;
        private final String place;

        HeldSplit(String held, int piece, int[] columns, long bytes, String place) {
            this.held = held;
            this.piece = piece;
            this.columns = columns;
            this.bytes = bytes;
            this.place = place;
        }

        @Override
        public long bytes() {
            return bytes;
        }

        @Override
        public String describe() {
            return "piece " + piece + " of the held rows " + held;
        }

        @Override
        public String place() {
            return place;
        }

        @Override
        public BatchReader open(ReadContext context) {
            Iterator<Batch> batches = context.scope().held().open(held, piece);
            return new BatchReader() {
                @Override
                public Batch next() {
                    while (batches.hasNext()) {
                        Batch batch = batches.next();
                        if (batch.rowCount() > 0) {
                            return batch.pick(columns);
                        }
                    }
                    return null;
                }

                @Override
                public void close() {
                    // nothing is open
                }
            };
        }
    }
}
