package org.unimeros;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Instant;
import java.time.LocalDate;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import java.util.concurrent.TimeUnit;
import java.util.stream.Stream;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.run.RunEvent;
import org.unimeros.insight.RunRecord;

/** The public interface, as programs use it. */
class EngineTest {

    @TempDir
    Path root;

    private Settings settings;

    @BeforeEach
    void writeData() throws IOException {
        settings = Settings.defaults()
                .with("runs.folder", root.resolve("runs").toString())
                .with("bad-records.folder", root.resolve("bad").toString());
        for (int day = 1; day <= 4; day++) {
            StringBuilder lines = new StringBuilder();
            for (int i = 0; i < 50; i++) {
                int id = day * 100 + i;
                String kind = i % 2 == 0 ? "arrival" : "handover";
                lines.append("{\"scan_id\":")
                        .append(id)
                        .append(",\"parcel_id\":")
                        .append(i / 2 + 1)
                        .append(",\"kind\":\"")
                        .append(kind)
                        .append("\",\"at\":")
                        .append(1_930_000_000_000L + id * 60_000L)
                        .append(",\"device\":{\"battery\":")
                        .append(i % 10 == 0 ? "null" : "0." + i)
                        .append("}}\n");
            }
            write("data/scans/day=2031-03-0" + day + "/a.jsonl", lines.toString());
        }
        StringBuilder parcels = new StringBuilder("parcel_id,service,weight_g\n");
        for (int p = 1; p <= 30; p++) {
            parcels.append(p)
                    .append(p % 3 == 0 ? ",," : ",express,")
                    .append(p * 500)
                    .append('\n');
        }
        write("data/parcels.csv", parcels.toString());
    }

    private void write(String path, String text) throws IOException {
        Path file = root.resolve(path);
        Files.createDirectories(file.getParent());
        Files.writeString(file, text);
    }

    private Engine open() {
        return Engine.local(settings, root.resolve("data"));
    }

    private String out(String name) {
        return root.resolve(name).toString();
    }

    private static List<String> lines(Result table) {
        return table.rows().stream().map(Result.Row::toString).toList();
    }

    @Test
    void aJobReadsJoinsSummarisesAndWritesPartitions() {
        try (Engine engine = open()) {
            Rows scans = engine.read("scans").as("s");
            Rows parcels = engine.read("parcels").as("p");
            Run run = scans.where("kind = 'arrival' and day >= date '2031-03-03'")
                    .join(parcels, "s.parcel_id = p.parcel_id")
                    .derive("heavy", "p.weight_g > 10000")
                    .groupBy("s.day")
                    .summarise("count(*) as parcels", "avg(p.weight_g) as mean_weight_g", "share(heavy) as heavy_share")
                    .write(out("days"), as -> as.parquet().partitionedBy("day").replacingPartitions());
            assertEquals(2, run.rows());
            assertEquals(2, run.skippedFiles());
            assertTrue(run.summary().contains("2 rows in 2 files"), run.summary());
            Result read = engine.read(out("days")).sortBy("day").fetch();
            assertEquals(List.of("25 | 6500.0 | 0.2 | 2031-03-03", "25 | 6500.0 | 0.2 | 2031-03-04"), lines(read));
        }
    }

    @Test
    void theSameStepAsSqlAndAsCallsGivesTheSame() {
        try (Engine engine = open()) {
            Result calls = engine.read("scans")
                    .groupBy("kind")
                    .summarise("count(*) as n")
                    .sortBy("kind")
                    .fetch();
            Result sql = engine.sql("select kind, count(*) as n from scans group by kind order by kind")
                    .fetch();
            assertEquals(lines(sql), lines(calls));
            assertEquals(List.of("arrival | 100", "handover | 100"), lines(sql));
        }
    }

    @Test
    void theResultIsTheSameForAnyNumberOfSlotsAndParts() {
        String query =
                "select s.kind, p.service, count(*) n, avg(p.weight_g) w, min(s.at) a, sum(s.\"device.battery\") b"
                        + " from scans s left join parcels p on s.parcel_id = p.parcel_id group by 1, 2 order by 1, 2 nulls first";
        List<String> expected = null;
        for (String slots : List.of("1", "2", "7")) {
            for (String parts : List.of("1", "3", "32")) {
                for (String copy : List.of("0", "32MB")) {
                    for (String split : List.of("1024", "32MB")) {
                        Settings s = settings.with("slots", slots)
                                .with("shuffle.parts", parts)
                                .with("join.copy-limit", copy)
                                .with("split.target", split)
                                .with("shuffle.part-target", "0");
                        try (Engine engine = Engine.local(s, root.resolve("data"))) {
                            List<String> lines = lines(engine.sql(query).fetch());
                            expected = expected == null ? lines : expected;
                            assertEquals(expected, lines);
                        }
                    }
                }
            }
        }
        assertEquals(4, expected.size());
    }

