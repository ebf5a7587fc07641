package org.unimeros.cli;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.junit.jupiter.api.Assumptions.assumeFalse;

import java.io.IOException;
import java.io.PrintWriter;
import java.io.StringWriter;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.stream.Stream;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.cli.Commands.Result;
import org.unimeros.insight.RunFolder;

/** The commands, as a person calls them, on small demo data. */
class CommandTest {

    @TempDir
    static Path root;

    private static Path demo;

    static Result run(Terminal terminal, String... args) {
        Map<String, String> environment =
                Map.of("UNIMEROS_RUNS_FOLDER", root.resolve("runs").toString());
        return Commands.run(terminal, environment, args);
    }

    private static Result run(String... args) {
        return run(Terminal.NONE, args);
    }

    private static Result onData(String... args) {
        String[] all = Arrays.copyOf(args, args.length + 2);
        all[args.length] = "--data";
        all[args.length + 1] = demo.toString();
        return run(all);
    }

    @BeforeAll
    static void makeDemoData() {
        demo = root.resolve("demo");
        Result made = run("demo-data", demo.toString(), "--rows", "5k", "--seed", "3");
        assertEquals(0, made.code(), made.err());
    }

    @Test
    void theDemoRunsTwice() {
        for (int i = 0; i < 2; i++) {
            Result result = onData("demo", "--out", root.resolve("out").toString());
            assertEquals(0, result.code(), result.err());
            assertTrue(result.out().contains("9 of 9"), result.out());
            assertTrue(result.out().contains("bad records left out"), result.out());
            assertTrue(result.out().contains("What to try next"), result.out());
        }
        Result read =
                run("query", "select count(*) as n from dataset('" + root.resolve("out/handovers") + "')", "--csv");
        assertTrue(read.out().matches("n\n[1-9]\\d*\n"), read.out());
    }

    @Test
    void theSameSeedMakesTheSameData() throws IOException {
        Path again = root.resolve("again");
        run("demo-data", again.toString(), "--rows", "5k", "--seed", "3");
        try (Stream<Path> files = Files.walk(demo)) {
            for (Path file : files.filter(Files::isRegularFile).toList()) {
                assertEquals(-1, Files.mismatch(file, again.resolve(demo.relativize(file))), file.toString());
            }
        }
        Result refused = run("demo-data", again.toString());
        assertEquals(ExitCode.USER_MISTAKE, refused.code());
        assertTrue(refused.err().contains("is not empty"), refused.err());
    }

    @Test
    void demoDataHasTheTroublesOfRealData() {
        Result share = onData(
                "query",
                "select share(shipper_id = 17) > 0.35 and share(shipper_id = 17) < 0.45 as ok,"
                        + " count(*) - count(service) > 0 as nulls from parcels",
                "--csv");
        assertEquals("ok,nulls\ntrue,true\n", share.out());
        Result huge = onData("query", "select share(container_id = 1) > 0.02 as huge from containers", "--csv");
        assertEquals("huge\ntrue\n", huge.out());
        Result late = onData(
                "query",
                "select count(*) > 0 as late from scans where" + " cast(timestamp_of_millis(at_millis) as date) <> day",
                "--csv",
                "--on-bad-record",
                "skip");
        assertEquals("late\ntrue\n", late.out());
    }

    @Test
    void inspectTellsWhatADatasetIsMadeOf() {
        Result result = onData("inspect", "scans");
        assertEquals(0, result.code(), result.err());
        for (String part : List.of(
                "format       json",
                "files        1,008 of ",
                "bad records  3",
                "  day        date    partition",
                "partitions   336",
                "1,008 files of less than 1.0 MB each")) {
            assertTrue(result.out().contains(part), part + "\n" + result.out());
        }
        Result json = onData("inspect", "parcels", "--json");
        assertTrue(json.out().startsWith("{\"name\":\"parcels\"") && json.out().contains("\"rows\":1000"), json.out());
        List<String> listed = onData("inspect").out().lines().toList();
        assertTrue(listed.get(0).matches("dataset +format +files +size +rows"), listed.get(0));
        assertEquals(
                List.of(
                        "containers parquet",
                        "depots csv",
                        "notes text",
                        "parcels parquet",
                        "postcodes csv",
                        "scans json",
                        "shippers csv"),
                listed.stream()
                        .skip(2)
                        .map(line -> line.split(" +")[0] + " " + line.split(" +")[1])
                        .toList());
        Result both = onData(
                "query", "select 1 as x", "--csv", "--to", root.resolve("never").toString());
        assertEquals(ExitCode.USER_MISTAKE, both.code());
        assertTrue(both.err().contains("--as csv"), both.err());
        assertTrue(onData("inspect", "scans", "--partitions").out().contains("day=2031-03-09/hour=4"));
    }

