package org.unimeros.examples;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import com.fasterxml.jackson.core.JsonFactory;
import com.fasterxml.jackson.core.JsonParser;
import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.core.JsonToken;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.LocalDate;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.stream.Stream;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.Engine;
import org.unimeros.Result;
import org.unimeros.Run;
import org.unimeros.Settings;
import org.unimeros.code.Program;
import org.unimeros.examples.data.DemoData;

/** The examples give what a few lines of plain Java find in the files. */
class ExamplesTest {

    @TempDir
    static Path root;

    /** A scan as it stands in a file. */
    private record Scan(long id, long parcel, String depot, String kind, long at, LocalDate day) {}

    private static final List<Scan> SCANS = new ArrayList<>();
    private static Settings settings;

    @BeforeAll
    static void makeAndReadTheData() throws IOException {
        DemoData.Made made = DemoData.make(root.resolve("demo"), 20_000, 5, n -> {});
        settings = Settings.defaults().with("runs.folder", "").with("bad-records", "skip");
        try (Stream<Path> files = Files.walk(root.resolve("demo/scans"))) {
            for (Path file : files.filter(Files::isRegularFile).sorted().toList()) {
                String day =
                        file.getParent().getParent().getFileName().toString().substring(4);
                for (String line : Files.readAllLines(file)) {
                    add(line, LocalDate.parse(day));
                }
            }
        }
        assertEquals(made.scans(), SCANS.size());
    }

    private static void add(String line, LocalDate day) throws IOException {
        Map<String, String> fields = new HashMap<>();
        try (JsonParser parser = new JsonFactory().createParser(line)) {
            String name = null;
            for (JsonToken token = parser.nextToken(); token != null; token = parser.nextToken()) {
                if (token == JsonToken.FIELD_NAME) {
                    name = parser.currentName();
                } else if (token.isScalarValue()) {
                    fields.put(name, parser.getText());
                }
            }
            SCANS.add(new Scan(
                    Long.parseLong(fields.get("scan_id")),
                    Long.parseLong(fields.get("parcel_id")),
                    fields.get("depot_id"),
                    fields.get("kind"),
                    Long.parseLong(fields.get("at")),
                    day));
        } catch (JsonProcessingException | NumberFormatException e) {
            assertTrue(line.length() < 90, "a line that is not one of the broken ones: " + line);
        }
    }

    private static Engine open() {
        return Engine.local(settings);
    }

    @Test
    void dailyScansAreThoseInTheFiles() {
        Map<String, Long> expected = new TreeMap<>();
        SCANS.forEach(s -> expected.merge(s.day + " " + s.depot, 1L, Long::sum));
        try (Engine engine = open()) {
            Run run = DailyScansPerDepot.run(engine, root.resolve("demo"), root.resolve("out"));
            assertEquals(expected.size(), run.rows());
            assertTrue(run.skippedRecords() > 0);
            Map<String, Long> counted = new TreeMap<>();
            Result result =
                    engine.read(root.resolve("out/depot_days").toString()).fetch();
            result.rows().forEach(r -> counted.put(r.text("day") + " " + r.text("depot_id"), r.longValue("scans")));
            // One broken line is a scan to a job that does not read its number.
            long more = counted.values().stream().mapToLong(n -> n).sum() - SCANS.size();
            assertTrue(more >= 0 && more <= 1, "counted " + more + " more");
            long different = expected.entrySet().stream()
                    .filter(e -> !e.getValue().equals(counted.get(e.getKey())))
                    .count();
            assertEquals(more, different);
            DailyScansPerDepot.run(engine, root.resolve("demo"), root.resolve("out"));
            assertEquals(
                    result.size(),
                    engine.read(root.resolve("out/depot_days").toString()).count());
        }
    }

    @Test
    void aRecordSaysWhichLineAskedForTheRun() {
        try (Engine engine =
                Engine.open(settings.with("runs.folder", root.resolve("asked").toString()))) {
            Run run = DailyScansPerDepot.run(engine, root.resolve("demo"), root.resolve("out-asked"));
            String asked = "asked for at org.unimeros.examples.DailyScansPerDepot.run(DailyScansPerDepot.java:";
            assertTrue(run.explain().contains(asked), run.explain());
        }
    }

