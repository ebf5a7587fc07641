package org.unimeros;

import static org.junit.jupiter.api.Assertions.assertEquals;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.TreeMap;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.code.Check;
import org.unimeros.code.Combiner;
import org.unimeros.code.Mapper;
import org.unimeros.code.Partitioner;
import org.unimeros.code.Reducer;

/**
 * Random map-reduce steps over random scans, with and without combiners, partitioners, ranges and orders, with any number of slots and
 * reducers and next to no memory, against a few obvious loops. {@code -Dunimeros.cases=1000} for more.
 */
class MapReduceAgainstModelTest {

    private static final int CASES = Integer.getInteger("unimeros.cases", 40);

    @TempDir
    Path folder;

    record Scan(int depot, String kind, long parcel) {}

    record Spot(int depot, String kind) {}

    record Told(int depot, String kind, long n, long sum, String firsts) {}

    /** What one case does. */
    private record Case(
            boolean filters, boolean combines, boolean descending, boolean sorts, int division, int reducers) {
        static Case of(Random random) {
            return new Case(
                    random.nextBoolean(),
                    random.nextBoolean(),
                    random.nextBoolean(),
                    random.nextBoolean(),
                    random.nextInt(3),
                    1 + random.nextInt(9));
        }
    }

    private static List<Scan> scans(Random random) {
        int rows = random.nextInt(20_000);
        int depots = 1 + random.nextInt(random.nextBoolean() ? 5 : 3000);
        List<Scan> scans = new ArrayList<>();
        for (int i = 0; i < rows; i++) {
            scans.add(new Scan(
                    random.nextInt(depots), random.nextBoolean() ? "arrival" : "departure", random.nextInt(100_000)));
        }
        return scans;
    }

    private Path write(List<Scan> scans, int number) throws IOException {
        StringBuilder lines = new StringBuilder("depot,kind,parcel\n");
        scans.forEach(s -> lines.append(s.depot)
                .append(',')
                .append(s.kind)
                .append(',')
                .append(s.parcel)
                .append('\n'));
        return Files.writeString(folder.resolve("scans-" + number + ".csv"), lines);
    }

    private static final Check<Scan> EVEN = scan -> scan.parcel % 2 == 0;
    private static final Mapper<Scan, Spot, Long> BY_SPOT =
            (scan, out) -> out.add(new Spot(scan.depot, scan.kind), scan.parcel);
    private static final Combiner<Spot, Long> SUM = (spot, values, out) -> {
        long sum = 0;
        for (long value : values) {
            sum += value;
        }
        out.add(sum);
    };

    private static final Partitioner<Spot, Long> BY_DEPOT = (spot, value, reducers) -> spot.depot % reducers;
    private static final Reducer<Spot, Long, Told> TELL = (spot, values, out) -> {
        long n = 0;
        long sum = 0;
        StringBuilder firsts = new StringBuilder();
        for (long value : values) {
            firsts.append(n < 3 ? value + " " : "");
            n++;
            sum += value;
        }
        out.add(new Told(spot.depot, spot.kind, n, sum, firsts.toString()));
    };

    /** The same in a few loops; counts and first values are told only where no combiner may change them. */
    private static List<Told> model(List<Scan> scans, Case what) {
        Map<Spot, List<Long>> groups =
                new TreeMap<>(Comparator.comparing(Spot::depot).thenComparing(Spot::kind));
        for (Scan scan : scans) {
            if (!what.filters || scan.parcel % 2 == 0) {
                groups.computeIfAbsent(new Spot(scan.depot, scan.kind), s -> new ArrayList<>())
                        .add(scan.parcel);
            }
        }
        List<Told> told = new ArrayList<>();
        groups.forEach((spot, values) -> {
            values.sort(Comparator.reverseOrder());
            StringBuilder firsts = new StringBuilder();
            values.stream().limit(3).forEach(v -> firsts.append(v).append(' '));
            told.add(new Told(
                    spot.depot,
                    spot.kind,
                    values.size(),
                    values.stream().mapToLong(v -> v).sum(),
                    firsts.toString()));
        });
        return told;
    }

    private static List<Told> comparable(List<Told> told, Case what) {
        return told.stream()
                .map(t -> what.combines || !what.sorts
                        ? new Told(t.depot, t.kind, what.combines ? 0 : t.n, t.sum, "")
                        : t)
                .toList();
    }

    private List<Told> run(Path file, Case what, Random random) {
        Settings settings = Settings.defaults()
                .with("slots", String.valueOf(1 + random.nextInt(4)))
                .with("runs.folder", "")
                .with("memory.budget", random.nextInt(3) == 0 ? "64MB" : "500MB")
                .with("memory.scratch", folder.resolve("scratch").toString())
                .with("split.target", random.nextBoolean() ? "20kB" : "1MB");
        try (Engine engine = Engine.local(settings)) {
            Records<Scan> scans = engine.read(file.toString())
                    .select("cast(depot as int) as depot, kind, cast(parcel as bigint) as parcel")
                    .as(Scan.class);
            MapReduce<Spot, Long> pairs = (what.filters ? scans.filter(EVEN) : scans)
                    .mapReduce(Spot.class, Long.class, BY_SPOT)
                    .reducers(what.reducers);
            pairs = what.combines ? pairs.combine(SUM) : pairs;
            pairs = what.sorts ? pairs.sortValues("value desc") : pairs;
            pairs = what.descending ? pairs.sortKeys("depot desc, kind") : pairs;
            pairs = switch (what.division) {
                case 0 -> pairs;
                case 1 -> pairs.partitionBy(BY_DEPOT);
                default -> pairs.partitionByRange();
            };
            return pairs.reduce(Told.class, TELL).fetch();
        }
    }

    @Test
    void randomStepsGiveWhatLoopsGive() throws IOException {
        for (int seed = 0; seed < CASES; seed++) {
            Random random = new Random(seed);
            Case what = Case.of(random);
            List<Scan> scans = scans(random);
            List<Told> expected = comparable(model(scans, what), what);
            List<Told> got = comparable(run(write(scans, seed), what, random), what);
            Comparator<Told> order = what.descending
                    ? Comparator.comparing(Told::depot).reversed().thenComparing(Told::kind)
                    : Comparator.comparing(Told::depot).thenComparing(Told::kind);
            if (what.division == 2) {
                // Reducers one after the other have all keys in order.
                assertEquals(expected.stream().sorted(order).toList(), got, "seed " + seed + ": " + what);
            } else {
                assertEquals(
                        expected.stream().sorted(order).toList(),
                        got.stream().sorted(order).toList(),
                        "seed " + seed + ": " + what);
            }
        }
    }
}