    @Test
    void headAlignsForPeopleAndGivesProgramsTheirForms() {
        Result result = onData("head", "depots", "-n", "4");
        assertTrue(result.out().contains("depot_id  name"), result.out());
        assertTrue(result.out().contains("D04       Sankt Elmen, Bahnhof"), result.out());
        assertEquals("", result.err());
        assertEquals(
                3, onData("head", "parcels", "-n", "2", "--csv").out().lines().count());
        assertTrue(onData("head", "parcels", "-n", "1", "--json").out().startsWith("{\"parcel_id\":1,"));
        Result narrow = run(new Terminal(true, false, 60), "head", "--data", demo.toString(), "shippers");
        assertTrue(narrow.out().lines().allMatch(l -> l.codePointCount(0, l.length()) <= 60), narrow.out());
    }

    @Test
    void queriesPrintOrWrite() throws IOException {
        String sql = "select tier, count(*) as n from shippers group by tier order by tier";
        assertEquals(
                "tier,n",
                onData("query", sql, "--csv").out().lines().findFirst().orElseThrow());
        Path file = root.resolve("q.sql");
        Files.writeString(file, "-- tiers\n" + sql + ";\n");
        assertEquals(
                onData("query", sql).out(),
                onData("query", "-f", file.toString()).out());
        Path to = root.resolve("tiers");
        Result wrote = onData("query", sql, "--to", to.toString(), "--as", "csv", "--by", "tier");
        assertEquals(0, wrote.code(), wrote.err());
        assertEquals("", wrote.out());
        assertTrue(wrote.err().contains("3 rows in 3 files"), wrote.err());
        assertTrue(Files.isDirectory(to.resolve("tier=gold")));
        Result again = onData("query", sql, "--to", to.toString());
        assertEquals(ExitCode.USER_MISTAKE, again.code());
        assertTrue(again.err().contains("there is data in"), again.err());
        assertEquals(
                0,
                onData(
                                "query",
                                sql,
                                "--to",
                                to.toString(),
                                "--as",
                                "csv",
                                "--by",
                                "tier",
                                "--mode",
                                "replace-partitions")
                        .code());
    }

    @Test
    void runsAreListedAndDiagnosedByTheirRecords() throws IOException {
        String folder = root.resolve("diagnosed").toString();
        String sql = "select count(*) as pairs from parcels a join parcels b on a.fragile = b.fragile";
        Result made = onData("query", sql, "--set", "runs.folder=" + folder);
        assertEquals(0, made.code(), made.err());
        onData("query", "select nothing from parcels", "--set", "runs.folder=" + folder);
        Result runs = run("runs", "--runs", folder);
        assertEquals(0, runs.code(), runs.err());
        assertTrue(runs.out().startsWith("run "), runs.out());
        assertEquals(3, runs.out().lines().count(), runs.out());
        assertTrue(runs.out().contains("  done  "), runs.out());
        Result narrow = run(new Terminal(true, false, 90), "runs", "--runs", folder);
        assertTrue(narrow.out().lines().allMatch(line -> line.length() <= 90), narrow.out());
        Result json = run("runs", "--runs", folder, "--json");
        assertTrue(json.out().contains("\"title\":\"" + sql + "\",\"state\":\"done\""), json.out());
        Result of = run("runs", "--runs", folder, "--of", "COUNT(*) AS PAIRS");
        assertEquals(3, of.out().lines().count(), of.out());
        Result ofNone = run("runs", "--runs", folder, "--of", "containers");
        assertEquals("no record in " + folder + " is of a run with containers\n", ofNone.err());
        Result last = run("diagnose", "--runs", folder);
        assertTrue(
                last.out().matches("(?s)run \\S+: done in .*, 1 row; .* in use \\d+ % of the time\\..*most time: .*"),
                last.out());
        Result named = run("diagnose", last.out().substring(4, last.out().indexOf(':')), "--runs", folder, "--json");
        assertTrue(named.out().matches("\\{\"run\":.*\"findings\":\\[.*\\],\"bound\":\".*\"\\}\n"), named.out());
        assertFalse(
                json.out().contains("\"asked\""), "no line of a program asks for what a command does: " + json.out());
        Result page = run("report", "--runs", folder);
        Path beside = Path.of(page.out().strip());
        assertEquals(Path.of(folder), beside.getParent());
        assertTrue(Files.readString(beside).contains("\"title\":\"" + sql), page.out());
        assertEquals(3, run("runs", "--runs", folder).out().lines().count(), "a page is no record");
        Path elsewhere = root.resolve("pages/last.html");
        Result named2 = run("report", "last", "--runs", folder, "--to", elsewhere.toString());
        assertEquals(elsewhere + "\n", named2.out());
        assertTrue(Files.exists(elsewhere));
        Result below = run(
                "report", "--runs", folder, "--to", elsewhere.resolve("x.html").toString());
        assertEquals(ExitCode.RESOURCE, below.code());
        assertTrue(below.err().startsWith("unimeros: cannot write " + elsewhere), below.err());
        Result onFolder = run("report", "--runs", folder, "--to", root.toString());
        assertEquals(ExitCode.RESOURCE, onFolder.code());
        assertTrue(onFolder.err().endsWith("it is a folder; name a file in it\n"), onFolder.err());
        Path record = new RunFolder(Path.of(folder)).find("last");
        String before = Files.readString(record);
        Result onRecord = run("report", "--runs", folder, "--to", record.toString());
        assertEquals(ExitCode.USER_MISTAKE, onRecord.code(), onRecord.err());
        assertEquals(before, Files.readString(record));
        assertEquals(
                ExitCode.USER_MISTAKE, run("report", "never", "--runs", folder).code());
    }