    @Test
    void everyWeighedParcelIsEnrichedOnce() throws IOException {
        List<String> shippers = Files.readAllLines(root.resolve("demo/shippers.csv"));
        try (Engine engine = open()) {
            Run run = EnrichedParcels.run(engine, root.resolve("demo"), root.resolve("out"));
            long weighed = engine.read(root.resolve("demo/parcels").toString())
                    .where("weight_g is not null")
                    .count();
            assertEquals(weighed, run.rows());
            assertEquals(6, run.files());
            Result gold = engine.sql(
                            "select count(*) n, count(shipper) s, count(depot) d, min(weight_kg) w from dataset('"
                                    + root.resolve("out/enriched_parcels") + "') where tier = 'gold'")
                    .fetch();
            assertTrue(gold.row(0).longValue("n") > weighed / 3, gold.row(0).toString());
            assertEquals(gold.row(0).longValue("n"), gold.row(0).longValue("s"));
            assertEquals(gold.row(0).longValue("n"), gold.row(0).longValue("d"));
            assertTrue(gold.row(0).doubleValue("w") >= 0.08);
            assertEquals(501, shippers.size());
        }
    }

    @Test
    void handoversAreFoundInTheirWindow() {
        LocalDate from = LocalDate.of(2031, 3, 4);
        LocalDate to = LocalDate.of(2031, 3, 6);
        long windowEnd = to.toEpochDay() * 86_400_000L + 45 * 60_000L;
        Map<Long, Boolean> expected = new TreeMap<>();
        for (Scan a : SCANS) {
            if (a.kind.equals("arrival") && !a.day.isBefore(from) && a.day.isBefore(to)) {
                boolean followed = SCANS.stream()
                        .anyMatch(h -> h.kind.equals("handover")
                                && h.parcel == a.parcel
                                && !h.day.isBefore(from)
                                && !h.day.isAfter(to)
                                && h.at < windowEnd
                                && h.at >= a.at
                                && h.at <= a.at + 45 * 60_000L);
                expected.put(a.id, followed);
            }
        }
        try (Engine engine = open()) {
            HandoverWithin45Minutes.run(engine, root.resolve("demo"), root.resolve("out"), from, to);
            Map<Long, Boolean> found = new TreeMap<>();
            engine.read(root.resolve("out/handovers").toString())
                    .fetch()
                    .rows()
                    .forEach(r -> found.put(r.longValue("scan_id"), r.booleanValue("followed")));
            assertEquals(expected, found);
            assertTrue(expected.containsValue(true) && expected.containsValue(false));
        }
    }

    private static List<String> rows(Engine engine, String query) {
        return engine.sql(query).fetch().rows().stream()
                .map(Result.Row::toString)
                .toList();
    }

    @Test
    void wordsAreCountedPerTierOfTheShipper() throws IOException {
        Map<String, String> tiers = new HashMap<>();
        for (String line : Files.readAllLines(root.resolve("demo/shippers.csv"))) {
            String[] fields = line.replaceAll("\"[^\"]*\"", "name").split(",");
            tiers.put(fields[0], fields[2]);
        }
        Map<String, Long> expected = new TreeMap<>();
        for (String note : Files.readAllLines(root.resolve("demo/notes/notes.txt"))) {
            String[] words = note.split("[ :,]+");
            for (int i = 4; i < words.length; i++) {
                expected.merge(
                        tiers.get(words[1]) + " | " + words[i].toLowerCase(java.util.Locale.ROOT), 1L, Long::sum);
            }
        }
        try (Engine engine = open()) {
            Run run = WordsPerTier.run(engine, root.resolve("demo"), root.resolve("words"));
            assertEquals(4, run.files(), "one for each reducer");
            Map<String, Long> found = new TreeMap<>();
            engine.read(root.resolve("words/words_per_tier").toString())
                    .fetch()
                    .rows()
                    .forEach(r -> found.put(r.get("tier") + " | " + r.get("word"), r.longValue("times")));
            assertEquals(expected, found);
        }
    }

    @Test
    void journeysFollowTheScansOfAParcel() {
        Map<Long, List<Scan>> byParcel = new TreeMap<>();
        SCANS.forEach(
                s -> byParcel.computeIfAbsent(s.parcel, p -> new ArrayList<>()).add(s));
        List<String> expected = new ArrayList<>();
        byParcel.forEach((parcel, scans) -> {
            scans.sort(java.util.Comparator.comparing(Scan::at).thenComparing(Scan::id));
            boolean delivered = scans.stream().anyMatch(s -> s.kind.equals("delivery"));
            long minutes = (scans.get(scans.size() - 1).at - scans.get(0).at) / 60_000;
            expected.add(
                    parcel + " | " + scans.size() + " | " + minutes + " | " + delivered + " | " + scans.get(0).depot);
        });
        try (Engine engine = open()) {
            ParcelJourneys.run(engine, root.resolve("demo"), root.resolve("out"));
            assertEquals(
                    expected,
                    rows(
                            engine,
                            "select parcel_id, scans, minutes, delivered, depots[1] from dataset('"
                                    + root.resolve("out/journeys") + "') order by parcel_id"));
        }
    }

