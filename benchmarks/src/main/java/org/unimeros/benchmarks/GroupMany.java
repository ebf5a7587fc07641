package org.unimeros.benchmarks;

import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.LongColumn;

/**
 * Rows in memory, counted and summed by a key. The hand-written program divides rows by the high bits of a hash of the key,
 * so that each table fits the cache, and then fills open-addressing tables of longs, one division after the other; with
 * few keys a table per thread, merged in the end.
 */
final class GroupMany extends Entry {

    private static final int DIVISION_BITS = 6;
    private static final int FEW_KEYS = 10_000;
    private static final long MEMORY = 5L << 30;

    private final Path folder;
    private final int rows;
    private final int keys;
    private long[] shippers;
    private long[] weights;
    private MemoryTable table;

    GroupMany(Path folder, int rows, int keys) {
        super(
                keys < FEW_KEYS ? "group-few" : "group-many",
                String.format("%,d rows in memory, count and sum by %,d keys", rows, keys),
                rows,
                null);
        this.folder = folder;
        this.rows = rows;
        this.keys = keys;
    }

    @Override
    void prepare() {
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
    void prepareOurs() {
        table = new MemoryTable("parcels", List.of("shipper_id", "weight_g"), shippers, weights);
    }

    @Override
    Object ours(int slots) {
        String sql = "select shipper_id, count(*) as n, sum(weight_g) as grams from parcels group by shipper_id";
        long groups = 0;
        long count = 0;
        long mixed = 0;
        for (Batch batch : MemoryTable.query(sql, Map.of("parcels", table), slots, MEMORY, folder.resolve("scratch"))) {
            long[] key = ((LongColumn) batch.column(0)).values();
            long[] n = ((LongColumn) batch.column(1)).values();
            long[] grams = ((LongColumn) batch.column(2)).values();
            for (int i = 0; i < batch.rowCount(); i++) {
                groups++;
                count += n[i];
                mixed += (key[i] ^ grams[i]) * Divided.PRIME + n[i];
            }
        }
        return new Answer(groups, count, mixed);
    }

    /** Keys with their counts and sums; a count of 0 is an empty place. */
    private static final class Sums {
        private final long[] key;
        private final long[] count;
        private final long[] sum;
        private final int bits;

        Sums(int bits) {
            key = new long[1 << bits];
            count = new long[1 << bits];
            sum = new long[1 << bits];
            this.bits = bits;
        }

        void add(long k, long n, long grams) {
            int at = Divided.place(k, bits);
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
                    all[2] += (key[i] ^ sum[i]) * Divided.PRIME + count[i];
                }
            }
            return all;
        }
    }

    @Override
    Object handWritten(int threads) throws Exception {
        List<long[]> answers = keys < FEW_KEYS ? few(threads) : many(threads);
        long[] all = new long[3];
        for (long[] answer : answers) {
            for (int i = 0; i < 3; i++) {
                all[i] += answer[i];
            }
        }
        return new Answer(all[0], all[1], all[2]);
    }

    private List<long[]> few(int threads) throws Exception {
        List<Sums> parts = Threads.each(threads, t -> {
            Sums sums = new Sums(Divided.tableBits(keys));
            for (int i = Threads.from(rows, t, threads); i < Threads.from(rows, t + 1, threads); i++) {
                sums.add(shippers[i], 1, weights[i]);
            }
            return sums;
        });
        Sums all = parts.get(0);
        for (int t = 1; t < threads; t++) {
            Sums part = parts.get(t);
            for (int i = 0; i < part.key.length; i++) {
                if (part.count[i] != 0) {
                    all.add(part.key[i], part.count[i], part.sum[i]);
                }
            }
        }
        return List.of(all.answer());
    }

    private List<long[]> many(int threads) throws Exception {
        Divided divided = Divided.of(shippers, weights, DIVISION_BITS, threads);
        return Threads.each(threads, t -> {
            long[] all = new long[3];
            for (int d = t; d < 1 << DIVISION_BITS; d += threads) {
                Sums sums = new Sums(Divided.tableBits((keys >> DIVISION_BITS) * 5 / 4));
                for (int i = divided.starts[d]; i < divided.starts[d + 1]; i++) {
                    sums.add(divided.keys[i], 1, divided.values[i]);
                }
                long[] answer = sums.answer();
                for (int i = 0; i < 3; i++) {
                    all[i] += answer[i];
                }
            }
            return all;
        });
    }
}