    @Test
    void pagesOfRunsAreServedUntilTheCommandIsInterrupted() throws Exception {
        String folder = root.resolve("served").toString();
        Result made =
                onData("query", "select count(*) as served from parcels", "--page", "--set", "runs.folder=" + folder);
        assertTrue(made.err().startsWith("page: http://127.0.0.1:"), made.err());
        StringWriter out = new StringWriter();
        Thread command = new Thread(() -> Main.run(
                new PrintWriter(out),
                new PrintWriter(new StringWriter()),
                Terminal.NONE,
                Map.of(),
                "page",
                "--runs",
                folder));
        command.start();
        while (!out.toString().endsWith("/\n")) {
            assertTrue(command.isAlive(), out.toString());
            Thread.sleep(20);
        }
        HttpRequest runs = HttpRequest.newBuilder(URI.create(out.toString().strip() + "runs"))
                .build();
        HttpClient client = HttpClient.newHttpClient();
        String listed = client.send(runs, HttpResponse.BodyHandlers.ofString()).body();
        assertTrue(listed.contains("select count(*) as served from parcels"), listed);
        command.interrupt();
        command.join();
        assertThrows(IOException.class, () -> client.send(runs, HttpResponse.BodyHandlers.ofString()));
        Path elsewhere =
                Path.of(System.getProperty("unimeros.root"), "insight/src/test/resources/records/version-2.jsonl");
        Result noPort = run("page", "--port", "99999", "--runs", folder);
        assertEquals(ExitCode.USER_MISTAKE, noPort.code());
        assertTrue(noPort.err().startsWith("unimeros: there is no port 99999"), noPort.err());
        Result outside = run("page", elsewhere.toString(), "--runs", folder);
        assertEquals(ExitCode.USER_MISTAKE, outside.code());
        assertTrue(outside.err().contains("use unimeros report"), outside.err());
        assertEquals(
                ExitCode.USER_MISTAKE,
                Commands.run(Terminal.NONE, Map.of("UNIMEROS_RUNS_FOLDER", ""), "page")
                        .code());
    }

    @Test
    void twoRunsArePutSideBySide() throws IOException {
        String folder = root.resolve("compared").toString();
        onData("query", "select service, count(*) from parcels group by service", "--set", "runs.folder=" + folder);
        String first = run("runs", "--runs", folder, "--json").out().substring(8, 30);
        onData(
                "query",
                "select service, count(*) from parcels group by service",
                "--set",
                "runs.folder=" + folder,
                "--set",
                "shuffle.parts=8");
        Result compared = run("compare", first, "--runs", folder);
        assertEquals(0, compared.code(), compared.err());
        assertTrue(compared.out().contains("settings differ: shuffle.parts 32 → 8"), compared.out());
        assertTrue(compared.out().contains("rows read"), compared.out());
        assertTrue(
                compared.out().lines().anyMatch(line -> line.matches("- +shuffle by .* into 32 parts")),
                compared.out());
        assertTrue(
                compared.out().lines().anyMatch(line -> line.matches("\\+ +shuffle by .* into 8 parts")),
                compared.out());
        Path page = root.resolve("compared.html");
        Result written = run("compare", first, "--runs", folder, "--to", page.toString());
        assertEquals(0, written.code(), written.err());
        assertTrue(Files.readString(page).contains("shuffle.parts"));
        String record = Path.of(folder, first + ".jsonl").toString();
        Result over = run("compare", first, "--runs", folder, "--to", record);
        assertEquals(ExitCode.USER_MISTAKE, over.code(), over.err());
        assertTrue(over.err().contains("would take the place of the record"), over.err());
        Result json = run("compare", first, "last", "--runs", folder, "--json");
        assertTrue(json.out().contains("{\"what\":\"shuffle.parts\",\"first\":\"32\",\"second\":\"8\"}"), json.out());
        assertEquals(
                ExitCode.USER_MISTAKE, run("compare", "never", "--runs", folder).code());
        assertEquals(ExitCode.USAGE, run("compare").code());
    }