    @Test
    void stepsAreCheckedWhenTheyAreDescribedAndNothingIsRead() throws IOException {
        try (Engine engine = open()) {
            Rows scans = engine.read("scans");
            UserMistake name = assertThrows(UserMistake.class, () -> scans.where("knid = 'x'"));
            assertTrue(name.getMessage().contains("did you mean kind?"), name.getMessage());
            UserMistake type = assertThrows(UserMistake.class, () -> scans.where("kind > 5"));
            assertTrue(type.getMessage().contains("text") && type.getMessage().contains("int"), type.getMessage());
            assertThrows(UserMistake.class, () -> scans.where("scan_id + 1"));
            assertThrows(UserMistake.class, () -> scans.drop("nothing"));
            assertThrows(UserMistake.class, () -> scans.rename("kind", "day"));
            assertThrows(UserMistake.class, () -> scans.groupBy("kind").summarise("count(*) as kind"));
            assertThrows(UserMistake.class, () -> scans.union(engine.read("parcels")));
            assertThrows(UserMistake.class, () -> scans.select("kind, kind").write(out("twice"), as -> as));
            assertThrows(UserMistake.class, () -> scans.write(out("x"), as -> as.partitionedBy("dya")));
            assertThrows(UserMistake.class, () -> scans.write(out("x"), as -> as.replacingPartitions()));
            assertFalse(Files.exists(root.resolve("runs")), "something was run");
        }
    }

    @Test
    void theOtherStepsDoWhatTheySay() {
        try (Engine engine = open()) {
            Rows parcels = engine.read("parcels");
            assertEquals(
                    "(parcel_id int, weight_g int, service text)",
                    parcels.select("parcel_id, weight_g, service").schema().toString());
            assertEquals(
                    "(id int, weight_g int)",
                    parcels.rename("parcel_id", "id").drop("service").schema().toString());
            assertEquals(2, parcels.select("service").distinct().count());
            assertEquals(60, parcels.union(parcels).count());
            assertEquals(10, parcels.preview().size());
            assertEquals(
                    List.of("30", "29"),
                    lines(parcels.sortBy("parcel_id desc")
                            .select("parcel_id")
                            .limit(2)
                            .fetch()));
            assertEquals(
                    30,
                    parcels.derive("weight_g", "weight_g * 2")
                            .where("weight_g >= 1000")
                            .count());
            Result.Row row = engine.read("scans")
                    .derive("t", "timestamp_of_millis(at)")
                    .sortBy("scan_id")
                    .limit(1)
                    .fetch()
                    .row(0);
            assertEquals(LocalDate.of(2031, 3, 1), row.date("day"));
            assertEquals(Instant.ofEpochMilli(1_930_000_000_000L + 6_000_000L), row.timestamp("t"));
            assertTrue(row.isNull("device.battery"));
            assertEquals(100, row.longValue("scan_id"));
        }
    }

    @Test
    void everyJoinMethodGivesTheSameRows() {
        try (Engine engine = open()) {
            Rows scans = engine.read("scans").as("s");
            Rows parcels = engine.read("parcels").where("parcel_id > 10").as("p");
            List<List<String>> results = new ArrayList<>();
            for (JoinBy how : JoinBy.values()) {
                results.add(lines(scans.leftJoin(parcels, "s.parcel_id = p.parcel_id and p.weight_g < 9000", how)
                        .select("scan_id, weight_g")
                        .sortBy("scan_id")
                        .fetch()));
            }
            assertEquals(200, results.get(0).size());
            assertEquals(results.get(0), results.get(1));
            assertEquals(results.get(0), results.get(2));
            assertTrue(engine.sql("select 1 from scans s join parcels p on s.parcel_id = p.parcel_id")
                    .explain()
                    .contains("within the copy limit of 32 MB"));
        }
    }

