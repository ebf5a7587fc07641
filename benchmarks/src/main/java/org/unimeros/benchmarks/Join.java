package org.unimeros.benchmarks;

import java.nio.file.Path;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.LongColumn;

/**
 * Two tables in memory, joined by a key that is unique on the right, weights summed by a category of the right side: by a
 * smaller table with all keys of the left, by one with half of them, and by one that is as large. The hand-written program
 * divides both sides by the high bits of a hash of the key and fills and probes one open-addressing table after the
 * other, each of which fits the cache.
 */
final class Join extends Entry {

    private static final int CATEGORIES = 100;
    private static final int DIVISION_BITS = 7;
    private static final long MEMORY = 7L << 30;

    private final Path folder;
    private final int left;
    private final int right;
    /** From how many keys those on the left are taken, of which the right has the first ones. */
    private final int keys;

    private long[] leftKeys;
    private long[] weights;
    private long[] rightKeys;
    private long[] categories;
    private MemoryTable parcels;
    private MemoryTable shippers;

    Join(String name, Path folder, int left, int right, int keys) {
        super(
                name,
                String.format(
                        "%,d rows in memory with %,d keys joined with %,d unique ones, sum by category",
                        left, keys, right),
                (long) left + right,
                null);
        this.folder = folder;
        this.left = left;
        this.right = right;
        this.keys = keys;
    }

    private boolean isSmall() {
        return right < left;
    }

    /** Keys below a power of two come once each, in no order, when they are multiplied by an odd number. */
    private static long key(long number) {
        return number * 0x2545F4914F6CDD1DL;
    }

    @Override
    void prepare() {
        SplittableRandom random = new SplittableRandom(13);
        leftKeys = new long[left];
        weights = new long[left];
        for (int i = 0; i < left; i++) {
            leftKeys[i] = key(isSmall() ? random.nextInt(keys) : i);
            weights[i] = random.nextInt(31_000);
        }
        rightKeys = new long[right];
        categories = new long[right];
        for (int i = 0; i < right; i++) {
            rightKeys[i] = key(i);
            categories[i] = random.nextInt(CATEGORIES);
        }
        shuffle(leftKeys, random);
        shuffle(rightKeys, random);
    }

    private static void shuffle(long[] values, SplittableRandom random) {
        for (int i = values.length - 1; i > 0; i--) {
            int other = random.nextInt(i + 1);
            long value = values[i];
            values[i] = values[other];
            values[other] = value;
        }
    }

    @Override
    void prepareOurs() {
        parcels = new MemoryTable("parcels", List.of("shipper_id", "weight_g"), leftKeys, weights);
        shippers = new MemoryTable("shippers", List.of("shipper_id", "category"), rightKeys, categories);
    }

    @Override
    Object ours(int slots) {
        String sql = "select s.category, sum(p.weight_g) as grams from parcels p join shippers s"
                + " on p.shipper_id = s.shipper_id group by s.category order by s.category";
        long[] sums = new long[CATEGORIES];
        for (Batch batch : MemoryTable.query(
                sql, Map.of("parcels", parcels, "shippers", shippers), slots, MEMORY, folder.resolve("scratch"))) {
            for (int i = 0; i < batch.rowCount(); i++) {
                int category = (int) ((LongColumn) batch.column(0)).values()[i];
                sums[category] = ((LongColumn) batch.column(1)).values()[i];
            }
        }
        return Arrays.stream(sums).boxed().toList();
    }

    @Override
    Object handWritten(int threads) throws Exception {
        Divided builds = Divided.of(rightKeys, categories, DIVISION_BITS, threads);
        Divided probes = Divided.of(leftKeys, weights, DIVISION_BITS, threads);
        List<long[]> parts = Threads.each(threads, t -> {
            long[] sums = new long[CATEGORIES];
            for (int d = t; d < 1 << DIVISION_BITS; d += threads) {
                join(builds, probes, d, sums);
            }
            return sums;
        });
        long[] sums = parts.get(0);
        for (int t = 1; t < threads; t++) {
            for (int c = 0; c < CATEGORIES; c++) {
                sums[c] += parts.get(t)[c];
            }
        }
        return Arrays.stream(sums).boxed().toList();
    }

    private static void join(Divided builds, Divided probes, int division, long[] sums) {
        int from = builds.starts[division];
        int end = builds.starts[division + 1];
        int bits = Divided.tableBits(end - from);
        long[] keys = new long[1 << bits];
        // Categories are kept plus one, so that 0 is an empty place.
        byte[] category = new byte[1 << bits];
        for (int i = from; i < end; i++) {
            int at = Divided.place(builds.keys[i], bits);
            while (category[at] != 0) {
                at = at + 1 & keys.length - 1;
            }
            keys[at] = builds.keys[i];
            category[at] = (byte) (builds.values[i] + 1);
        }
        for (int i = probes.starts[division]; i < probes.starts[division + 1]; i++) {
            long key = probes.keys[i];
            int at = Divided.place(key, bits);
            while (category[at] != 0 && keys[at] != key) {
                at = at + 1 & keys.length - 1;
            }
            if (category[at] != 0) {
                sums[category[at] - 1] += probes.values[i];
            }
        }
    }
}