    @Test
    void aDiagnosisOnAScreenIsBrokenBetweenWords() throws IOException {
        Path record =
                Path.of(System.getProperty("unimeros.root"), "insight/src/test/resources/records/version-2.jsonl");
        String whole = run("diagnose", record.toString()).out();
        String broken = run(new Terminal(true, false, 50), "diagnose", record.toString())
                .out();
        assertTrue(
                broken.lines()
                        .allMatch(line -> line.length() <= 50 || !line.strip().contains(" ")),
                broken);
        assertTrue(broken.contains("\n             "), "goes on under its beginning: " + broken);
        assertEquals(whole.replaceAll("\\s+", " "), broken.replaceAll("\\s+", " "));
    }

    @Test
    void sickJobsAreDiagnosedAndCured() {
        Path out = root.resolve("sick-out");
        Result sick = run("example", "sick-many-pairs", "--rows", "4k", "--out", out.toString());
        assertEquals(0, sick.code(), sick.err());
        assertTrue(sick.out().startsWith("run ") && sick.out().contains("most time: "), sick.out());
        assertTrue(sick.err().contains("scans are joined with each other by depots"), sick.err());
        assertEquals(
                0,
                run("example", "sick-many-pairs", "--rows", "4k", "--cured", "--out", out.toString())
                        .code());
        assertEquals(
                ExitCode.USER_MISTAKE, run("example", "daily-scans", "--cured").code());
        assertEquals(
                ExitCode.USER_MISTAKE,
                run("example", "sick-many-pairs", "--rows", "10").code());
        assertTrue(run("example", "sick-many-pear").err().contains("did you mean sick-many-pairs?"));
    }

    @Test
    void whatIsNoRecordIsSaidInALine() throws IOException {
        Path folder = Files.createDirectories(root.resolve("few-records"));
        Result none = run("runs", "--runs", folder.toString());
        assertEquals(0, none.code());
        assertEquals("there are no run records in " + folder + "\n", none.err());
        Result last = run("diagnose", "--runs", folder.toString());
        assertEquals(ExitCode.USER_MISTAKE, last.code());
        assertEquals("unimeros: there are no run records in " + folder + "\n", last.err());
        Files.writeString(folder.resolve("r1.jsonl"), "parcels\n");
        Result broken = run("diagnose", "r1", "--runs", folder.toString());
        assertEquals(ExitCode.BAD_DATA, broken.code());
        assertEquals("unimeros: " + folder.resolve("r1.jsonl") + ":1: not a line of a run record\n", broken.err());
        Files.write(folder.resolve("r0.jsonl"), new byte[] {(byte) 0xff, (byte) 0xfe, 0});
        Result listed = run("runs", "--runs", folder.toString());
        assertEquals(0, listed.code(), "one that is broken does not hide the others");
        assertTrue(listed.err().contains("r0.jsonl is not text, and so no run record"), listed.err());
        assertTrue(listed.err().contains("r1.jsonl:1: not a line of a run record"), listed.err());
        assertEquals(
                ExitCode.USER_MISTAKE,
                run("diagnose", "r2", "--runs", folder.toString()).code());
        assertEquals(ExitCode.USER_MISTAKE, run("runs", "--newest", "0").code());
        Result both = run("runs", "--runs", folder.toString(), "--coordinator", "http://127.0.0.1:1");
        assertEquals(ExitCode.USER_MISTAKE, both.code(), both.err());
        assertEquals(
                ExitCode.USER_MISTAKE,
                run("runs", "--newest", "3", "--coordinator", "http://127.0.0.1:1")
                        .code());
        Map<String, String> withCoordinator = Map.of("UNIMEROS_COORDINATOR", "http://127.0.0.1:1");
        assertEquals(
                0,
                Commands.run(Terminal.NONE, withCoordinator, "runs", "--runs", folder.toString())
                        .code());
        assertEquals(
                ExitCode.RESOURCE,
                Commands.run(Terminal.NONE, withCoordinator, "runs").code());
        Result empty = Commands.run(Terminal.NONE, Map.of("UNIMEROS_RUNS_FOLDER", ""), "diagnose");
        assertEquals("unimeros: runs keep no records, since runs.folder is empty; name a file\n", empty.err());
    }

