package org.unimeros.insight.diagnosis;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.Arrays;
import java.util.Iterator;
import java.util.List;
import java.util.function.Supplier;
import java.util.stream.IntStream;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.run.RunEvent;
import org.unimeros.engine.run.RunEvent.KeyCount;
import org.unimeros.engine.schedule.AttemptId;
import org.unimeros.insight.diagnosis.MadeUpRun.Task;
import org.unimeros.insight.diagnosis.RunHistory.StageHistory;

/** Each sick run with a healthy one beside it, of which nothing may be said. */
class DiagnosisTest {

    private static final String SCAN = "table: scan scans [depot]: 4 files, 800 MB, 8 splits";
    private static final String READ = "parts: read parts of stage 1";

    private static Task[] tasks(int count, long millis) {
        return IntStream.range(0, count)
                .mapToObj(i -> new Task(millis).node(0, 1_000, millis / 2).node(1, 1_000, millis / 2))
                .toArray(Task[]::new);
    }

    private static Task[] with(Task[] tasks, int at, Task other) {
        Task[] all = tasks.clone();
        all[at] = other;
        return all;
    }

    private static void assertHealthy(MadeUpRun run) {
        Diagnosis d = run.diagnosis();
        assertEquals(List.of(), d.findings(), d.print());
        assertTrue(d.verdict().endsWith("Nothing stands out."), d.verdict());
    }

    private static Finding first(String kind, MadeUpRun run) {
        Diagnosis d = run.diagnosis();
        assertTrue(!d.findings().isEmpty(), d.print());
        assertEquals(kind, d.findings().get(0).kind(), d.print());
        return d.findings().get(0);
    }

    private static void assertGain(long from, long to, Finding finding) {
        assertTrue(finding.gainMillis() >= from && finding.gainMillis() <= to, finding.toString());
    }

    private static MadeUpRun join(Task... tasks) {
        return new MadeUpRun(4)
                .plan(1, List.of(), "shuffle by s.depot into 32 parts", SCAN)
                .plan(2, List.of(), "shuffle by d.depot into 32 parts", "table: scan depots: 4 files, 80 MB, 4 splits")
                .plan(3, List.of(1, 2), "result", READ, "probe: join, shuffled, with stage 2 on s.depot = d.depot")
                .ran(1, tasks(8, 500))
                .event(new RunEvent.PartsMade(
                        2_000,
                        1,
                        List.of(7_000L, 1_000L),
                        List.of(70_000L, 10_000L),
                        List.of(new KeyCount("'D17'", 6_400))))
                .ran(2, tasks(8, 500))
                .event(new RunEvent.PartsMade(3_000, 2, List.of(40L, 40L), List.of(2_000_000L, 400L), List.of()))
                .ran(3, tasks);
    }

    @Test
    void aHotKeyIsNamedWithItsRowsAndTheSideThatCouldBeCopied() {
        Task hot = new Task(8_000).reads("part 26").node(0, 7_000, 100).node(1, 7_000, 7_900);
        Finding f = first("hot-key", join(with(tasks(8, 500), 3, hot)));
        assertEquals("key 'D17' has 6,400 rows of 8,000 in \"shuffle by s.depot into 32 parts\"", f.cause());
        assertTrue(f.what().startsWith("one of 8 tasks of stage 3 took 8.0 s, the middle one 500 ms"), f.what());
        assertTrue(f.change().startsWith("set join.copy-limit to 7MB"), f.change());
        assertEquals(Finding.Sureness.SURE, f.sureness());
        // Of 11.5 s in four slots, after a quarter of a second in each.
        assertGain(5_000, 6_000, f);
        assertHealthy(join(tasks(8, 1_400)));
    }

    @Test
    void aHotKeyWhosePartMustStayWholeIsToldToBeCut() {
        Task hot = new Task(8_000).reads("part 26").node(0, 7_000, 100).node(1, 7_000, 7_900);
        Finding f = first("hot-key", join(with(tasks(8, 500), 3, hot)).set("shuffle.cut", "off"));
        assertTrue(f.change().startsWith("set shuffle.cut to on"), f.change());
    }

    @Test
    void anUnevenPartWithoutAFrequentKeyIsToldAsSuch() {
        MadeUpRun run = new MadeUpRun(2)
                .plan(1, List.of(), "shuffle by depot into 8 parts", SCAN)
                .plan(2, List.of(1), "result", READ, "window: window by depot")
                .ran(1, tasks(4, 500))
                .event(new RunEvent.PartsMade(2_000, 1, List.of(9L, 1L), List.of(9L, 1L), List.of()))
                .ran(2, with(tasks(6, 300), 5, new Task(6_000).node(0, 9_000, 1).node(1, 9_000, 5_999)));
        Finding f = first("uneven-parts", run);
        assertTrue(f.cause().contains("\"shuffle by depot into 8 parts\" has many more rows"), f.cause());
        assertTrue(f.change().startsWith("divide by one more column"), f.change());
    }