    @Test
    void badRecordsFailOrAreLeftOutOrAreKept() throws IOException {
        write(
                "data/scans/day=2031-03-05/a.jsonl",
                "{\"scan_id\":1,\"kind\":\"x\"}\nnot json\n{\"scan_id\":\"many\"}\n");
        String query = "select count(scan_id) as n from scans where day = date '2031-03-05'";
        try (Engine engine = open()) {
            BadData e = assertThrows(BadData.class, () -> engine.sql(query).fetch());
            assertTrue(e.getMessage().contains("a.jsonl:2: broken JSON"), e.getMessage());
            assertThrows(BadData.class, () -> engine.read("scans").write(out("w"), as -> as));
            assertFalse(Files.exists(root.resolve("w/_unimeros/staging")) && hasData("w"), "something was written");
        }
        try (Engine engine = Engine.local(settings.with("bad-records", "divert"), root.resolve("data"))) {
            Rows text = engine.read("scans");
            assertEquals("scan_id text", text.schema().field(0).toString());
            assertTrue(text.limit(1)
                    .fetch()
                    .run()
                    .warnings()
                    .get(0)
                    .contains("column scan_id is read as text, because it is int in some records"));
            Result table = engine.read("scans", o -> o.column("scan_id", "long"))
                    .where("day = date '2031-03-05'")
                    .summarise("count(scan_id) as n")
                    .fetch();
            assertEquals(1, table.row(0).longValue("n"));
            assertEquals(2, table.run().skippedRecords());
            Result kept = engine.sql("select line, record from dataset('"
                            + table.run().badRecords().orElseThrow() + "') order by line")
                    .fetch();
            assertEquals(List.of("2 | not json", "3 | {\"scan_id\":\"many\"}"), lines(kept));
            assertTrue(
                    table.run().explain().contains("2 bad records left out and kept in"),
                    table.run().explain());
        }
    }

    private boolean hasData(String name) throws IOException {
        try (Stream<Path> files = Files.walk(root.resolve(name))) {
            return files.anyMatch(f -> f.toString().endsWith(".parquet"));
        }
    }

    @Test
    void formatsAndModesOfWriting() {
        try (Engine engine = open()) {
            Rows parcels = engine.read("parcels");
            for (String format : List.of("parquet", "csv", "json")) {
                parcels.write(out(format), as -> as.format(format));
                assertEquals(
                        lines(parcels.sortBy("parcel_id")
                                .select("parcel_id, service, weight_g")
                                .fetch()),
                        lines(engine.read(out(format))
                                .sortBy("parcel_id")
                                .select("parcel_id, service, weight_g")
                                .fetch()),
                        format);
                assertThrows(UserMistake.class, () -> parcels.write(out(format), as -> as.format(format)));
                parcels.write(out(format), as -> as.format(format).appending());
                assertEquals(60, engine.read(out(format)).count());
                parcels.limit(3).write(out(format), as -> as.format(format).replacing());
                assertEquals(3, engine.read(out(format)).count());
            }
        }
    }

    @Test
    void readOptionsDeclareWhatCannotBeSeen() throws IOException {
        write("points.txt", "1;a\n2;NA\n");
        try (Engine engine = open()) {
            Rows points = engine.read(
                    out("points.txt"),
                    o -> o.format("csv")
                            .delimiter(';')
                            .header(false)
                            .nullText("NA")
                            .column("n", "long", "column_1")
                            .column("t", "text", "column_2"));
            assertEquals(List.of("1 | a", "2 | "), lines(points.fetch()));
            Rows battery = engine.read(
                    "scans", o -> o.column("b", "double", "device.battery").partition("day", "text"));
            assertEquals("(b double, day text)", battery.schema().toString());
            assertEquals(180, battery.where("b is not null").count());
            assertThrows(
                    ResourceFailure.class,
                    () -> engine.sql("select * from dataset('" + out("points.txt") + "')")
                            .write("/proc/nowhere/x", as -> as));
        } catch (UserMistake e) {
            assertTrue(e.getMessage().contains("ending"), e.getMessage());
        }
    }