    @Test
    void explainShowsThePlanBeforeAndAfter() {
        String sql = "select kind, count(*) from scans where day = date '2031-03-02' and hour < 3 group by 1";
        Result before = onData("explain", sql);
        assertTrue(
                before.out()
                        .matches("(?s).*scan scans \\[kind, day, hour\\]: [1-9] files?, .*; skipped \\d{3} files.*"),
                before.out());
        Result after = onData("explain", sql, "--execute");
        assertTrue(after.out().contains("  result  -> ") && after.out().contains("done in"), after.out());
        assertTrue(after.out().indexOf("  scan scans") < after.out().indexOf("  result  -> "), after.out());
        assertTrue(after.out().lines().skip(1).noneMatch(line -> line.contains(" 0 ms")), after.out());
        Result none = onData("explain", sql, "--execute", "--set", "runs.folder=");
        assertEquals(ExitCode.USER_MISTAKE, none.code(), none.out());
        assertTrue(none.err().contains("runs keep none, since runs.folder is empty"), none.err());
        Result last = run("explain", "--record", "last");
        assertEquals(0, last.code(), last.err());
        assertTrue(last.out().contains("record: "), last.out());
        assertEquals(ExitCode.USER_MISTAKE, run("explain", "--record", "never").code());
    }

    @Test
    void aPlanIsPutBesideThatOfAnotherQueryOrOfARun() throws IOException {
        String sql = "select kind, count(*) from scans group by kind";
        String folder = root.resolve("against").toString();
        assertEquals(
                0,
                onData("query", sql, "--on-bad-record", "skip", "--set", "runs.folder=" + folder)
                        .code());
        Result same = onData("explain", sql, "--against", "last", "--set", "runs.folder=" + folder);
        assertEquals(0, same.code(), same.err());
        assertEquals("both plans are the same\n", same.err());
        Path file = root.resolve("other.sql");
        Files.writeString(file, sql + " limit 3");
        for (String other : List.of(sql + " limit 3", file.toString())) {
            Result plans = onData("explain", sql, "--against", other);
            assertEquals(0, plans.code(), plans.err());
            assertTrue(plans.out().contains("\n+   take 3\n"), plans.out());
            assertTrue(plans.out().startsWith("  stage 1\n    scan scans"), plans.out());
            assertFalse(plans.out().contains("\n- "), plans.out());
        }
        assertEquals(
                ExitCode.USER_MISTAKE,
                onData("explain", sql, "--against", "never").code());
        assertEquals(
                ExitCode.USER_MISTAKE,
                onData("explain", sql, "--against", "last", "--execute").code());
    }

    @Test
    void helpListsTheCommandsByPurposeInALineEach() {
        String help = run("--help").out();
        for (CommandGroup group : CommandGroup.ALL) {
            int at = help.indexOf("\n" + group.purpose() + ":\n");
            assertTrue(at >= 0, group.purpose() + " in " + help);
            List<String> lines = help.substring(at)
                    .lines()
                    .skip(2)
                    .takeWhile(line -> !line.isBlank())
                    .toList();
            for (String name : group.commands().keySet()) {
                assertTrue(
                        lines.stream().anyMatch(line -> line.matches("  " + name + " +[A-Z].*")),
                        name + " in " + lines);
            }
        }
        assertTrue(help.lines().allMatch(line -> line.length() <= 100), help);
    }

    @Test
    void everyCommandHasHelpWithAnExample() {
        for (String command : List.of(
                "demo",
                "demo-data",
                "inspect",
                "head",
                "query",
                "explain",
                "diagnose",
                "report",
                "page",
                "compare",
                "runs",
                "example",
                "functions",
                "settings")) {
            Result help = run(command, "--help");
            assertEquals(0, help.code());
            assertTrue(help.out().contains("Example"), command);
        }
        assertTrue(run("--help").out().contains("Exit codes:"));
        assertEquals(ExitCode.USAGE, run().code());
    }

    @Test
    void helpAndMistypedCommandsKnowAllCommandsThoughOnlyTheCalledOneIsSetUp() {
        String help = run("--help").out();
        for (String command :
                List.of("demo", "demo-data", "inspect", "head", "query", "explain", "functions", "settings")) {
            assertTrue(help.contains("\n  " + command), help);
            assertTrue(run(command, "--help").out().startsWith("Usage: unimeros " + command), command);
        }
        Result mistyped = run("qurey", "select 1");
        assertEquals(2, mistyped.code());
        assertTrue(mistyped.err().contains("query"), mistyped.err());
        Result misused = run("query", "--nonsense", "select 1");
        assertEquals(2, misused.code());
        assertTrue(misused.err().contains("see unimeros query --help"), misused.err());
    }

