package org.unimeros.benchmarks;

import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.PriorityQueue;
import java.util.SplittableRandom;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.LongColumn;

/**
 * Rows in memory, of which the heaviest hundred are asked for, by weight and then by number. The hand-written program keeps a heap of a
 * hundred rows and looks at the weight of each other one.
 */
final class FirstRows extends Entry {

    private static final int WANTED = 100;
    private static final long MEMORY = 2L << 30;

    private final Path folder;
    private final int rows;
    private long[] parcels;
    private long[] weights;
    private long[] depots;
    private MemoryTable table;

    FirstRows(Path folder, int rows) {
        super(
                "first-rows",
                String.format("the first %,d of %,d rows in memory in order of two columns", WANTED, rows),
                rows,
                null);
        this.folder = folder;
        this.rows = rows;
    }

    private record Row(long weight, long parcel, long depot) {}

    private static final Comparator<Row> ORDER =
            Comparator.comparingLong(Row::weight).reversed().thenComparingLong(Row::parcel);

    @Override
    void prepare() {
        SplittableRandom random = new SplittableRandom(29);
        parcels = new long[rows];
        weights = new long[rows];
        depots = new long[rows];
        for (int i = 0; i < rows; i++) {
            parcels[i] = i * 7919L;
            weights[i] = random.nextInt(31_000_000);
            depots[i] = random.nextInt(400);
        }
    }

    @Override
    void prepareOurs() {
        table = new MemoryTable("parcels", List.of("parcel_id", "weight_g", "depot_id"), parcels, weights, depots);
    }

    @Override
    Object ours(int slots) {
        String sql =
                "select weight_g, parcel_id, depot_id from parcels order by weight_g desc, parcel_id limit " + WANTED;
        List<Row> first = new ArrayList<>();
        for (Batch batch : MemoryTable.query(sql, Map.of("parcels", table), slots, MEMORY, folder.resolve("scratch"))) {
            for (int i = 0; i < batch.rowCount(); i++) {
                first.add(new Row(
                        ((LongColumn) batch.column(0)).values()[i],
                        ((LongColumn) batch.column(1)).values()[i],
                        ((LongColumn) batch.column(2)).values()[i]));
            }
        }
        return first;
    }

    @Override
    Object handWritten(int threads) throws Exception {
        List<Row> all = new ArrayList<>();
        for (PriorityQueue<Row> part : Threads.each(threads, t -> first(t, threads))) {
            all.addAll(part);
        }
        all.sort(ORDER);
        return new ArrayList<>(all.subList(0, Math.min(WANTED, all.size())));
    }

    /** The last of the first rows so far is on top. */
    private PriorityQueue<Row> first(int thread, int threads) {
        PriorityQueue<Row> heap = new PriorityQueue<>(ORDER.reversed());
        long least = Long.MIN_VALUE;
        int end = Threads.from(rows, thread + 1, threads);
        for (int i = Threads.from(rows, thread, threads); i < end; i++) {
            if (weights[i] >= least) {
                heap.add(new Row(weights[i], parcels[i], depots[i]));
                if (heap.size() > WANTED) {
                    heap.poll();
                    least = heap.element().weight();
                }
            }
        }
        return heap;
    }
}
