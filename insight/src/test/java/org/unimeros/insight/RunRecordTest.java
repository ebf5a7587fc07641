package org.unimeros.insight;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.junit.jupiter.api.Assertions.fail;

import com.fasterxml.jackson.core.JsonFactory;
import com.fasterxml.jackson.core.JsonGenerator;
import com.fasterxml.jackson.core.JsonParser;
import java.io.IOException;
import java.io.StringWriter;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.Random;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.operator.StepMetrics;
import org.unimeros.engine.run.AttemptUse;
import org.unimeros.engine.run.RunEvent;
import org.unimeros.engine.run.RunEventJson;
import org.unimeros.engine.run.RunProgress;
import org.unimeros.engine.schedule.AttemptId;
import org.unimeros.engine.stage.Estimate;
import org.unimeros.engine.stage.Output;
import org.unimeros.engine.stage.PhysicalPlan;
import org.unimeros.engine.stage.PlanOutline;
import org.unimeros.engine.stage.Source;
import org.unimeros.engine.stage.Stage;
import org.unimeros.engine.stage.Step;
import org.unimeros.insight.diagnosis.Diagnosis;
import org.unimeros.insight.diagnosis.RunComparison;
import org.unimeros.insight.diagnosis.RunHistory;
import org.unimeros.insight.diagnosis.RunSummary;
import org.unimeros.insight.page.RunPage;

class RunRecordTest {

    @TempDir
    Path folder;

    private Path path;
    private final List<String> complaints = new ArrayList<>();

    @BeforeEach
    void choosePath() {
        path = folder.resolve("deeper/run.jsonl");
    }

    private static List<RunEvent> events() {
        Stage stage = Stage.numbered(
                1,
                1,
                List.of(new Stage.Pipeline(new Source.Given(List.of()), List.of(new Step.Take(0, 5)))),
                new Output.ToResult(),
                new Schema(List.of()),
                Estimate.UNKNOWN,
                OptionalLong.empty());
        PhysicalPlan plan = new PhysicalPlan(List.of(stage), new Schema(List.of()));
        Map<Integer, StepMetrics> steps = Map.of(
                1,
                new StepMetrics(100, 4096, 3_000_000),
                2,
                new StepMetrics(100, 0, 0, 2048, 77),
                3,
                new StepMetrics(5, 80, 9));
        return List.of(
                new RunEvent.RunStarted(1000, "r1", "select \"x\"\nfrom y", plan.outline(), Map.of("slots", "2"), 2),
                new RunEvent.StageStarted(1010, 1, 3),
                new RunEvent.AttemptStarted(1011, new AttemptId(1, 0, 0), 0, "a.csv"),
                new RunEvent.AttemptStarted(1012, new AttemptId(1, 1, 0), 1, "b.csv"),
                new RunEvent.AttemptFailed(1013, new AttemptId(1, 1, 0), 1, "disk is full"),
                new RunEvent.AttemptFinished(
                        1261,
                        new AttemptId(1, 0, 0),
                        0,
                        5,
                        steps,
                        new AttemptUse(1_000, 250_000_000, 2_000, 90_000_000, 3_000_000)),
                new RunEvent.Warning(1262, "careful"),
                new RunEvent.RecordsSkipped(1263, 2, List.of("a.csv:7: broken"), "bad/r1.txt"),
                new RunEvent.StageFinished(1264, 1),
                new RunEvent.RunEnded(1300, "done", null, 5, 0, 0));
    }

    private void write(int count) {
        try (RunRecordWriter writer = new RunRecordWriter(path, complaints::add)) {
            events().subList(0, count).forEach(writer::happened);
        }
    }

    @Test
    void whatIsWrittenIsPrintedWithThePlan() {
        write(10);
        assertEquals("""
                run r1, done in 300 ms, 5 rows
                select "x"
                from y

                stage 1: 1 of 3 tasks needed, 254 ms, slowest task 250 ms, 1 failed
                  given rows  -> 100 rows, 4.0 kB, 3 ms, 100 %% of all task time
                  take 5  -> 5 rows, spilled 2.0 kB
                  result  -> 5 rows, 80 B
                warning: careful
                warning: 2 bad records left out and kept in bad/r1.txt, such as: a.csv:7: broken
                record: %s
                """.formatted(path), RunRecord.read(path).print());
        assertEquals(List.of(), complaints);
    }