    @Test
    void listingsHaveJson() {
        assertTrue(run("functions", "--json").out().lines().allMatch(l -> l.startsWith("{\"name\":")));
        assertTrue(run("settings", "--json").out().contains("\"variable\":\"UNIMEROS_SPLIT_TARGET\""));
        assertTrue(run("functions", "Date_Trunc").out().startsWith("date_trunc(unit, time)"));
    }

    @Test
    void mistakesAreOneLineWithAnExitCodeOfTheirOwn() throws IOException {
        Files.createDirectories(root.resolve("bad/mixed"));
        Files.writeString(root.resolve("bad/a.jsonl"), "{\"x\":1}\n{\"x\":\n");
        Files.writeString(root.resolve("bad/mixed/a.csv"), "x\n1\n");
        Files.writeString(root.resolve("bad/mixed/b.jsonl"), "{}\n");
        Files.write(root.resolve("bad/cut.parquet"), "PAR1 and then nothing".getBytes(StandardCharsets.UTF_8));
        Files.createDirectories(root.resolve("bad/empty"));
        String bad = root.resolve("bad").toString();
        Object[][] cases = {
            {ExitCode.BAD_DATA, "a.jsonl:2: broken JSON", "query", "select x from dataset('" + bad + "/a.jsonl')"},
            {ExitCode.BAD_DATA, "is not a readable Parquet file", "head", bad + "/cut.parquet"},
            {ExitCode.USER_MISTAKE, "mixes formats", "head", bad + "/mixed"},
            {ExitCode.USER_MISTAKE, "there are no data files", "inspect", bad + "/empty"},
            {ExitCode.USER_MISTAKE, "there is no dataset", "head", bad + "/nothing"},
            {ExitCode.USER_MISTAKE, "unknown setting", "settings", "--set", "x=1"},
            {ExitCode.USER_MISTAKE, "unknown format", "query", "select 1 as x", "--to", bad + "/out", "--as", "xls"},
            {ExitCode.RESOURCE, "cannot read the query", "query", "-f", bad + "/none.sql"},
            {ExitCode.RESOURCE, "cannot write to", "query", "select 1 as x", "--to", "/proc/self/nowhere"},
            {ExitCode.BAD_DATA, "division by zero", "query", "select 1 / x as y from dataset('" + bad + "/zero.csv')"},
            {ExitCode.USAGE, "Unknown option", "head", "x", "--what"},
            {ExitCode.USAGE, "is not a number of rows", "demo-data", "x", "--rows", "many"},
        };
        Files.writeString(root.resolve("bad/zero.csv"), "x\n0\n");
        for (Object[] c : cases) {
            Result result = run(Arrays.copyOfRange(c, 2, c.length, String[].class));
            assertEquals(c[0], result.code(), result.err());
            assertTrue(result.err().contains((String) c[1]), result.err());
            assertEquals(
                    1,
                    result.err().lines().filter(l -> l.startsWith("unimeros: ")).count(),
                    result.err());
            assertFalse(result.err().contains("\tat "), result.err());
            assertEquals("", result.out());
        }
        assertFalse(Files.exists(root.resolve("bad/out")), "something was written");
    }

    @Test
    void aFileThatMayNotBeReadIsNamed() throws IOException {
        Path secret = root.resolve("secret.csv");
        Files.writeString(secret, "x\n1\n");
        Files.setPosixFilePermissions(secret, PosixFilePermissions.fromString("---------"));
        assumeFalse(Files.isReadable(secret), "this user may read everything");
        Result result = run("head", secret.toString());
        assertEquals(ExitCode.RESOURCE, result.code());
        assertTrue(result.err().contains("permission denied"), result.err());
    }

    @Test
    void progressIsShownOnATerminalOnly() {
        String[] query = {
            "query",
            "--data",
            demo.toString(),
            "select kind, count(*) from scans group by kind",
            "--on-bad-record",
            "skip",
            "--set",
            "split.target=64kB"
        };
        assertFalse(run(query).err().contains("\r"));
        Result seen = run(new Terminal(true, true, 100), query);
        assertTrue(seen.err().contains("stages done, stage 1: ") && seen.err().contains(" tasks"), seen.err());
        assertTrue(seen.err().contains("record: "), seen.err());
    }