    private static MadeUpRun scan(String source, Task... tasks) {
        return new MadeUpRun(4)
                .plan(1, List.of(), "result", source, "where: where weight_g > 5")
                .ran(1, tasks);
    }

    @Test
    void aFileThatCannotBeCutIsNamed() {
        Task[] one = {
            new Task(9_000)
                    .reads("scans.csv.gz")
                    .node(0, 9_000_000, 1 << 30, 6_000, 0)
                    .node(1, 9_000_000, 3_000)
        };
        Finding f = first("few-tasks", scan("table: scan scans: 1 file, 1.0 GB, 1 split", one));
        assertEquals("stage 1 ran in 1 task while there are 4 slots", f.what());
        assertEquals("scans.csv.gz is compressed as a whole and can only be read from its start", f.cause());
        assertGain(6_700, 6_800, f);
        assertHealthy(scan(SCAN, tasks(16, 560)));
    }

    @Test
    void aSplitThatIsTooLargeForTheSlotsIsToldTheSize() {
        Task[] one = {
            new Task(9_000)
                    .reads("scans.csv")
                    .node(0, 9_000_000, 64 << 20, 6_000, 0)
                    .node(1, 9_000_000, 3_000)
        };
        assertEquals(
                "set split.target to 8MB", first("few-tasks", scan(SCAN, one)).change());
    }

    @Test
    void aFileThatIsTooSmallToBeCutIsNotToldToBe() {
        Task[] small = {
            new Task(9_000).reads("depots.csv").node(0, 40, 2_000, 6_000, 0).node(1, 40, 3_000)
        };
        assertHealthy(scan(SCAN, small));
    }

    @Test
    void oneFileThatIsMuchLargerThanOthersIsNamed() {
        Task large =
                new Task(9_000).reads("scans-7.csv.gz").node(0, 90_000, 8_000).node(1, 90_000, 1_000);
        Finding f = first("uneven-splits", scan(SCAN, with(tasks(12, 300), 11, large)));
        assertTrue(f.cause().startsWith("scans-7.csv.gz is compressed as a whole"), f.cause());
    }

    @Test
    void partsThatWerePutTogetherForFewerTasksThanSlotsAreToldTheSize() {
        MadeUpRun run = new MadeUpRun(4)
                .plan(1, List.of(), "shuffle by depot into 32 parts", SCAN)
                .plan(2, List.of(1), "result", READ, "final-group: summarise count(*) by depot")
                .ran(1, tasks(8, 100))
                .event(new RunEvent.PartsMade(2_000, 1, List.of(9L, 9L), List.of(8L << 20, 8L << 20), List.of()))
                .ran(2, new Task(5_000).node(0, 9_000, 100).node(1, 9_000, 4_900));
        assertEquals("set shuffle.part-target to 2MB", first("few-tasks", run).change());
    }

    @Test
    void aWindowOverAllRowsIsSaid() {
        MadeUpRun run = new MadeUpRun(4)
                .plan(1, List.of(), "gather into one part", SCAN)
                .plan(2, List.of(1), "result", READ, "window: row_number() order by at")
                .ran(1, tasks(8, 100))
                .ran(2, new Task(5_000).reads("part 0").node(0, 9_000, 100).node(1, 9_000, 4_900));
        assertEquals(
                "all rows are in one window: row_number() order by at",
                first("few-tasks", run).cause());
    }

    @Test
    void aSlowWorkerIsToldFromUnevenData() {
        Task[] tasks = tasks(12, 400);
        for (int i = 0; i < tasks.length; i++) {
            tasks[i].on(i % 4 < 2 ? "w1" : "w2");
        }
        Task[] sick = tasks.clone();
        for (int i : new int[] {2, 6, 10}) {
            sick[i] = new Task(3_000).on("w2").node(0, 1_000, 10).node(1, 1_000, 2_990);
        }
        MadeUpRun run = scan(SCAN, sick)
                .event(new RunEvent.WorkerJoined(1_000, "w1", 2))
                .event(new RunEvent.WorkerJoined(1_000, "w2", 2));
        Finding f = first("slow-worker", run);
        assertTrue(f.what().startsWith("worker w2 took"), f.what());
        assertHealthy(scan(SCAN, tasks)
                .event(new RunEvent.WorkerJoined(1_000, "w1", 2))
                .event(new RunEvent.WorkerJoined(1_000, "w2", 2)));
    }