    /** Also where there is no join: windows, aggregates that keep all values, own reducers. */
    @Test
    void frequentKeysAreNamedWhereverRowsAreDividedByThem() throws IOException {
        Path file = root.resolve("hot.csv");
        StringBuilder lines = new StringBuilder("depot,weight\n");
        for (int i = 0; i < 3_000; i++) {
            lines.append(i % 3 == 0 ? "D" + i : i % 3 == 1 ? "D7" : "")
                    .append(',')
                    .append(i)
                    .append('\n');
        }
        Files.writeString(file, lines);
        String hot = "dataset('" + file + "')";
        try (Engine engine = open();
                Engine together = Engine.local(settings.with("write.together", "on"))) {
            List<Run> runs = List.of(
                    engine.sql("select depot, list_agg(weight) as all_of_it from " + hot + " group by depot")
                            .fetch()
                            .run(),
                    engine.sql("select row_number() over (partition by depot order by weight) as n from " + hot)
                            .fetch()
                            .run());
            Run written = together.sql("select depot, weight from " + hot)
                    .write(
                            root.resolve("by-depot").toString(),
                            as -> as.format("csv").partitionedBy("depot"));
            String byPartition = Files.readString(written.record().orElseThrow());
            assertTrue(byPartition.contains("{\"key\":\"'D7'\",\"rows\":1000}"), byPartition);
            Run reduced = engine.sql("select depot from " + hot + " where depot is not null")
                    .as(String.class)
                    .mapReduce(String.class, Long.class, (depot, out) -> out.add(depot, 1L))
                    .reduce(Long.class, (depot, ones, out) -> ones.forEach(out::add))
                    .rows()
                    .fetch()
                    .run();
            String byKey = Files.readString(reduced.record().orElseThrow());
            assertTrue(byKey.contains("{\"key\":\"'D7'\",\"rows\":1000}"), byKey);
            for (Run run : runs) {
                String record = Files.readString(run.record().orElseThrow());
                assertTrue(record.contains("{\"key\":\"'D7'\",\"rows\":1000}"), record);
                assertTrue(record.contains("{\"key\":\"null\",\"rows\":1000}"), record);
            }
            Run counted = engine.sql("select depot, count(*) as n from " + hot + " group by depot")
                    .fetch()
                    .run();
            String summarised = Files.readString(counted.record().orElseThrow());
            assertFalse(summarised.contains("'D7'"), summarised);
        }
    }

    @Test
    void aRecordTellsWhatReallyHappened() throws IOException {
        List<String> seen = new ArrayList<>();
        try (Engine engine = open()) {
            engine.watch(e -> seen.add(e.getClass().getSimpleName()));
            Run run = engine.sql("select kind, count(*) from scans where day = date '2031-03-02' group by kind")
                    .fetch()
                    .run();
            RunRecord record = RunRecord.read(run.record().orElseThrow());
            assertEquals("done", record.progress().state());
            assertTrue(
                    record.progress().title().startsWith("select kind"),
                    record.progress().title());
            String text = record.print();
            assertTrue(text.contains("skipped 3 files"), text);
            assertTrue(text.contains("-> 50 rows"), text);
            assertEquals(text, run.explain());
            Diagnosis diagnosis = run.diagnosis().orElseThrow();
            assertTrue(diagnosis.verdict().startsWith("done in "), diagnosis.verdict());
            assertTrue(diagnosis.text().startsWith("run " + run.id() + ": " + diagnosis.verdict()), diagnosis.text());
            Path page = root.resolve("pages/run.html");
            run.writePage(page);
            assertTrue(Files.readString(page).contains("\"run\":\"" + run.id() + "\""), page.toString());
        }
        assertEquals("RunStarted", seen.get(0));
        assertEquals("RunEnded", seen.get(seen.size() - 1));
        assertTrue(seen.contains(RunEvent.StageFinished.class.getSimpleName()));
    }

    @Test
    void anEngineShowsItsRunsWhileItIsOpen() throws Exception {
        HttpClient client = HttpClient.newHttpClient();
        HttpRequest runs;
        try (Engine engine = Engine.local(settings.with("page.port", "0"), root.resolve("data"))) {
            Run run = engine.sql("select count(*) from scans").fetch().run();
            runs = HttpRequest.newBuilder(URI.create(engine.page().orElseThrow() + "runs"))
                    .build();
            String listed =
                    client.send(runs, HttpResponse.BodyHandlers.ofString()).body();
            assertTrue(
                    listed.contains("\"run\":\"" + run.id() + "\",\"title\":\"select count(*) from scans\""), listed);
        }
        assertThrows(IOException.class, () -> client.send(runs, HttpResponse.BodyHandlers.ofString()));
        try (Engine engine = open()) {
            assertTrue(engine.page().isEmpty());
        }
        Settings without = settings.with("page.port", "0").with("runs.folder", "");
        assertTrue(assertThrows(UserMistake.class, () -> Engine.local(without))
                .getMessage()
                .startsWith("page.port needs records of runs"));
    }