    @Test
    void rowsAreDrawnInTheTerminalAndAsImages() throws IOException {
        String[] query = {
            "query", "--data", demo.toString(), "select tier, count(*) as shippers from shippers group by tier"
        };
        String drawn = run(new Terminal(true, false, 60), with(query, "--chart", "bar"))
                .out();
        assertTrue(drawn.startsWith("shippers by tier\n\n"), drawn);
        assertTrue(drawn.lines().allMatch(line -> line.codePointCount(0, line.length()) <= 60), drawn);
        assertTrue(drawn.contains("│██"), drawn);
        String plain = run(new Terminal(true, false, 60, true, false), with(query, "--chart", "bar"))
                .out();
        assertTrue(plain.contains("|##") && plain.chars().allMatch(c -> c < 128), plain);

        Path image = root.resolve("pictures/tiers.svg");
        Result rows = run(with(query, "--json", "--chart-to", image.toString()));
        assertTrue(rows.out().startsWith("{\"tier\":"), rows.out());
        assertTrue(rows.err().contains("wrote " + image), rows.err());
        assertTrue(Files.readString(image).contains("<svg"));

        String[][] wrong = {{"--chart", "pie"}, {"--chart", "bar", "--csv"}, {"--chart", "bar", "--to", "out"}};
        String[] says = {"--chart takes bar or line, not 'pie'", "--chart-to FILE.png", "--to writes them"};
        for (int i = 0; i < wrong.length; i++) {
            Result refused = run(with(query, wrong[i]));
            assertEquals(ExitCode.USER_MISTAKE, refused.code(), refused.err());
            assertTrue(refused.err().contains(says[i]), refused.err());
        }
        Result pdf = run(with(query, "--chart-to", root.resolve("a.pdf").toString()));
        assertEquals(ExitCode.USER_MISTAKE, pdf.code(), pdf.err());
        String made = "create table \"" + root.resolve("drawn") + "\" as select 1 as n";
        Result nothing =
                run("query", made, "--chart-to", root.resolve("nothing.png").toString());
        assertEquals(0, nothing.code(), nothing.err());
        assertTrue(nothing.err().contains("nothing was drawn, since no statement asks for rows"), nothing.err());
        Result text = run("query", "--data", demo.toString(), "select name from shippers", "--chart", "line");
        assertEquals(ExitCode.USER_MISTAKE, text.code());
        assertTrue(text.err().contains("a chart needs a column of numbers"), text.err());
    }

    private static String[] with(String[] query, String... more) {
        return Stream.concat(Stream.of(query), Stream.of(more)).toArray(String[]::new);
    }

    @Test
    void scriptsMakeViewsAndDatasetsAndTakeParameters() throws IOException {
        Path script = root.resolve("job.sql");
        String folder = root.resolve("made-by-script").toString();
        Files.writeString(script, """
                create view heavy as select parcel_id, weight_g from parcels where weight_g > :least;
                create table "%s" as select * from heavy;
                insert into "%s" select 1, 2;
                select count(*) as n, min(weight_g) as least from dataset('%s')
                """.formatted(folder, folder, folder));
        Result done =
                run("query", "--data", demo.toString(), "-f", script.toString(), "--param", "least=20000", "--csv");
        assertEquals(ExitCode.DONE, done.code(), done.err());
        assertTrue(done.out().startsWith("n,least\n"), done.out());
        assertTrue(done.out().endsWith(",2\n"), done.out());
        assertTrue(done.err().contains("view heavy (") && done.err().contains("added to " + folder), done.err());
        Result missing = run("query", "--data", demo.toString(), "select * from parcels where weight_g > :least");
        assertEquals(ExitCode.USER_MISTAKE, missing.code());
        assertTrue(missing.err().contains("--param least="), missing.err());
        Result both = run("query", "--data", demo.toString(), "select 1; select 2", "--to", folder);
        assertEquals(ExitCode.USER_MISTAKE, both.code());
        assertTrue(both.err().contains("--to takes one query"), both.err());
    }