    @Test
    void whatWasDecidedOfAStageIsKeptAndStandsBeneathIt() {
        List<RunEvent> cut = new ArrayList<>(events());
        String decision = "part 26 is cut into 50 pieces: key 17 has 3,400,200 rows";
        cut.set(1, new RunEvent.StageStarted(1010, 1, 3, List.of(decision)));
        try (RunRecordWriter writer = new RunRecordWriter(path, complaints::add)) {
            cut.forEach(writer::happened);
        }
        String printed = RunRecord.read(path).print();
        assertTrue(printed.contains("slowest task 250 ms, 1 failed\n    " + decision + "\n  given rows"), printed);
    }

    @Test
    void workersAndWhatWasDoneAgainAreShown() throws IOException {
        List<RunEvent> usual = events();
        RunEvent.AttemptFinished finished = (RunEvent.AttemptFinished) usual.get(5);
        try (RunRecordWriter writer = new RunRecordWriter(path, complaints::add)) {
            writer.happened(usual.get(0));
            writer.happened(new RunEvent.WorkerJoined(1001, "w1", 2));
            writer.happened(new RunEvent.WorkerJoined(1001, "w2", 2));
            writer.happened(new RunEvent.StageStarted(1010, 1, 1));
            writer.happened(new RunEvent.AttemptStarted(1011, new AttemptId(1, 0, 0), "w2", 0, "a.csv"));
            writer.happened(finished);
            writer.happened(new RunEvent.WorkerLost(1270, "w2", "not heard of for 10 s"));
            writer.happened(new RunEvent.StageReopened(1270, 1));
            writer.happened(new RunEvent.AttemptStarted(1271, new AttemptId(1, 0, 1), "w1", 0, "a.csv"));
            writer.happened(new RunEvent.AttemptStarted(1280, new AttemptId(1, 0, 2), "w1", 1, "a.csv"));
            writer.happened(new RunEvent.AttemptFinished(
                    1290, new AttemptId(1, 0, 1), 0, 5, finished.steps(), AttemptUse.NONE));
            writer.happened(new RunEvent.AttemptStopped(1290, new AttemptId(1, 0, 2), 1));
            writer.happened(new RunEvent.StageFinished(1291, 1));
            writer.happened(usual.get(9));
        }
        String printed = RunRecord.read(path).print();
        assertTrue(printed.contains("stage 1: 1 task, 281 ms, 1 done again, 1 attempt stopped\n"), printed);
        assertTrue(printed.contains("-> 100 rows, 4.0 kB, 3 ms, 100 % of all task time"), printed);
        assertTrue(printed.contains("on 2 workers\nworker w2 was lost: not heard of for 10 s\n"), printed);
        assertTrue(Files.readString(path).contains("\"worker\":\"w2\",\"input\":\"a.csv\""), printed);
    }

    /** Whoever looks at a run while it goes on, or after its process was killed, sees all but the last half second. */
    @Test
    void aRecordCanBeReadBeforeItIsComplete() throws Exception {
        try (RunRecordWriter writer = new RunRecordWriter(path, complaints::add)) {
            events().subList(0, 9).forEach(writer::happened);
            assertEquals(1, RunRecord.read(path).progress().plan().stages().size());
            writer.happened(new RunEvent.Warning(1600, "later"));
            while (!Files.readString(path).endsWith("\"later\"}\n")) {
                Thread.sleep(20);
            }
            RunProgress progress = RunRecord.read(path).progress();
            assertEquals("later", progress.warnings().get(progress.warnings().size() - 1));
            assertEquals(RunProgress.UNFINISHED, progress.state());
        }
    }

    /** A long task tells nothing for minutes; its record is touched all the same, and what happened before is in it. */
    @Test
    void aRecordThatIsWrittenIsToldFromOneWhoseProcessIsGone() throws Exception {
        long now = System.currentTimeMillis();
        try (RunRecordWriter writer = new RunRecordWriter(path, complaint -> fail(complaint))) {
            writer.happened(new RunEvent.RunStarted(now, "r1", "scans", new PlanOutline(List.of()), Map.of(), 1));
            writer.happened(new RunEvent.Warning(now, "a parcel is late"));
            while (Files.readAllLines(path).size() < 2) {
                Thread.sleep(20);
            }
            assertTrue(path.toFile().setLastModified(1_000_000_000L));
            while (!RunFolder.isWritten(path)) {
                Thread.sleep(20);
            }
        }
        assertTrue(path.toFile().setLastModified(System.currentTimeMillis() + 100_000));
        assertEquals("running", RunSummary.of(path).state());
        assertTrue(path.toFile().setLastModified(1_000_000_000L));
        assertEquals("gone", RunSummary.of(path).state());
    }