    @Test
    void recordsBeyondTheLimitsAreRemovedWhenAJobBegins() throws IOException {
        Path records = Files.createDirectories(root.resolve("few"));
        for (int i = 0; i < 4; i++) {
            Path record = Files.writeString(
                    records.resolve("20310304-09150" + i + "-7c1a2b.jsonl"), "{\"event\":\"run-started\",\"at\":1}\n");
            assertTrue(record.toFile().setLastModified(1_000_000_000L + i));
        }
        Settings few = settings.with("runs.folder", records.toString());
        try (Engine engine = Engine.local(few.with("runs.keep", "2, 1GB"), root.resolve("data"))) {
            engine.sql("select count(*) from scans").fetch();
        }
        try (Stream<Path> kept = Files.list(records)) {
            assertEquals(
                    List.of("20310304-091502-7c1a2b.jsonl", "20310304-091503-7c1a2b.jsonl"),
                    kept.map(p -> p.getFileName().toString())
                            .filter(name -> name.startsWith("2031"))
                            .sorted()
                            .toList());
        }
        for (String wrong : List.of("", "many", "0", "10, x", "3 parcels")) {
            assertTrue(assertThrows(UserMistake.class, () -> few.with("runs.keep", wrong))
                    .getMessage()
                    .contains("runs.keep"));
        }
        few.with("runs.keep", "all").with("runs.keep", "30d").with("runs.keep", "500, 12h, 64MB");
    }

    @Test
    void aFailedRunHasARecordToo() throws IOException {
        try (Engine engine = open()) {
            assertThrows(
                    BadData.class,
                    () -> engine.sql("select scan_id / 0 from scans").fetch());
        }
        try (Stream<Path> records = Files.list(root.resolve("runs"))) {
            RunRecord record = RunRecord.read(records.findFirst().orElseThrow());
            assertEquals("failed", record.progress().state());
            assertTrue(record.print().contains("because: division by zero"), record.print());
        }
    }

    @Test
    void settingsAreCheckedAndTheLastOneCounts() throws IOException {
        Path file = root.resolve("s.properties");
        Files.writeString(file, "slots = 3\nsplit.target = 1MB\n");
        Settings s = Settings.defaults().withFile(file).withEnvironment(Map.of("UNIMEROS_SLOTS", "4", "OTHER", "x"));
        assertEquals("4", s.get("slots"));
        assertEquals("1MB", s.get("split.target"));
        assertEquals("5", s.with("slots", "5").get("slots"));
        String[][] wrong = {
            {"slotz", "1", "unknown setting slotz; did you mean slots?"},
            {"slots", "many", "setting slots needs a whole number, but found 'many'"},
            {"slots", "-1", "needs a whole number from 0 to 1024"},
            {"split.target", "10 parsecs", "needs a size such as 64MB"},
            {"bad-records", "ignore", "needs one of fail, skip, divert"},
        };
        for (String[] w : wrong) {
            UserMistake e =
                    assertThrows(UserMistake.class, () -> Settings.defaults().with(w[0], w[1]));
            assertTrue(e.getMessage().contains(w[2]), e.getMessage());
        }
        Files.writeString(file, "slotz = 3\n");
        UserMistake e =
                assertThrows(UserMistake.class, () -> Settings.defaults().withFile(file));
        assertTrue(e.getMessage().contains("unknown setting slotz in " + file), e.getMessage());
    }

    @Test
    void aClosedEngineDoesNothingMore() {
        Engine engine = open();
        Rows rows = engine.read("parcels");
        engine.close();
        engine.close();
        assertThrows(IllegalStateException.class, rows::fetch);
    }

    @Test
    void severalRunsAtOnceShareTheSlotsOfTheirEngine() throws Exception {
        try (Engine engine = Engine.local(settings.with("slots", "1"), root.resolve("data"))) {
            String query = "select kind, count(*) n from scans group by kind order by kind";
            String expected = engine.sql(query).fetch().rows().toString();
            ExecutorService callers = Executors.newFixedThreadPool(4);
            List<Future<String>> results = new ArrayList<>();
            for (int i = 0; i < 12; i++) {
                results.add(
                        callers.submit(() -> engine.sql(query).fetch().rows().toString()));
            }
            for (Future<String> result : results) {
                assertEquals(expected, result.get(60, TimeUnit.SECONDS));
            }
            callers.shutdown();
        }
    }
}
