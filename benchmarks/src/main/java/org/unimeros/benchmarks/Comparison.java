package org.unimeros.benchmarks;

import com.sun.management.OperatingSystemMXBean;
import java.io.IOException;
import java.lang.management.ManagementFactory;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.LocalDate;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;

/** Entries measured in pairs, ours and the program written by hand in turn, and the report of it. */
final class Comparison {

    private final OperatingSystemMXBean system = (OperatingSystemMXBean) ManagementFactory.getOperatingSystemMXBean();
    private final List<String> lines = new ArrayList<>();
    private final List<Chart.Bars> bars = new ArrayList<>();
    private final int pairs;

    Comparison(int pairs) {
        this.pairs = pairs;
    }

    /** What one side took, in seconds. */
    private record Taken(double[] seconds, double[] cpu) {
        Taken(int pairs) {
            this(new double[pairs], new double[pairs]);
        }
    }

    /** A side of a pair. */
    @FunctionalInterface
    private interface Side {
        Object answer() throws Exception;
    }

    /** Pairs with one slot and pairs with two, after one of each that does not count. */
    void measure(Entry entry, double goal) throws Exception {
        Map<Integer, Double> all = new LinkedHashMap<>();
        System.out.printf("%s: %s%n", entry.name(), entry.work());
        for (int slots = 1; slots <= 2; slots++) {
            int n = slots;
            Taken ours = new Taken(pairs);
            Taken theirs = new Taken(pairs);
            for (int i = -1; i < pairs; i++) {
                Object a = timed(() -> entry.ours(n), ours, i);
                Object b = timed(() -> entry.handWritten(n), theirs, i);
                if (!a.equals(b)) {
                    throw new IllegalStateException("the answers of " + entry.name() + " differ:\n" + a + "\n" + b);
                }
            }
            String peaks = OneProcess.peak(entry, "ours", n) + " / " + OneProcess.peak(entry, "by-hand", n);
            double[] ratios = new double[pairs];
            for (int i = 0; i < pairs; i++) {
                ratios[i] = ours.seconds[i] / theirs.seconds[i];
            }
            all.put(n, median(ratios));
            String line = String.format(
                    Locale.ROOT,
                    "| %s | %,d | %,d MB | %d | %s | %s | %s | %.1f | %.1f / %.1f | %s |",
                    entry.name(),
                    entry.rows(),
                    entry.bytes() >> 20,
                    slots,
                    spread(ours.seconds),
                    spread(theirs.seconds),
                    spread(ratios),
                    goal,
                    median(ours.cpu),
                    median(theirs.cpu),
                    peaks);
            System.out.println(line);
            lines.add(line);
        }
        bars.add(new Chart.Bars(entry.name(), all, goal));
    }

    /** Adds a line that stands by itself. */
    void add(String line) {
        System.out.println(line);
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

    private static final String HEADER =
            "| entry | rows | read | slots | ours | by hand | ratio | goal | CPU s, ours / by hand | cold, ours / by hand |";

    /** Puts the table in the place of the one in a report, with what is said of the machine before it; a file without a table becomes this one. */
    void write(Path report) throws IOException {
        String machine = LocalDate.now() + ", "
                + Runtime.getRuntime().availableProcessors() + " processors, "
                + (system.getTotalMemorySize() >> 30) + " GiB, JDK "
                + Runtime.version().feature() + ", " + pairs + " pairs.";
        StringBuilder text = new StringBuilder(machine)
                .append("\n\n")
                .append(HEADER)
                .append("\n|---|---|---|---|---|---|---|---|---|---|\n");
        lines.forEach(line -> text.append(line).append('\n'));
        if (!bars.isEmpty()) {
            Path picture = report.resolveSibling("screenshots").resolve("performance.png");
            Files.createDirectories(picture.toAbsolutePath().getParent());
            Chart.write(bars, picture);
        }
        Files.writeString(report, inPlace(Files.exists(report) ? Files.readString(report) : "", text.toString()));
        System.out.println("written to " + report);
    }

    /** A report with another table, and another line before it. */
    static String inPlace(String report, String table) {
        int header = report.indexOf(HEADER);
        if (header < 0) {
            return "# Performance\n\n" + table;
        }
        int start = report.lastIndexOf('\n', header - 3) + 1;
        int end = report.indexOf("\n\n", header);
        return report.substring(0, start) + table.stripTrailing() + (end < 0 ? "\n" : report.substring(end));
    }
}
