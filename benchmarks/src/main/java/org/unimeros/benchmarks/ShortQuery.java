package org.unimeros.benchmarks;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Arrays;
import java.util.Locale;
import java.util.SplittableRandom;

/** A query over a file of one megabyte from the command line: the whole process, start to exit. */
final class ShortQuery {

    private static final int RUNS = 9;
    private static final int ROWS = 27_000;

    private final Path file;
    private final Path command;

    ShortQuery(Path folder) {
        this.file = folder.resolve("short.csv");
        this.command = Path.of(System.getProperty("unimeros.home", "."), "unimeros");
    }

    /** What it took, in a line. */
    String measure() throws IOException, InterruptedException {
        prepare();
        double[] seconds = new double[RUNS];
        // The first two may build the command and its archive of classes.
        for (int i = -2; i < RUNS; i++) {
            long start = System.nanoTime();
            Process process = new ProcessBuilder(
                            command.toString(),
                            "query",
                            "select depot, count(*) as n, avg(weight_g) as mean from dataset('" + file.toAbsolutePath()
                                    + "') group by depot order by depot limit 3")
                    .redirectErrorStream(true)
                    .start();
            String said = new String(process.getInputStream().readAllBytes());
            if (process.waitFor() != 0) {
                throw new IllegalStateException(said);
            }
            if (i >= 0) {
                seconds[i] = (System.nanoTime() - start) / 1e9;
            }
        }
        Arrays.sort(seconds);
        return String.format(
                Locale.ROOT,
                "`unimeros query` over a CSV file of 1 MB, whole process, start to exit: %.2f s [%.2f–%.2f] of %d runs"
                        + " (goal: 0.7 s).",
                seconds[RUNS / 2],
                seconds[0],
                seconds[RUNS - 1],
                RUNS);
    }

    private void prepare() throws IOException {
        if (Files.exists(file)) {
            return;
        }
        SplittableRandom random = new SplittableRandom(41);
        StringBuilder lines = new StringBuilder("scan_id,depot,at,weight_g\n");
        for (int i = 0; i < ROWS; i++) {
            lines.append(i).append(",D").append(10 + random.nextInt(40)).append(",2031-03-");
            lines.append(10 + random.nextInt(19))
                    .append("T08:15:00,")
                    .append(random.nextInt(31_000))
                    .append('\n');
        }
        Files.createDirectories(file.toAbsolutePath().getParent());
        Files.writeString(file, lines);
    }
}
