package org.unimeros.benchmarks;

import java.io.IOException;
import java.io.PrintStream;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Arrays;
import java.util.Comparator;
import java.util.Locale;
import java.util.stream.Stream;
import org.unimeros.Engine;
import org.unimeros.Result;
import org.unimeros.Settings;

/** What it costs to keep a record of a run: the same run with and without one, in turn, with few tasks and with very many. */
final class RecordingCost {

    private static final String[] SPLITS = {"64MB", "1MB", "64kB", "16kB"};

    private final Path folder;
    private final long rows;
    private final int pairs;
    private final PrintStream out;

    RecordingCost(Path folder, long rows, int pairs, PrintStream out) {
        this.folder = folder;
        this.rows = rows;
        this.pairs = pairs;
        this.out = out;
    }

    void run() throws Exception {
        new CsvAggregate(folder, rows).prepare();
        Path records = folder.resolve("recorded-runs");
        out.println("| split | tasks | without, ms | with, ms | ratio in the middle of " + pairs
                + " pairs, least, most | record, bytes a task |");
        out.println("|---|---|---|---|---|---|");
        try {
            for (String split : SPLITS) {
                measure(split, records);
            }
        } finally {
            remove(records);
        }
    }

    private void measure(String split, Path records) throws IOException {
        Settings without = Settings.defaults()
                .with("slots", "2")
                .with("split.target", split)
                .with("runs.folder", "");
        Settings with = without.with("runs.folder", records.toString()).with("runs.keep", "all");
        double[] ratios = new double[pairs];
        double[] offs = new double[pairs];
        double[] ons = new double[pairs];
        Path last = null;
        try (Engine off = Engine.local(without);
                Engine on = Engine.local(with)) {
            // The first pair warms up and does not count.
            for (int pair = -1; pair < pairs; pair++) {
                boolean isOffFirst = pair % 2 == 0;
                double before = isOffFirst ? millis(off) : 0;
                long start = System.nanoTime();
                last = ask(on).run().record().orElseThrow();
                double recorded = (System.nanoTime() - start) / 1e6;
                double plain = isOffFirst ? before : millis(off);
                if (pair >= 0) {
                    ratios[pair] = recorded / plain;
                    offs[pair] = plain;
                    ons[pair] = recorded;
                }
            }
        }
        for (double[] all : new double[][] {ratios, offs, ons}) {
            Arrays.sort(all);
        }
        long tasks;
        try (Stream<String> lines = Files.lines(last)) {
            tasks = lines.filter(line -> line.startsWith("{\"event\":\"attempt-finished\""))
                    .count();
        }
        out.printf(
                Locale.ROOT,
                "| %s | %d | %.0f | %.0f | %.3f, %.3f, %.3f | %d |%n",
                split,
                tasks,
                offs[pairs / 2],
                ons[pairs / 2],
                ratios[pairs / 2],
                ratios[0],
                ratios[pairs - 1],
                Files.size(last) / tasks);
    }

    private double millis(Engine engine) {
        long start = System.nanoTime();
        ask(engine);
        return (System.nanoTime() - start) / 1e6;
    }

    private Result ask(Engine engine) {
        return engine.sql("select depot, count(*) as n, max(weight_g) as heaviest from dataset('"
                        + folder.resolve("scans-" + rows + ".csv") + "') group by depot")
                .fetch();
    }

    private static void remove(Path folder) throws IOException {
        if (Files.isDirectory(folder)) {
            try (Stream<Path> files = Files.walk(folder)) {
                for (Path file : files.sorted(Comparator.reverseOrder()).toList()) {
                    Files.delete(file);
                }
            }
        }
    }
}