    @Test
    void aJoinThatMultipliesRowsIsSaid() {
        Task[] many = IntStream.range(0, 8)
                .mapToObj(i ->
                        new Task(2_000).node(0, 1_000, 10).node(1, 1_000, 990).node(2, 500_000, 1_000))
                .toArray(Task[]::new);
        Finding f = first("many-pairs", join(many));
        assertEquals("a join made 4,000,000 rows out of 8,000", f.what());
        assertGain(3_500, 4_000, f);
        Task[] few = IntStream.range(0, 8)
                .mapToObj(i -> new Task(2_000)
                        .node(0, 400_000, 10)
                        .node(1, 400_000, 990)
                        .node(2, 500_000, 1_000))
                .toArray(Task[]::new);
        assertHealthy(join(few));
    }

    @Test
    void spillingIsSaidWithWhereMostOfItIs() {
        Task[] spilling = IntStream.range(0, 4)
                .mapToObj(i -> new Task(4_000).node(0, 9_000, 100).node(1, 9_000, 0, 3_900, 150_000_000))
                .toArray(Task[]::new);
        Finding f = first("spilling", scan(SCAN, spilling));
        assertTrue(f.what().startsWith("572 MB did not fit into memory"), f.what());
        assertTrue(f.evidence().contains("\"where weight_g > 5\" in stage 1"), f.evidence());
        assertGain(1_900, 2_000, f);
    }

    @Test
    void theTimeOfSpillingIsThatWhichWasMeasured() {
        Task[] spilling = IntStream.range(0, 4)
                .mapToObj(
                        i -> new Task(4_000).node(1, 9_000, 0, 3_900, 5_000_000).spilling(1, 1_500))
                .toArray(Task[]::new);
        assertGain(1_400, 1_600, first("spilling", scan(SCAN, spilling)));
    }

    @Test
    void filesThatSeveralStagesReadAreSaid() {
        Finding f = first("read-again", readings(SCAN, SCAN.replace("[depot]", "[depot, kind]"), SCAN));
        assertEquals("the same files were read in 3 stages", f.what());
        assertTrue(f.evidence().contains("24.0 s of task time, once 8.0 s"), f.evidence());
        assertGain(3_900, 4_100, f);
        // Two can be the sides of a join; other files are other work.
        assertHealthy(readings(SCAN, SCAN, SCAN.replace("4 files", "5 files")));
    }

    private static MadeUpRun readings(String... sources) {
        Task[] reading = IntStream.range(0, 8)
                .mapToObj(i -> new Task(1_000).node(0, 9_000, 1_000))
                .toArray(Task[]::new);
        MadeUpRun run = new MadeUpRun(4);
        for (int i = 0; i < sources.length; i++) {
            run.plan(i + 1, List.of(), "gather into one part", sources[i]);
        }
        for (int i = 0; i < sources.length; i++) {
            run.ran(i + 1, reading);
        }
        return run;
    }

    @Test
    void manySmallFilesAndSmallTasksAreSaid() {
        String source = "table: scan scans [depot]: 9,000 files, 9.0 MB, 8 splits";
        Task[] reading = IntStream.range(0, 8)
                .mapToObj(i -> new Task(2_000).node(0, 9_000, 1 << 20, 1_900, 0).node(1, 9_000, 100))
                .toArray(Task[]::new);
        Finding f = first("small-files", scan(source, reading));
        assertEquals("9,000 files of 932 B each were read", f.what());
        MadeUpRun both = new MadeUpRun(2).plan(1, List.of(), "result", source, "where: where true");
        both.ran(
                1,
                IntStream.range(0, 100)
                        .mapToObj(i -> new Task(20).node(0, 90, 100_000, 18, 0).node(1, 90, 2))
                        .toArray(Task[]::new));
        assertEquals(1, both.diagnosis().findings().size(), "tasks of small files are small because of the files");
        assertEquals("small-files", both.diagnosis().findings().get(0).kind());
        MadeUpRun many = new MadeUpRun(2).plan(1, List.of(), "result", SCAN, "where: where true");
        for (int i = 0; i < 100; i++) {
            many.ran(1, tasks(2, 10)).pause(30);
        }
        Diagnosis d = many.diagnosis();
        assertTrue(d.findings().stream().anyMatch(x -> x.kind().equals("small-tasks")), d.print());
    }

