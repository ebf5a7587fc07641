package org.unimeros.benchmarks;

import java.io.PrintStream;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.PriorityQueue;
import java.util.SplittableRandom;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.run.RunEvent;
import org.unimeros.engine.stage.PhysicalPlan;
import org.unimeros.engine.stage.PlanSettings;
import org.unimeros.engine.stage.Stage;
import org.unimeros.engine.stage.StagePlanner;

/**
 * Joins of scans of which some shippers have very many, with parts left whole and with parts cut, in turn: how much longer the longest task of a
 * join takes than the mean, how long its tasks take on many slots, and how long the run takes here. Both ways must give the same rows.
 */
final class SkewKit {

    private static final int ROUNDS = 5;
    private static final int SLOTS = 2;
    private static final int MANY_SLOTS = 16;
    private static final int KEYS = 100_000;
    private static final double HOT_SHARE = 0.4;
    private static final long PART_BYTES = 2 << 20;
    private static final long MEMORY = 4L << 30;

    private static final String JOIN =
            "select b.class, count(*) as n, sum(a.weight * b.rate %% 7919) as sum from %s a %s join shippers b on a.shipper = b.shipper"
                    + " group by b.class order by b.class";

    private final Path folder;
    private final int rows;
    private final PrintStream out;
    private final SplittableRandom random = new SplittableRandom(28);

    /** What a run took. */
    private record Took(double millis, double longest, double onMany, List<String> answer) {}

    SkewKit(Path folder, int rows, PrintStream out) {
        this.folder = folder;
        this.rows = rows;
        this.out = out;
    }

    void run() {
        out.println("| scans | longest task / mean, whole | cut | on " + MANY_SLOTS
                + " slots / even share, whole | cut | ms, whole | cut |");
        out.println("|---|---|---|---|---|---|---|");
        String inner = String.format(JOIN, "scans", "");
        measure("all shippers alike", inner, scans(uniform()), shippers(KEYS, 0));
        measure("one shipper has 40 %", inner, scans(hot()), shippers(KEYS, 0));
        measure("Zipf, 1.0", inner, scans(zipf(1.0)), shippers(KEYS, 0));
        measure("Zipf, 1.3", inner, scans(zipf(1.3)), shippers(KEYS, 0));
        measure(
                "40 % have none, left join",
                String.format(JOIN, "(select nullif(shipper, 0) as shipper, weight from scans)", "left"),
                scans(hot()),
                shippers(KEYS, 0));
        measure("one shipper is frequent on both sides", inner, scans(few()), shippers(KEYS, 40_000));
        measure(
                "a chain of two joins, each with a frequent key",
                "select b.class, count(*) as n, sum(a.weight * b.rate * c.rate % 7919) as sum from scans a join shippers b"
                        + " on a.shipper = b.shipper join shippers c on a.payer = c.shipper group by b.class order by b.class",
                new MemoryTable("scans", List.of("shipper", "weight", "payer"), hot(), weights(), hot()),
                shippers(KEYS, 0));
    }

    private void measure(String name, String sql, MemoryTable scans, MemoryTable shippers) {
        Map<String, MemoryTable> tables = Map.of("scans", scans, "shippers", shippers);
        Took[] whole = new Took[ROUNDS];
        Took[] cut = new Took[ROUNDS];
        // The first round warms up and does not count.
        for (int round = -1; round < ROUNDS; round++) {
            Took ofWhole = took(sql, tables, false);
            Took ofCut = took(sql, tables, true);
            if (!ofWhole.answer.equals(ofCut.answer)) {
                throw new IllegalStateException(name + " gives other rows when parts are cut");
            }
            if (round >= 0) {
                whole[round] = ofWhole;
                cut[round] = ofCut;
            }
        }
        Took a = middle(whole);
        Took b = middle(cut);
        out.println(String.format(
                Locale.ROOT,
                "| %s | %.1f | %.1f | %.1f | %.1f | %.0f | %.0f |",
                name,
                a.longest,
                b.longest,
                a.onMany,
                b.onMany,
                a.millis,
                b.millis));
    }

    private static Took middle(Took[] all) {
        Arrays.sort(all, (a, b) -> Double.compare(a.millis, b.millis));
        return all[ROUNDS / 2];
    }