    @Test
    void whatIsNoTextIsNoRecord() throws IOException {
        Files.createDirectories(path.getParent());
        Files.write(path, new byte[] {(byte) 0xff, (byte) 0xfe, '\n', (byte) 0x80});
        assertThrows(BadData.class, () -> RunRecord.read(path));
        assertEquals("", RunRecord.title(path));
    }

    @Test
    void aLineIsOneEventWithItsNameAndTime() throws IOException {
        write(10);
        List<String> lines = Files.readAllLines(path);
        assertEquals(10, lines.size());
        assertTrue(
                lines.get(0).startsWith("{\"event\":\"run-started\",\"at\":1000,\"version\":3,\"run\":\"r1\""),
                lines.get(0));
        assertTrue(lines.get(5).contains("\"1\":[100,4096,3000000]"), lines.get(5));
        assertTrue(lines.get(5).endsWith("\"use\":[1,250000,2,90000,3000]}"), lines.get(5));
        assertTrue(lines.get(9).contains("\"state\":\"done\""), lines.get(9));
    }

    /** Records are kept for years; those of every version so far must open. */
    @Test
    void aRecordOfTheFirstVersionReadsAsItDid() throws IOException {
        Path golden = Path.of("src/test/resources/records/version-1.jsonl");
        String printed = Files.readString(Path.of("src/test/resources/records/version-1.txt"));
        assertEquals(printed.formatted(golden), RunRecord.read(golden).print());
        RunProgress progress = RunRecord.read(golden).progress();
        assertEquals(
                List.of(1, 2, 3, 4),
                progress.plan().stages().stream().map(s -> s.id()).toList());
        assertEquals(Map.of("late", 3L, "on time", 12L), progress.counters().get("handovers"));
        assertEquals(4, progress.stagesFinished());
    }

    @Test
    void aRecordOfTheSecondVersionReadsAsItDid() throws IOException {
        Path golden = Path.of("src/test/resources/records/version-2.jsonl");
        String printed = Files.readString(Path.of("src/test/resources/records/version-2.txt"));
        assertEquals(printed.formatted(golden), RunRecord.read(golden).print());
        assertEquals(3, RunRecord.read(golden).progress().skippedRecords());
    }

    /** What is written is read again as the same events, with the plan by stages. */
    @Test
    void everyEventIsReadAsItWasWritten() throws IOException {
        List<RunEvent> all = new ArrayList<>(events());
        AttemptId attempt = new AttemptId(1, 2, 0);
        all.addAll(List.of(
                new RunEvent.WorkerJoined(1, "w1", 2),
                new RunEvent.WorkerLost(2, "w1", RunEvent.WorkerLost.LEFT),
                new RunEvent.Asked(2, "parcels.Daily.main(Daily.java:61)"),
                new RunEvent.StageReopened(3, 1),
                new RunEvent.PartsMade(
                        3, 1, List.of(7L, 0L), List.of(99L, 1L), List.of(new RunEvent.KeyCount("'D 1'", 5))),
                new RunEvent.AttemptStarted(4, attempt, "w1", 0, "parts 0 to 3"),
                new RunEvent.AttemptStopped(5, attempt, 0),
                new RunEvent.Printed(6, attempt, null, List.of("a \"line\"", "")),
                new RunEvent.Counted(7, Map.of("depots", Map.of("late", -3L))),
                new RunEvent.RecordsSkipped(8, 1, List.of("a"), null),
                new RunEvent.RunEnded(9, "failed", "disk is full", 0, 0, 0)));
        assertEquals(
                Set.of(RunEvent.class.getPermittedSubclasses()),
                all.stream().map(Object::getClass).collect(Collectors.toSet()),
                "every kind of event is here");
        for (RunEvent event : all) {
            StringWriter text = new StringWriter();
            try (JsonGenerator out = new JsonFactory().createGenerator(text)) {
                RunEventJson.write(event, out);
            }
            try (JsonParser parser = new JsonFactory().createParser(text.toString())) {
                parser.nextToken();
                assertEquals(Optional.of(event), RunEventJson.read(parser));
            }
        }
    }

