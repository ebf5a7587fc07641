package org.unimeros.benchmarks;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicLong;
import org.unimeros.Engine;
import org.unimeros.Rows;
import org.unimeros.Settings;
import org.unimeros.cluster.job.ChildJvm;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.operator.StepMetrics;
import org.unimeros.engine.run.RunEvent;
import org.unimeros.storage.dataset.Formats;
import org.unimeros.storage.format.FileWriter;
import org.unimeros.storage.format.FormatOptions;
import org.unimeros.storage.store.StorePath;

/**
 * A sort, a grouping by as many keys as rows, and a join of large inputs, each in processes of its own with a small, a
 * middle and a large budget: time, what was spilled, and the peak of the process.
 */
final class MemoryBudgets {

    private static final Schema SCHEMA = Schema.of(
            Field.of("parcel_id", DataType.LONG), Field.of("weight_g", DataType.INT), Field.of("tag", DataType.TEXT));
    /** Budgets and heaps, in MB. The rest of the heap is for what is read, written and thrown away. */
    private static final int[][] SIZES = {{256, 512}, {1024, 2048}, {8192, 14_336}};

    private static final Map<String, String> QUERIES = queries();

    private final Path folder;
    private final long rows;

    /** Sorts and groups so many rows; the join is of two fifths of them on both sides. */
    MemoryBudgets(Path folder, long rows) {
        this.folder = folder;
        this.rows = rows;
    }

    private static Map<String, String> queries() {
        Map<String, String> queries = new TreeMap<>();
        queries.put("sort", "select * from dataset('ALL') order by parcel_id");
        queries.put(
                "group",
                "select count(*), sum(n), max(s) from"
                        + " (select parcel_id, count(*) n, sum(weight_g) s from dataset('ALL') group by parcel_id) t");
        queries.put(
                "join",
                "select count(*), sum(a.weight_g + b.weight_g) from dataset('PART-1') a join dataset('PART-2') b"
                        + " on a.parcel_id = b.parcel_id");
        return queries;
    }

    private Path file(String name) {
        return folder.resolve("memory-" + name + "-" + rows + ".parquet");
    }

    void run() throws IOException, InterruptedException {
        prepare("ALL", rows, 7);
        prepare("PART-1", rows * 2 / 5, 11);
        prepare("PART-2", rows * 2 / 5, 13);
        System.out.printf("%-6s %12s %8s %8s %10s %10s%n", "work", "rows", "budget", "time", "spilled", "peak");
        for (String work : QUERIES.keySet()) {
            for (int[] size : SIZES) {
                child(work, size[0], size[1]);
            }
        }
    }

    /** Every number below a power of two comes once, in no order: an odd factor permutes them. */
    private void prepare(String name, long count, int factor) throws IOException {
        if (Files.exists(file(name))) {
            return;
        }
        Files.createDirectories(folder);
        long mask = (Long.highestOneBit(count) << 1) - 1;
        Path part = folder.resolve("unfinished");
        BatchBuilder batch = new BatchBuilder(SCHEMA);
        try (FileWriter out =
                new Formats().byName("parquet").write(StorePath.of(part), SCHEMA, FormatOptions.DEFAULTS)) {
            long written = 0;
            for (long i = 0; written < count; i++) {
                long key = i * (2_654_435_760L + factor) & mask;
                if (key < count) {
                    batch.column(0).appendLong(key);
                    batch.column(1).appendInt((int) (key % 31_000));
                    batch.column(2).appendText("tag " + key % 1009);
                    batch.endRow();
                    written++;
                    if (batch.rowCount() == Batch.TARGET_ROWS || written == count) {
                        out.write(batch.build());
                    }
                    if (written % 1_000_000 == 0) {
                        out.flush();
                    }
                }
            }
            out.finish();
        }
        Files.move(part, file(name));
    }

    private void child(String work, int budget, int heap) throws IOException, InterruptedException {
        List<String> command = ChildJvm.command();
        command.addAll(List.of(
                "-Xmx" + heap + "m",
                "-cp",
                System.getProperty("java.class.path"),
                MemoryBudgets.class.getName(),
                folder.toString(),
                String.valueOf(rows),
                work,
                String.valueOf(budget)));
        Process process = new ProcessBuilder(command).inheritIO().start();
        if (!process.waitFor(30, TimeUnit.MINUTES) || process.exitValue() != 0) {
            process.destroyForcibly();
            System.out.println(work + " with " + budget + " MB did not finish");
        }
    }

    /** The work of one child. */
    public static void main(String[] args) throws IOException {
        MemoryBudgets all = new MemoryBudgets(Path.of(args[0]), Long.parseLong(args[1]));
        String query = QUERIES.get(args[2]);
        for (String name : List.of("ALL", "PART-1", "PART-2")) {
            query = query.replace(name, all.file(name).toString());
        }
        AtomicLong spilled = new AtomicLong();
        Settings settings = Settings.defaults()
                .with("runs.folder", "")
                .with("memory.budget", args[3] + "MB")
                .with("memory.scratch", all.folder.resolve("scratch").toString());
        long start = System.nanoTime();
        try (Engine engine = Engine.local(settings)) {
            engine.watch(event -> {
                if (event instanceof RunEvent.AttemptFinished finished) {
                    finished.steps().values().stream()
                            .mapToLong(StepMetrics::spilled)
                            .forEach(spilled::addAndGet);
                }
            });
            Rows result = engine.sql(query);
            if (args[2].equals("sort")) {
                result.write(all.folder.resolve("sorted").toString(), as -> as.replacing());
            } else {
                result.fetch();
            }
        }
        double seconds = (System.nanoTime() - start) / 1e9;
        System.out.printf(
                "%-6s %,12d %5s MB %6.1f s %7d MB %7d MB%n",
                args[2],
                args[2].equals("join") ? all.rows * 2 / 5 : all.rows,
                args[3],
                seconds,
                spilled.get() >> 20,
                OneProcess.peakMegabytes());
    }
}