    private Took took(String sql, Map<String, MemoryTable> tables, boolean cuts) {
        PlanSettings settings = new PlanSettings(32L << 20, 0, 32, false, false).withCutsParts(cuts);
        PhysicalPlan plan = StagePlanner.forResult(MemoryTable.plan(sql, tables), settings);
        Map<Integer, List<Long>> nanos = new LinkedHashMap<>();
        long start = System.nanoTime();
        List<Batch> made = MemoryTable.run(
                plan, SLOTS, PART_BYTES, MEMORY, folder.resolve("scratch"), event -> note(event, nanos));
        double millis = (System.nanoTime() - start) / 1e6;
        double longest = 0;
        double onMany = 0;
        for (Stage stage : plan.stages()) {
            boolean joins = stage.pipelines().stream().anyMatch(p -> !p.joins().isEmpty());
            if (joins) {
                List<Long> tasks = nanos.get(stage.id());
                double all = tasks.stream().mapToLong(Long::longValue).sum();
                double most = tasks.stream().mapToLong(Long::longValue).max().orElseThrow();
                longest = Math.max(longest, most * tasks.size() / all);
                onMany = Math.max(onMany, onMany(tasks) * MANY_SLOTS / all);
            }
        }
        List<String> answer = new ArrayList<>();
        for (Batch batch : made) {
            for (int row = 0; row < batch.rowCount(); row++) {
                for (int column = 0; column < batch.columnCount(); column++) {
                    answer.add(batch.column(column).isNull(row) ? "null" : text(batch, column, row));
                }
            }
        }
        return new Took(millis, longest, onMany, answer);
    }

    private static String text(Batch batch, int column, int row) {
        return batch.column(column) instanceof LongColumn numbers
                ? Long.toString(numbers.values()[row])
                : batch.column(column).toString();
    }

    private static void note(RunEvent event, Map<Integer, List<Long>> nanos) {
        if (event instanceof RunEvent.AttemptFinished done) {
            nanos.computeIfAbsent(done.attempt().stage(), s -> new ArrayList<>())
                    .add(done.use().nanos());
        }
    }

    /** How long tasks take on many slots, each as soon as a slot is free. */
    private static long onMany(List<Long> tasks) {
        PriorityQueue<Long> free = new PriorityQueue<>();
        for (int slot = 0; slot < MANY_SLOTS; slot++) {
            free.add(0L);
        }
        long end = 0;
        for (long nanos : tasks) {
            long done = free.poll() + nanos;
            free.add(done);
            end = Math.max(end, done);
        }
        return end;
    }

    private MemoryTable scans(long[] shippers) {
        return new MemoryTable("scans", List.of("shipper", "weight"), shippers, weights());
    }

    /** One of each, and of the first one some more. */
    private static MemoryTable shippers(int count, int more) {
        long[] keys = new long[count + more];
        long[] classes = new long[keys.length];
        long[] rates = new long[keys.length];
        for (int i = 0; i < keys.length; i++) {
            keys[i] = i < count ? i : 0;
            classes[i] = i % 9;
            rates[i] = i % 101;
        }
        return new MemoryTable("shippers", List.of("shipper", "class", "rate"), keys, classes, rates);
    }

    private long[] weights() {
        long[] weights = new long[rows];
        Arrays.setAll(weights, i -> random.nextInt(31_000));
        return weights;
    }

    private long[] uniform() {
        long[] keys = new long[rows];
        Arrays.setAll(keys, i -> random.nextInt(KEYS));
        return keys;
    }

    private long[] hot() {
        long[] keys = uniform();
        Arrays.setAll(keys, i -> random.nextDouble() < HOT_SHARE ? 0 : keys[i]);
        return keys;
    }

    /** A thousandth of the scans is of one shipper. */
    private long[] few() {
        long[] keys = uniform();
        Arrays.setAll(keys, i -> i % 1000 == 0 ? 0 : keys[i]);
        return keys;
    }

    /** The share of the key on place k falls with its power. */
    private long[] zipf(double power) {
        double[] sums = new double[KEYS];
        double sum = 0;
        for (int k = 0; k < KEYS; k++) {
            sum += Math.pow(k + 1.0, -power);
            sums[k] = sum;
        }
        double all = sum;
        long[] keys = new long[rows];
        Arrays.setAll(keys, i -> {
            int place = Arrays.binarySearch(sums, random.nextDouble() * all);
            return Math.min(KEYS - 1, place < 0 ? -place - 1 : place);
        });
        return keys;
    }
}
