package org.unimeros.benchmarks;

import java.nio.file.Path;
import java.util.Arrays;

/** Runs a benchmark: {@code Main [parquet-aggregate | memory | questions [FOLDER [ROWS or SCALE]]]}. */
public final class Main {

    private static final int PAIRS = 5;

    private Main() {}

    public static void main(String[] args) throws Exception {
        String name = args.length > 0 ? args[0] : "parquet-aggregate";
        Path folder = Path.of(args.length > 1 ? args[1] : "benchmark-data");
        switch (name) {
            case "parquet-aggregate" ->
                parquetAggregate(folder, args.length > 2 ? Long.parseLong(args[2]) : 10_000_000);
            case "memory" -> new MemoryBudgets(folder, args.length > 2 ? Long.parseLong(args[2]) : 50_000_000).run();
            case "questions" -> new Questions(folder, args.length > 2 ? Integer.parseInt(args[2]) : 100).run();
            default -> {
                System.err.println(
                        "there is no benchmark " + name + "; there are: parquet-aggregate, memory, questions");
                System.exit(3);
            }
        }
    }

    private static void parquetAggregate(Path folder, long rows) throws Exception {
        ParquetAggregate entry = new ParquetAggregate(folder, rows);
        entry.prepare();
        System.out.printf(
                "parquet-aggregate: %,d rows, %,d bytes; JDK %s, %d processors%n",
                rows,
                entry.bytes(),
                Runtime.version().feature(),
                Runtime.getRuntime().availableProcessors());
        for (int slots = 1; slots <= 2; slots++) {
            measure(entry, slots, rows);
        }
    }

    /** Pairs of ours and theirs in turn, after one of each that does not count. */
    private static void measure(ParquetAggregate entry, int slots, long rows) throws Exception {
        double[] ours = new double[PAIRS];
        double[] theirs = new double[PAIRS];
        double[] ratios = new double[PAIRS];
        for (int i = -1; i < PAIRS; i++) {
            long start = System.nanoTime();
            Object a = entry.ours(slots);
            long middle = System.nanoTime();
            Object b = entry.handWritten(slots);
            long end = System.nanoTime();
            if (!a.equals(b)) {
                throw new IllegalStateException("the answers differ:\n" + a + "\n" + b);
            }
            if (i >= 0) {
                ours[i] = (middle - start) / 1e9;
                theirs[i] = (end - middle) / 1e9;
                ratios[i] = ours[i] / theirs[i];
            }
        }
        System.out.printf(
                "%d slot%s  ours %s s (%,.0f rows/s)  hand-written %s s (%,.0f rows/s)  ratio %s%n",
                slots,
                slots == 1 ? " " : "s",
                spread(ours),
                rows / median(ours),
                spread(theirs),
                rows / median(theirs),
                spread(ratios));
    }

    private static double median(double[] values) {
        double[] sorted = values.clone();
        Arrays.sort(sorted);
        return sorted[sorted.length / 2];
    }

    private static String spread(double[] values) {
        double[] sorted = values.clone();
        Arrays.sort(sorted);
        return String.format("%.2f [%.2f–%.2f]", median(values), sorted[0], sorted[sorted.length - 1]);
    }
}
