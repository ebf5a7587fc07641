package org.unimeros.benchmarks;

import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.function.Supplier;

/**
 * Runs benchmarks: {@code Main [--write FILE] [NAME …]}. Without names all entries that are compared with programs written
 * by hand; {@code memory} and {@code questions} measure the engine alone, {@code FOLDER SIZE} behind them.
 */
public final class Main {

    private static final Path DATA = Path.of("benchmark-data");

    private Main() {}

    private static Map<String, Supplier<Entry>> entries() {
        Map<String, Supplier<Entry>> all = new LinkedHashMap<>();
        all.put("text-aggregate", () -> new TextAggregate(DATA, 50_000_000));
        all.put("parquet-aggregate", () -> new ParquetAggregate(DATA, 10_000_000));
        all.put("group-few", () -> new GroupMany(DATA, 50_000_000, 500));
        all.put("group-many", () -> new GroupMany(DATA, 50_000_000, 5_000_000));
        return all;
    }

    public static void main(String[] args) throws Exception {
        List<String> names = new ArrayList<>(List.of(args));
        Path report = null;
        if (names.size() > 1 && names.get(0).equals("--write")) {
            report = Path.of(names.get(1));
            names.subList(0, 2).clear();
        }
        String first = names.isEmpty() ? "" : names.get(0);
        Path folder = names.size() > 1 ? Path.of(names.get(1)) : DATA;
        if (first.equals("memory")) {
            new MemoryBudgets(folder, names.size() > 2 ? Long.parseLong(names.get(2)) : 50_000_000).run();
        } else if (first.equals("questions")) {
            new Questions(folder, names.size() > 2 ? Integer.parseInt(names.get(2)) : 100).run();
        } else {
            compare(names.isEmpty() ? List.copyOf(entries().keySet()) : names, report);
        }
    }

    private static void compare(List<String> names, Path report) throws Exception {
        Map<String, Supplier<Entry>> known = entries();
        for (String name : names) {
            if (!known.containsKey(name)) {
                System.err.println("there is no benchmark " + name + "; there are: " + String.join(", ", known.keySet())
                        + ", memory, questions");
                System.exit(3);
            }
        }
        Comparison comparison = new Comparison();
        for (String name : names) {
            Entry entry = known.get(name).get();
            entry.prepare();
            comparison.measure(entry);
        }
        if (report != null) {
            comparison.write(report);
        }
    }
}