    @Test
    void zonesOfPostcodesComeFromTheAttachment() {
        try (Engine engine = open()) {
            DeliveryZones.run(engine, root.resolve("demo"), root.resolve("out"));
            assertEquals(
                    rows(
                            engine,
                            "select coalesce(c.zone, case when p.postcode is null then 'none' else 'unknown' end) as zone,"
                                    + " count(*), sum(weight_g) from dataset('" + root.resolve("demo/parcels")
                                    + "') p left join dataset('"
                                    + root.resolve("demo/postcodes.csv")
                                    + "') c on p.postcode = c.postcode group by 1 order by 1"),
                    rows(
                            engine,
                            "select zone, parcels, weight_g from dataset('" + root.resolve("out/delivery_zones")
                                    + "') order by zone"));
        }
    }

    @Test
    void daysAreCountedByMonthAndWeekday() {
        try (Engine engine = open()) {
            DailyScansPerDepot.run(engine, root.resolve("demo"), root.resolve("out"));
            Map<LocalDate, Long> expected = new TreeMap<>();
            engine.sql("select day, sum(scans) as n from dataset('" + root.resolve("out/depot_days")
                            + "') group by day")
                    .fetch()
                    .rows()
                    .forEach(r -> expected.put((LocalDate) r.get("day"), r.longValue("n")));
            ScansPerMonthAndWeekday.run(engine, root.resolve("demo"), root.resolve("out"));
            List<String> found = rows(
                    engine,
                    "select day, scans, month, weekday from dataset('" + root.resolve("out/month_weekdays")
                            + "') order by day");
            assertEquals(
                    expected.entrySet().stream()
                            .map(e -> e.getKey() + " | " + e.getValue() + " | "
                                    + e.getKey().getMonthValue() + " | "
                                    + e.getKey().getDayOfWeek())
                            .toList(),
                    found);
        }
    }

    @Test
    void loadingListsHoldWhatTheParcelsSay() throws IOException {
        try (Engine engine = open()) {
            LoadingLists.run(engine, root.resolve("demo"), root.resolve("out"));
            String expected = "select posted_on, count(*), sum(weight_g), max(weight_g) - min(weight_g) from dataset('"
                    + root.resolve("demo/parcels") + "') where service = 'express' group by 1 order by 1";
            assertEquals(
                    rows(engine, expected),
                    rows(
                            engine,
                            "select posted_on, parcels, weight_g, apart_g from dataset('"
                                    + root.resolve("out/loaded_per_day") + "') order by 1"));
        }
        try (Stream<Path> files = Files.list(root.resolve("out/loading_lists"))) {
            Path list =
                    files.filter(f -> f.toString().endsWith(".lst")).findFirst().orElseThrow();
            assertTrue(Files.readAllLines(list).stream()
                    .allMatch(line -> line.matches("[ 0-9]{10}[0-9]{5}   [ 0-9]{6}2031-.*")));
        }
    }

    @Test
    void theProgramsOfTheExamplesCountWords() throws IOException, InterruptedException {
        Path programs = Path.of("programs").toAbsolutePath();
        assertTrue(Files.isDirectory(programs), "run in the folder of the module");
        Program python = Program.shell("python3 -c pass");
        boolean hasPython = new ProcessBuilder(List.of("sh", "-c", "python3 -c pass"))
                        .start()
                        .waitFor()
                == 0;
        Program reducer = hasPython
                ? Program.of("python3", "totals.py")
                : Program.shell(
                        "awk -F'\t' '{n[$1]++; if (!s[$1 FS $2]++) d[$1]++} END {for (w in n) print w, n[w], d[w]}' | sort");
        assertTrue(python.toString().startsWith("python3"));
        try (Engine engine = open()) {
            engine.attach("words.awk", programs.resolve("words.awk"))
                    .attach("totals.py", programs.resolve("totals.py"));
            Result result = engine.read(root.resolve("demo/notes").toString())
                    .as(String.class)
                    .mapReduce(
                            String.class,
                            String.class,
                            Program.of("awk", "-f", "words.awk").mapper())
                    .reducers(1)
                    .reduce(String.class, reducer.reducer())
                    .rows()
                    .fetch();
            long notes =
                    Files.readAllLines(root.resolve("demo/notes/notes.txt")).size();
            assertEquals(notes, result.run().counter("notes", "read"));
            long home = Files.readAllLines(root.resolve("demo/notes/notes.txt")).stream()
                    .filter(n -> n.contains("home"))
                    .count();
            assertEquals(
                    1,
                    result.rows().stream()
                            .filter(r -> ((String) r.get(0)).startsWith("home " + home + " "))
                            .count());
        }
    }
}
