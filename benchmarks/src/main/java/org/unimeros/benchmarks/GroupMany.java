package org.unimeros.benchmarks;

import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.SplittableRandom;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Aggregates;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.PlanBuilder;

/**
 * Rows in memory, counted and summed by a key. The hand-written program divides rows by the high bits of a hash of the key,
 * so that each table fits the cache, and then fills open-addressing tables of longs, one division after the other; with
 * few keys a table per thread, merged in the end.
 */
final class GroupMany implements Entry {

    private static final long PRIME = 0x9E3779B97F4A7C15L;
    private static final int DIVISIONS = 64;
    private static final int FEW_KEYS = 10_000;
    private static final long MEMORY = 5L << 30;

    private final Path folder;
    private final int rows;
    private final int keys;
    private long[] shippers;
    private long[] weights;

    GroupMany(Path folder, int rows, int keys) {
        this.folder = folder;
        this.rows = rows;
        this.keys = keys;
    }

    @Override
    public String name() {
        return keys < FEW_KEYS ? "group-few" : "group-many";
    }

    @Override
    public String work() {
        return String.format("%,d rows in memory, count and sum by %,d keys", rows, keys);
    }

    @Override
    public long rows() {
        return rows;
    }

    @Override
    public long bytes() {
        return 0;
    }

    @Override
    public void prepare() {
        SplittableRandom random = new SplittableRandom(11);
        shippers = new long[rows];
        weights = new long[rows];
        for (int i = 0; i < rows; i++) {
            shippers[i] = random.nextInt(keys) * 1_000_003L;
            weights[i] = random.nextInt(31_000);
        }
    }

    /** The number of groups and sums that change with any of them; 5 million groups are not put side by side. */
    private record Answer(long groups, long count, long mixed) {}

    @Override
    public Object ours(int slots) {
        MemoryTable table = new MemoryTable("parcels", List.of("shipper_id", "weight_g"), shippers, weights);
        Plan scan = PlanBuilder.scan(table, null);
        Aggregate sum = Aggregates.of(Aggregates.Call.of("sum", List.of(PlanBuilder.column(scan.schema(), 1))));
        Plan grouped = new Plan.Group(
                scan,
                List.of(Plan.Named.of("shipper_id", PlanBuilder.column(scan.schema(), 0))),
                List.of(new Plan.NamedAggregate(Aggregate.countRows(), "n"), new Plan.NamedAggregate(sum, "grams")));
        long groups = 0;
        long count = 0;
        long mixed = 0;
        for (Batch batch : MemoryTable.run(grouped, slots, MEMORY, folder.resolve("scratch"))) {
            long[] key = ((LongColumn) batch.column(0)).values();
            long[] n = ((LongColumn) batch.column(1)).values();
            long[] grams = ((LongColumn) batch.column(2)).values();
            for (int i = 0; i < batch.rowCount(); i++) {
                groups++;
                count += n[i];
                mixed += (key[i] ^ grams[i]) * PRIME + n[i];
            }
        }
        return new Answer(groups, count, mixed);
    }

    /** Keys with their counts and sums; a count of 0 is an empty place. */
    private static final class Sums {
        private final long[] key;
        private final long[] count;
        private final long[] sum;
        private final int shift;

        Sums(int bits) {
            key = new long[1 << bits];
            count = new long[1 << bits];
            sum = new long[1 << bits];
            shift = 64 - bits;
        }

        void add(long k, long n, long grams) {
            // The divisions have used the highest bits of this hash, so another multiplication spreads the others.
            int at = (int) ((k * PRIME ^ k >>> 29) * PRIME >>> shift);
            while (count[at] != 0 && key[at] != k) {
                at = at + 1 & key.length - 1;
            }
            key[at] = k;
            count[at] += n;
            sum[at] += grams;
        }

