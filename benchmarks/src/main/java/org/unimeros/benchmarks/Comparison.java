package org.unimeros.benchmarks;

import com.sun.management.OperatingSystemMXBean;
import java.io.IOException;
import java.lang.management.ManagementFactory;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.LocalDate;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Locale;

/** Entries measured in pairs, ours and the program written by hand in turn, and the report of it. */
final class Comparison {

    private static final int PAIRS = 5;

    private final OperatingSystemMXBean system = (OperatingSystemMXBean) ManagementFactory.getOperatingSystemMXBean();
    private final List<String> lines = new ArrayList<>();

    /** What one side took, in seconds. */
    private record Taken(double[] seconds, double[] cpu) {
        Taken() {
            this(new double[PAIRS], new double[PAIRS]);
        }
    }

    /** A side of a pair. */
    @FunctionalInterface
    private interface Side {
        Object answer() throws Exception;
    }

    /** Five pairs with one slot and five with two, after one of each that does not count. */
    void measure(Entry entry) throws Exception {
        System.out.printf("%s: %s%n", entry.name(), entry.work());
        for (int slots = 1; slots <= 2; slots++) {
            int n = slots;
            Taken ours = new Taken();
            Taken theirs = new Taken();
            for (int i = -1; i < PAIRS; i++) {
                Object a = timed(() -> entry.ours(n), ours, i);
                Object b = timed(() -> entry.handWritten(n), theirs, i);
                if (!a.equals(b)) {
                    throw new IllegalStateException("the answers of " + entry.name() + " differ:\n" + a + "\n" + b);
                }
            }
            double[] ratios = new double[PAIRS];
            for (int i = 0; i < PAIRS; i++) {
                ratios[i] = ours.seconds[i] / theirs.seconds[i];
            }
            String line = String.format(
                    Locale.ROOT,
                    "| %s | %,d | %,d MB | %d | %s | %s | %s | %.1f / %.1f |",
                    entry.name(),
                    entry.rows(),
                    entry.bytes() >> 20,
                    slots,
                    spread(ours.seconds),
                    spread(theirs.seconds),
                    spread(ratios),
                    median(ours.cpu),
                    median(theirs.cpu));
            System.out.println(line);
            lines.add(line);
        }
    }

    private Object timed(Side side, Taken taken, int pair) throws Exception {
        long cpu = system.getProcessCpuTime();
        long start = System.nanoTime();
        Object answer = side.answer();
        if (pair >= 0) {
            taken.seconds[pair] = (System.nanoTime() - start) / 1e9;
            taken.cpu[pair] = (system.getProcessCpuTime() - cpu) / 1e9;
        }
        return answer;
    }

    private static double median(double[] values) {
        double[] sorted = values.clone();
        Arrays.sort(sorted);
        return sorted[sorted.length / 2];
    }

    private static String spread(double[] values) {
        double[] sorted = values.clone();
        Arrays.sort(sorted);
        return String.format(Locale.ROOT, "%.2f [%.2f–%.2f]", median(values), sorted[0], sorted[sorted.length - 1]);
    }

    void write(Path report) throws IOException {
        StringBuilder text = new StringBuilder("# Performance\n\n");
        text.append("Written by `./unimeros-bench --write docs/PERFORMANCE.md` on ")
                .append(LocalDate.now())
                .append(": ")
                .append(Runtime.getRuntime().availableProcessors())
                .append(" processors, ")
                .append(system.getTotalMemorySize() >> 30)
                .append(" GiB, JDK ")
                .append(Runtime.version().feature())
                .append(".\n\nEach entry is done in pairs by the engine and by a Java program written for it alone")
                .append(
                        " (`benchmarks`, class by class), in one process, warm;\nboth must give the same answer. Median")
                .append(" and spread of five pairs, in seconds; the ratio is ours by theirs.\n\n")
                .append("| entry | rows | read | slots | ours | by hand | ratio | CPU seconds, ours / by hand |\n")
                .append("|---|---|---|---|---|---|---|---|\n");
        lines.forEach(line -> text.append(line).append('\n'));
        Files.writeString(report, text);
        System.out.println("written to " + report);
    }
}