    @Test
    void whatTheCollectorCodeOfTheJobAndDisksTakeIsSaid() {
        Task[] stopped =
                Arrays.stream(tasks(8, 2_000)).map(t -> t.collector(600)).toArray(Task[]::new);
        assertEquals(
                "the collector stopped all tasks for 30 % of their time",
                first("collector", scan(SCAN, stopped)).what());
        MadeUpRun own = new MadeUpRun(4)
                .plan(1, List.of(), "result", SCAN, "apply: own code Weigh")
                .ran(
                        1,
                        IntStream.range(0, 8)
                                .mapToObj(i -> new Task(2_000).node(0, 500, 100).node(1, 500, 1_900))
                                .toArray(Task[]::new));
        Finding f = first("own-code", own);
        assertEquals("own code Weigh", f.cause());
        assertGain(3_500, 3_800, f);
        Task[] waiting = IntStream.range(0, 8)
                .mapToObj(i -> new Task(2_000)
                        .node(0, 9_000, 1_900)
                        .node(1, 9_000, 100)
                        .cpu(200))
                .toArray(Task[]::new);
        assertEquals(
                "stage 1 waited for what it reads for 90 % of its time",
                first("reading", scan(SCAN, waiting)).what());
    }

    @Test
    void rowsThatComeSlowlyFromOthersAreSaid() {
        Task[] waiting = IntStream.range(0, 8)
                .mapToObj(i -> new Task(2_000)
                        .node(0, 9_000, 1_900)
                        .node(1, 9_000, 100)
                        .cpu(200))
                .toArray(Task[]::new);
        MadeUpRun run = new MadeUpRun(4)
                .plan(1, List.of(), "shuffle by depot into 8 parts", SCAN)
                .plan(2, List.of(1), "result", READ, "final-group: summarise count(*) by depot")
                .ran(1, tasks(8, 100))
                .ran(2, waiting);
        assertEquals(
                "stage 2 waited for what it reads for 90 % of its time",
                first("transfer", run).what());
    }

    @Test
    void aSideThatCouldBeCopiedIsSaid() {
        Finding f = first("shuffled-side", shuffled(20_000, 1_000_000));
        assertEquals("8,000,000 rows were shuffled to be joined with 20,000", f.what());
        assertTrue(f.change().startsWith("set join.copy-limit to 3MB"), f.change());
        // Of eight tasks in four slots, 400 ms each were spent on dividing, and 300 on taking parts.
        assertGain(1_300, 1_500, f);
        assertHealthy(shuffled(4_000_000, 400_000_000));
        Task hot = new Task(9_000).reads("part 3").node(0, 7_000_000, 300).node(1, 7_000_000, 8_600);
        List<Finding> ofHot = shuffled(20_000, 1_000_000, hot).diagnosis().findings();
        assertEquals(1, ofHot.size(), "one change is proposed once: " + ofHot);
        assertTrue(ofHot.get(0).change().contains("join.copy-limit"), ofHot.toString());
    }

    private static MadeUpRun shuffled(long rowsOfSmaller, long bytesOfSmaller, Task... more) {
        String join =
                "probe: join, shuffled, with stage 2 on s.depot = d.depot (right side over the copy limit of 0 B)";
        return new MadeUpRun(4)
                .plan(1, List.of(), "shuffle by s.depot into 32 parts", SCAN)
                .plan(2, List.of(), "shuffle by d.depot into 32 parts", "table: scan depots: 4 files, 80 MB, 4 splits")
                .plan(3, List.of(1, 2), "result", READ, join)
                .ran(1, each(() -> new Task(1_000).node(0, 1_000_000, 500).node(1, 1_000_000, 400)))
                .event(new RunEvent.PartsMade(
                        2_000, 1, List.of(4_000_000L, 4_000_000L), List.of(40_000_000L, 40_000_000L), List.of()))
                .ran(2, tasks(4, 50))
                .event(new RunEvent.PartsMade(
                        3_000, 2, List.of(rowsOfSmaller, 0L), List.of(bytesOfSmaller, 0L), List.of()))
                .ran(
                        3,
                        Stream.concat(
                                        Stream.of(each(() -> new Task(1_000)
                                                .node(0, 1_000_000, 300)
                                                .node(1, 1_000_000, 600))),
                                        Stream.of(more))
                                .toArray(Task[]::new));
    }

    private static Task[] each(Supplier<Task> one) {
        return IntStream.range(0, 8).mapToObj(i -> one.get()).toArray(Task[]::new);
    }

