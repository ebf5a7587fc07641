package org.unimeros.benchmarks;

import java.nio.file.Path;
import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Deque;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.function.Supplier;

/**
 * Runs benchmarks: {@code Main [--write FILE] [--pairs NUMBER] [NAME …]}. Without names all entries that are compared with programs written
 * by hand; {@code memory}, {@code questions}, {@code expressions}, {@code workers}, {@code sick}, {@code skew}, {@code recording} and {@code soak} measure the engine
 * alone, {@code FOLDER SIZE} behind them.
 */
public final class Main {

    private static final Path DATA = Path.of("benchmark-data");

    private Main() {}

    private static Map<String, Supplier<Entry>> entries() {
        Map<String, Supplier<Entry>> all = new LinkedHashMap<>();
        all.put("text-aggregate", () -> new TextAggregate(DATA, 50_000_000, false));
        all.put("text-as-csv", () -> new TextAggregate(DATA, 50_000_000, true));
        all.put("csv-aggregate", () -> new CsvAggregate(DATA, 10_000_000));
        all.put("json-aggregate", () -> new JsonAggregate(DATA, 4_000_000));
        all.put("parquet-aggregate", () -> new ParquetAggregate(DATA, 10_000_000));
        all.put("group-few", () -> new GroupMany(DATA, 50_000_000, 500));
        all.put("group-many", () -> new GroupMany(DATA, 50_000_000, 5_000_000));
        all.put("join-small", () -> new Join("join-small", DATA, 20_000_000, 2_000_000, 2_000_000));
        all.put("join-half", () -> new Join("join-half", DATA, 20_000_000, 2_000_000, 4_000_000));
        all.put("join-large", () -> new Join("join-large", DATA, 20_000_000, 20_000_000, 20_000_000));
        all.put("sort", () -> new SortLines(DATA, 20_000_000));
        all.put("first-rows", () -> new FirstRows(DATA, 50_000_000));
        all.put("shuffle", () -> new Shuffle(DATA, 20_000_000));
        all.put("write-parquet", () -> new WriteParquet(DATA, 10_000_000));
        all.put("skewed-self-join", () -> new SelfJoin(DATA, 250_000));
        all.put("many-small-files", () -> new ManyFiles(DATA, 10_000));
        all.put("word-count", () -> new WordCount(DATA, 30_000_000));
        all.put("external-program", () -> new ExternalProgram(DATA, 8_000_000));
        all.put("typed-map", () -> new TypedMap(DATA, 10_000_000));
        return all;
    }

    public static void main(String[] args) throws Exception {
        Deque<String> left = new ArrayDeque<>(List.of(args));
        Path report = null;
        int pairs = 5;
        while (!left.isEmpty() && left.peek().startsWith("--")) {
            switch (left.pop()) {
                case "--write" -> report = Path.of(left.pop());
                case "--pairs" -> pairs = Integer.parseInt(left.pop());
                case "--once" -> {
                    OneProcess.work(entry(left.pop()), left.pop(), Integer.parseInt(left.pop()));
                    return;
                }
                default -> {
                    System.err.println("options are --write FILE and --pairs NUMBER");
                    System.exit(2);
                }
            }
        }
        List<String> names = List.copyOf(left);
        if (report != null && !names.isEmpty()) {
            System.err.println(
                    "--write writes the table of all entries, and cannot do so for " + String.join(" ", names));
            System.exit(2);
        }
        String first = names.isEmpty() ? "" : names.get(0);
        Path folder = names.size() > 1 ? Path.of(names.get(1)) : DATA;
        if (first.equals("memory")) {
            new MemoryBudgets(folder, names.size() > 2 ? Long.parseLong(names.get(2)) : 50_000_000).run();
        } else if (first.equals("questions")) {
            new Questions(folder, names.size() > 2 ? Integer.parseInt(names.get(2)) : 100).run();
        } else if (first.equals("expressions")) {
            new ExpressionCosts(folder, names.size() > 2 ? Integer.parseInt(names.get(2)) : 2_000_000).run();
        } else if (first.equals("workers")) {
            new WorkerFigures(folder).run(names.size() > 2 ? names.get(2) : "");
        } else if (first.equals("sick")) {
            new SickJobs(folder, names.size() > 2 ? Integer.parseInt(names.get(2)) : 4_000_000, System.out).run();
        } else if (first.equals("skew")) {
            new SkewKit(folder, names.size() > 2 ? Integer.parseInt(names.get(2)) : 4_000_000, System.out).run();
        } else if (first.equals("recording")) {
            long rows = names.size() > 2 ? Long.parseLong(names.get(2)) : 4_000_000;
            new RecordingCost(folder, rows, 2 * pairs + 1, System.out).run();
        } else if (first.equals("soak")) {
            new Soak(folder, names.size() > 2 ? Long.parseLong(names.get(2)) : 600).run();
        } else {
            compare(names.isEmpty() ? all() : names, pairs, report);
        }
    }

    private static List<String> all() {
        List<String> names = new ArrayList<>(entries().keySet());
        names.add("short");
        return names;
    }

    private static Entry entry(String name) {
        Map<String, Supplier<Entry>> known = entries();
        if (!known.containsKey(name)) {
            System.err.println("there is no benchmark " + name + "; there are: " + String.join(", ", known.keySet())
                    + ", short, memory, questions, workers, sick, skew, recording, soak");
            System.exit(3);
        }
        return known.get(name).get();
    }

    /** Our time by theirs, as it should be. */
    private static double goal(String name) {
        return switch (name) {
            case "text-aggregate", "text-as-csv", "many-small-files", "word-count", "typed-map" -> 2.0;
            case "csv-aggregate" -> 1.8;
            case "join-large" -> 1.7;
            case "json-aggregate", "parquet-aggregate", "sort", "shuffle", "write-parquet", "external-program" -> 1.3;
            default -> 1.5;
        };
    }

    private static void compare(List<String> names, int pairs, Path report) throws Exception {
        List<String> compared = names.stream().filter(n -> !n.equals("short")).toList();
        compared.forEach(Main::entry);
        Comparison comparison = new Comparison(pairs);
        for (String name : compared) {
            Entry entry = entry(name);
            entry.prepare();
            entry.prepareOurs();
            comparison.measure(entry, goal(name));
        }
        if (names.contains("short")) {
            comparison.add(new ShortQuery(DATA).measure());
        }
        if (report != null) {
            comparison.write(report);
        }
    }
}