    /** Whatever is changed in a record, it is printed or refused in a line. */
    @Test
    void aChangedRecordIsPrintedOrRefused() throws IOException {
        write(10);
        for (String whole : List.of(
                Files.readString(path),
                Files.readString(Path.of("src/test/resources/records/version-1.jsonl")),
                Files.readString(Path.of("src/test/resources/records/version-2.jsonl")))) {
            Random random = new Random(5);
            int refused = 0;
            for (int i = 0; i < 3_000; i++) {
                Path file = folder.resolve("changed.jsonl");
                Files.writeString(file, changed(whole, random));
                try {
                    assertTrue(RunRecord.read(file).print().startsWith("run "));
                    RunHistory history = new RunHistory();
                    RunRecord.replay(file, history);
                    assertTrue(Diagnosis.of(history).print().startsWith("run "));
                    RunComparison.of(history, history);
                    if (i % 10 == 0) {
                        assertTrue(RunPage.of(file, Map.of()).html().endsWith("</html>\n"));
                    }
                } catch (BadData e) {
                    refused++;
                }
            }
            assertTrue(refused > 500, refused + " refused");
        }
    }

    /** A value, or a piece of the text, in the place of another. */
    private static String changed(String text, Random random) {
        List<String> pieces =
                List.of("null", "-1", "99999999999", "\"x\"", "[]", "{}", "[null]", "{\"a\":[1]}", "1.5", ",");
        String piece = pieces.get(random.nextInt(pieces.size()));
        Matcher value = Pattern.compile("(?<=[:\\[,])(\"[^\"]*\"|-?\\d+|\\[[^\\[\\]]*\\]|\\{[^{}]*\\})")
                .matcher(text);
        List<int[]> places = new ArrayList<>();
        while (value.find()) {
            places.add(new int[] {value.start(), value.end()});
        }
        int[] place = places.get(random.nextInt(places.size()));
        return text.substring(0, place[0]) + piece + text.substring(place[1]);
    }

    @Test
    void theRecordOfARunThatWasKilledIsReadAsFarAsItGoes() throws IOException {
        write(10);
        byte[] all = Files.readAllBytes(path);
        String first = Files.readAllLines(path).get(0);
        for (int length = first.length() + 1; length < all.length; length += 17) {
            Files.write(path, Arrays.copyOf(all, length));
            RunRecord record = RunRecord.read(path);
            assertEquals("r1", record.progress().run());
            assertTrue(record.print().startsWith("run r1, "), record.print());
        }
        write(4);
        assertEquals("unfinished", RunRecord.read(path).progress().state());
        assertTrue(
                RunRecord.read(path).print().contains("0 of 3 tasks needed, not finished"),
                RunRecord.read(path).print());
    }

    /** As a coordinator does that was killed and goes on with its runs. */
    @Test
    void anotherProcessGoesOnBehindTheLastWholeLine() throws IOException {
        write(10);
        List<String> all = Files.readAllLines(path);
        for (int cut : new int[] {0, 7, all.get(5).length()}) {
            String whole = String.join("\n", all.subList(0, 5)) + "\n";
            Files.writeString(path, whole + all.get(5).substring(0, cut));
            try (RunRecordWriter writer = new RunRecordWriter(path, complaints::add, true)) {
                events().subList(5, 10).forEach(writer::happened);
            }
            assertEquals(all, Files.readAllLines(path));
        }
        Files.delete(path);
        try (RunRecordWriter writer = new RunRecordWriter(path, complaints::add, true)) {
            events().forEach(writer::happened);
        }
        assertEquals(all, Files.readAllLines(path));
        assertEquals(List.of(), complaints);
    }

    @Test
    void eventsOfLaterVersionsAreLeftOut() throws IOException {
        write(10);
        Files.writeString(path, Files.readString(path) + "{\"event\":\"something-new\",\"at\":2000}\n");
        assertEquals("done", RunRecord.read(path).progress().state());
    }

    @Test
    void whatIsNoRecordIsRefused() throws IOException {
        assertThrows(UserMistake.class, () -> RunRecord.read(folder.resolve("none")));
        for (String text : List.of("", "hello\n", "[1]\n", "{\"a\":1}\n", "{\"event\":\"run-started\"}\nmore\n")) {
            Path file = folder.resolve("x.jsonl");
            Files.writeString(file, text);
            BadData e = assertThrows(BadData.class, () -> RunRecord.read(file), text);
            assertTrue(e.getMessage().contains("x.jsonl"), e.getMessage());
        }
    }

    @Test
    void aRecordThatCannotBeWrittenIsReportedOnceAndDisturbsNothing() throws IOException {
        Files.writeString(folder.resolve("deeper"), "a file where a folder should be");
        write(10);
        assertEquals(1, complaints.size());
        assertTrue(complaints.get(0).contains("cannot be written"), complaints.get(0));
    }
}