    @Test
    void whatEndedARunComesFirst() {
        MadeUpRun run =
                join(with(tasks(8, 500), 3, new Task(8_000).reads("part 26").node(0, 7_000, 100)));
        AttemptId attempt = new AttemptId(3, 1, 2);
        RunHistory history = run.event(new RunEvent.AttemptStarted(run.now(), attempt, 0, "part 1"))
                .event(new RunEvent.AttemptFailed(run.now() + 40, attempt, 0, "no weight"))
                .history(false);
        history.happened(new RunEvent.RunEnded(run.now() + 50, "failed", "no weight", 0, 0, 0));
        List<Finding> findings = Diagnosis.of(history).findings();
        assertEquals(
                List.of("failures", "hot-key"),
                findings.stream().map(Finding::kind).toList());
        assertEquals("mend what this says, and run it again", findings.get(0).change());
        assertEquals(-1, findings.get(0).gainMillis());
    }

    @Test
    void failuresAndTimesInWhichNothingRanAreSaid() {
        AttemptId attempt = new AttemptId(1, 3, 0);
        MadeUpRun run = scan(SCAN, tasks(8, 1_000))
                .event(new RunEvent.AttemptStarted(1_000, attempt, null, 1, "scans.csv"))
                .event(new RunEvent.AttemptFailed(2_500, attempt, 1, "cannot write scratch: disk is full"));
        Finding f = first("failures", run);
        assertEquals("1 attempt failed", f.what());
        assertEquals("cannot write scratch: disk is full", f.cause());
        MadeUpRun late = new MadeUpRun(4).plan(1, List.of(), "result", SCAN, "where: where true");
        late.pause(6_000).ran(1, tasks(8, 1_000));
        Finding gap = first("gaps", late);
        assertEquals("nothing ran for 6.0 s", gap.what());
        assertTrue(gap.evidence().endsWith("before the first task"), gap.evidence());
        MadeUpRun lost =
                scan(SCAN, tasks(8, 1_000)).event(new RunEvent.WorkerLost(1_500, "w2", "not heard of for 10 s"));
        assertEquals(
                "worker w2 was lost: not heard of for 10 s",
                first("failures", lost).cause());
    }

    @Test
    void allOfItIsPrinted() {
        Task[] one = {
            new Task(9_000)
                    .reads("scans.csv.gz")
                    .node(0, 9_000_000, 1 << 30, 6_000, 0)
                    .node(1, 9_000_000, 3_000)
        };
        assertEquals(
                """
                run r-7: done in 9.0 s, 42 rows; 4 slots were in use 25 % of the time. Stage 1 ran in 1 task while there are 4 slots.

                1  stage 1 ran in 1 task while there are 4 slots
                   evidence  it took 9.0 s of 9.0 s for 9,000,000 rows
                   cause     scans.csv.gz is compressed as a whole and can only be read from its start (sure)
                   change    write it once as Parquet, or as several files, and read that
                   gain      about 6.8 s of 9.0 s

                most time: 67 % of the time of all tasks was in stage 1: scan scans: 1 file, 1.0 GB, 1 split
                """,
                scan("table: scan scans: 1 file, 1.0 GB, 1 split", one)
                        .diagnosis()
                        .print());
    }

    @Test
    void aRunThatIsNotOverOrHasHardlyBegunIsDiagnosedAsFarAsItIsKnown() {
        assertTrue(Diagnosis.of(new RunHistory()).print().contains("no task has ended"));
        RunHistory going = scan(SCAN, tasks(8, 1_000)).history(false);
        assertTrue(
                Diagnosis.of(going).verdict().startsWith("going on for 2.0 s; 4 slots were in use 100 %"),
                Diagnosis.of(going).verdict());
    }

    /** The clock of a replay is that of its tasks. */
    @Test
    void aReplayTakesAsLongAsItsTasksInTheirSlots() {
        RunHistory history = join(tasks(6, 1_000)).history(true);
        Replay replay = new Replay(history);
        Iterator<StageHistory> stages = history.stages().iterator();
        StageHistory first = stages.next();
        StageHistory second = stages.next();
        StageHistory join = stages.next();
        assertEquals(500, replay.gain(join, times -> Replay.evenly(times, 4)));
        // It is behind the two others, so that they need not be carried out again.
        assertEquals(2_000, replay.gain(join, times -> new long[] {0}));
        // These two run at the same time: what one does not need the other one has.
        assertEquals(1_000, replay.gain(first, times -> new long[] {0}));
        assertEquals(1_000, replay.gain(second, times -> new long[] {0}));
    }
}