        long[] answer() {
            long[] all = new long[3];
            for (int i = 0; i < key.length; i++) {
                if (count[i] != 0) {
                    all[0]++;
                    all[1] += count[i];
                    all[2] += (key[i] ^ sum[i]) * PRIME + count[i];
                }
            }
            return all;
        }
    }

    private static int bits(int keys) {
        return 33 - Integer.numberOfLeadingZeros(Math.max(1, keys) * 3 / 2);
    }

    @Override
    public Object handWritten(int threads) throws Exception {
        ExecutorService pool = Executors.newFixedThreadPool(threads);
        try {
            return keys < FEW_KEYS ? few(pool, threads) : many(pool, threads);
        } finally {
            pool.shutdown();
        }
    }

    private Answer few(ExecutorService pool, int threads) throws Exception {
        List<Future<Sums>> parts = new ArrayList<>();
        for (int t = 0; t < threads; t++) {
            int from = (int) ((long) rows * t / threads);
            int end = (int) ((long) rows * (t + 1) / threads);
            parts.add(pool.submit(() -> {
                Sums sums = new Sums(bits(keys));
                for (int i = from; i < end; i++) {
                    sums.add(shippers[i], 1, weights[i]);
                }
                return sums;
            }));
        }
        Sums all = parts.get(0).get();
        for (int t = 1; t < threads; t++) {
            Sums part = parts.get(t).get();
            for (int i = 0; i < part.key.length; i++) {
                if (part.count[i] != 0) {
                    all.add(part.key[i], part.count[i], part.sum[i]);
                }
            }
        }
        long[] answer = all.answer();
        return new Answer(answer[0], answer[1], answer[2]);
    }

    private Answer many(ExecutorService pool, int threads) throws Exception {
        long[] dividedKeys = new long[rows];
        long[] dividedWeights = new long[rows];
        int[][] places = new int[threads][DIVISIONS];
        each(pool, threads, t -> {
            for (int i = from(t, threads); i < from(t + 1, threads); i++) {
                places[t][division(shippers[i])]++;
            }
        });
        int[] starts = new int[DIVISIONS + 1];
        int at = 0;
        for (int d = 0; d < DIVISIONS; d++) {
            starts[d] = at;
            for (int t = 0; t < threads; t++) {
                int n = places[t][d];
                places[t][d] = at;
                at += n;
            }
        }
        starts[DIVISIONS] = at;
        each(pool, threads, t -> {
            int[] place = places[t];
            for (int i = from(t, threads); i < from(t + 1, threads); i++) {
                int to = place[division(shippers[i])]++;
                dividedKeys[to] = shippers[i];
                dividedWeights[to] = weights[i];
            }
        });
        long[][] answers = new long[DIVISIONS][];
        each(pool, threads, t -> {
            for (int d = t; d < DIVISIONS; d += threads) {
                Sums sums = new Sums(bits(keys / DIVISIONS * 5 / 4));
                for (int i = starts[d]; i < starts[d + 1]; i++) {
                    sums.add(dividedKeys[i], 1, dividedWeights[i]);
                }
                answers[d] = sums.answer();
            }
        });
        long[] all = new long[3];
        for (long[] answer : answers) {
            for (int i = 0; i < 3; i++) {
                all[i] += answer[i];
            }
        }
        return new Answer(all[0], all[1], all[2]);
    }

    private int from(int thread, int threads) {
        return (int) ((long) rows * thread / threads);
    }

    private static int division(long key) {
        return (int) (key * PRIME >>> 58);
    }

    /** What one thread does. */
    @FunctionalInterface
    private interface Work {
        void of(int thread);
    }

    private static void each(ExecutorService pool, int threads, Work work) throws Exception {
        List<Future<?>> parts = new ArrayList<>();
        for (int t = 0; t < threads; t++) {
            int thread = t;
            parts.add(pool.submit(() -> work.of(thread)));
        }
        for (Future<?> part : parts) {
            part.get();
        }
    }
}