    @Test
    void theSameRowsWithLittleMemoryAndNothingIsLeftInTheScratchFolder() throws IOException {
        Path scratch = root.resolve("scratch");
        String query = "select a.parcel_id, a.kind, count(*) as n, max(b.at_millis) as latest"
                + " from scans a join scans b on a.parcel_id = b.parcel_id group by a.parcel_id, a.kind"
                + " order by a.parcel_id, a.kind";
        String[] common = {"query", "--data", demo.toString(), query, "--csv", "--on-bad-record", "skip"};
        Result ample = run(common);
        String[] little = Arrays.copyOf(common, common.length + 4);
        little[common.length] = "--set";
        little[common.length + 1] = "memory.budget=64MB";
        little[common.length + 2] = "--set";
        little[common.length + 3] = "memory.scratch=" + scratch;
        Result spilled = run(little);
        assertEquals(ExitCode.DONE, spilled.code(), spilled.err());
        assertEquals(ample.out(), spilled.out());
        assertTrue(!Files.exists(scratch) || isEmpty(scratch));
        Result small = run("query", "select 1", "--set", "memory.budget=1MB");
        assertEquals(ExitCode.USER_MISTAKE, small.code());
        assertTrue(small.err().contains("0, or a size of at least 64MB"), small.err());
    }

    private static boolean isEmpty(Path folder) throws IOException {
        try (Stream<Path> files = Files.list(folder)) {
            return files.findAny().isEmpty();
        }
    }

    @Test
    void nestedValuesAreJsonInEveryForm() {
        String query = "select array[1, null] as codes, struct('D01' as depot, array['late'] as tags) as stop,"
                + " 12345678901234567890.50 as total, X'0aff' as raw, time '08:15:00' as clock, cast(1.5 as float) as share";
        assertEquals(
                "{\"codes\":[1,null],\"stop\":{\"depot\":\"D01\",\"tags\":[\"late\"]},\"total\":12345678901234567890.50,"
                        + "\"raw\":\"0aff\",\"clock\":\"08:15:00\",\"share\":1.5}\n",
                run("query", query, "--json").out());
        assertEquals(
                "codes,stop,total,raw,clock,share\n\"[1,null]\",\"{\"\"depot\"\":\"\"D01\"\",\"\"tags\"\":[\"\"late\"\"]}\","
                        + "12345678901234567890.50,0aff,08:15:00,1.5\n",
                run("query", query, "--csv").out());
        Result table = run("query", query);
        assertTrue(table.out().contains("[1,null]  {\"depot\":\"D01\",\"tags\":[\"late\"]}"), table.out());
        Result mistake = run("query", "select (array[1]).depot");
        assertEquals(ExitCode.USER_MISTAKE, mistake.code());
        assertTrue(mistake.err().contains(".depot needs a struct, but found int[]"), mistake.err());
    }

    @Test
    void aJoinThatExplodesIsWarnedOfOrRefused() {
        String query = "select count(*) as n from scans a join scans b on a.kind = b.kind";
        Result warned = run(
                "query",
                "--data",
                demo.toString(),
                query,
                "--on-bad-record",
                "skip",
                "--set",
                "join.pairs-limit=100000",
                "--set",
                "join.copy-limit=1kB");
        assertEquals(ExitCode.DONE, warned.code(), warned.err());
        assertTrue(warned.err().contains("is expected to make at least"), warned.err());
        assertTrue(warned.err().contains("'delivery' ("), warned.err());
        Result refused = run(
                "query",
                "--data",
                demo.toString(),
                query,
                "--on-bad-record",
                "skip",
                "--set",
                "join.pairs-limit=100000",
                "--set",
                "join.over-limit=fail");
        assertEquals(ExitCode.BAD_DATA, refused.code());
        assertTrue(refused.err().contains("makes more than 100,000 rows"), refused.err());
        assertEquals(1, refused.err().lines().count(), refused.err());
    }

    @Test
    void aFunctionIsShownWithItsExample() {
        String shown = run("functions", "rank").out();
        assertTrue(shown.startsWith("rank() over (…)\n  One more than the number of rows before it"), shown);
        assertTrue(shown.contains("example: select rank() over (order by x)"), shown);
        assertTrue(shown.contains("gives:   1 / 2 / 2 / 4"), shown);
        assertTrue(run("functions").out().contains("Aggregates; each can have filter (where …)"));
        assertTrue(run("functions", "rnak").err().contains("did you mean rank?"));
    }

    @Test
    void explainSaysWhyInputsAreInTheirOrder() {
        Result shown = run(
                "explain",
                "--data",
                demo.toString(),
                "select count(*) from depots d, shippers s, parcels p, scans c where c.parcel_id = p.parcel_id"
                        + " and p.shipper_id = s.shipper_id and c.depot_id = d.depot_id");
        assertTrue(shown.out().contains("inputs in the order scans, "), shown.out());
        assertFalse(shown.out().contains("no equal keys"), shown.out());
        Result written = run(
                "explain",
                "--data",
                demo.toString(),
                "--set",
                "join.order=written",
                "select count(*) from depots d, shippers s, parcels p where p.shipper_id = s.shipper_id");
        assertFalse(written.out().contains("inputs in the order"), written.out());
    }
}
