package org.unimeros.insight.diagnosis;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.List;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import org.unimeros.insight.diagnosis.MadeUpRun.Task;
import org.unimeros.insight.diagnosis.RunComparison.Line;

class RunComparisonTest {

    private static MadeUpRun run(String files, Task... tasks) {
        return run(files, tasks, tasks);
    }

    private static MadeUpRun run(String files, Task[] first, Task[] second) {
        return new MadeUpRun(4)
                .plan(1, List.of(), "shuffle by depot into 32 parts", "table: scan scans [depot]: " + files)
                .plan(2, List.of(1), "shuffle by depot into 32 parts", "table: scan scans [depot]: " + files)
                .plan(3, List.of(1, 2), "result", "parts: read parts of stage 1")
                .ran(1, first)
                .ran(2, second)
                .ran(3, new Task(100).node(0, 40, 90));
    }

    private static Task[] tasks(int count, long millis, long rows) {
        return IntStream.range(0, count)
                .mapToObj(
                        i -> new Task(millis).node(0, rows, 2 << 20, millis, 0).node(1, rows, 0))
                .toArray(Task[]::new);
    }

    private static Line line(RunComparison comparison, String what) {
        return comparison.lines().stream()
                .filter(l -> l.what().equals(what))
                .findFirst()
                .orElseThrow(() -> new AssertionError(comparison.lines().toString()));
    }

    @Test
    void whatDiffersIsSaidAndStagesAreMatchedByWhatTheyDo() {
        MadeUpRun sick = run("1 file, 8.0 MB, 1 split", tasks(1, 8_000, 8_000)).set("split.target", "32MB");
        MadeUpRun cured =
                run("1 file, 8.0 MB, 8 splits", tasks(8, 1_000, 1_000)).set("split.target", "1MB");
        RunComparison c = RunComparison.of(sick.history(true), cured.history(true));
        assertEquals(
                "the second run took 12.0 s less than the first (75 % less); settings differ: split.target 32MB → 1MB;"
                        + " gone: few-tasks, few-tasks",
                c.verdict());
        assertEquals(List.of(new Line("split.target", "32MB", "1MB")), c.settings());
        RunComparison one = RunComparison.of(
                run("1 file, 8.0 MB, 8 splits", tasks(8, 1_000, 1_000)).history(true),
                run("1 file, 8.0 MB, 8 splits", tasks(8, 1_000, 1_000), tasks(8, 9_000, 1_000))
                        .history(true));
        assertTrue(
                one.verdict()
                        .contains(
                                "most of it in the stage “scan scans [depot] → shuffle by depot into 32 parts (2)”, 2.0 s → 18.0 s"),
                one.verdict());
        assertEquals(2, c.gone().size());
        assertEquals(List.of(), c.added());
        assertEquals(
                new Line("scan scans [depot] → shuffle by depot into 32 parts", "8.0 s, 1 task", "2.0 s, 8 tasks"),
                line(c, "scan scans [depot] → shuffle by depot into 32 parts"));
        assertEquals(
                new Line("scan scans [depot] → shuffle by depot into 32 parts (2)", "8.0 s, 1 task", "2.0 s, 8 tasks"),
                line(c, "scan scans [depot] → shuffle by depot into 32 parts (2)"));
        assertEquals(new Line("result", "100 ms, 1 task", "100 ms, 1 task"), line(c, "result"));
        assertEquals(new Line("rows read", "16,000", "16,000"), line(c, "rows read"));
        assertEquals(new Line("slots in use", "25 %", "98 %"), line(c, "slots in use"));
    }

    @Test
    void ofSeveralFindingsOfAKindThoseThatAreFewerAreGone() {
        MadeUpRun two = run("1 file, 8.0 MB, 1 split", tasks(1, 8_000, 8_000));
        MadeUpRun one = new MadeUpRun(4)
                .plan(1, List.of(), "result", "table: scan scans [depot]: 1 file, 8.0 MB, 1 split")
                .ran(1, tasks(1, 8_000, 8_000));
        RunComparison c = RunComparison.of(two.history(true), one.history(true));
        assertEquals(List.of("few-tasks"), c.gone().stream().map(Finding::kind).toList());
        assertEquals(List.of(), c.added());
    }

    @Test
    void stagesThatReadTheSameAreMatchedAndAStageThatOneOfThemHasNotIsShown() {
        MadeUpRun copied = new MadeUpRun(4)
                .plan(1, List.of(), "copy to all tasks", "table: scan scans [depot]: 1 file, 8.0 MB, 8 splits")
                .ran(1, tasks(8, 1_000, 500));
        RunComparison c = RunComparison.of(
                run("1 file, 8.0 MB, 8 splits", tasks(8, 1_000, 1_000)).history(true), copied.history(true));
        assertEquals(
                new Line(
                        "scan scans [depot] → shuffle by depot into 32 parts (the second: copy to all tasks)",
                        "2.0 s, 8 tasks",
                        "2.0 s, 8 tasks"),
                line(c, "scan scans [depot] → shuffle by depot into 32 parts (the second: copy to all tasks)"));
        assertEquals(
                "-",
                line(c, "scan scans [depot] → shuffle by depot into 32 parts (2)")
                        .second());
        assertEquals("-", line(c, "result").second());
        RunComparison back = RunComparison.of(
                copied.history(true),
                run("1 file, 8.0 MB, 8 splits", tasks(8, 1_000, 1_000)).history(true));
        assertEquals("-", line(back, "result").first());
        assertTrue(c.verdict().contains("it read 4,000 rows and not 16,000"), c.verdict());
    }

    @Test
    void aRunBesideItselfHasNoDifference() {
        RunHistory history =
                run("1 file, 8.0 MB, 8 splits", tasks(8, 1_000, 1_000)).history(true);
        RunComparison c = RunComparison.of(history, history);
        assertEquals("both took the same time", c.verdict());
        assertTrue(
                c.lines().stream().allMatch(l -> l.first().equals(l.second())),
                c.lines().toString());
        RunComparison empty = RunComparison.of(new RunHistory(), new RunHistory());
        assertEquals("both took the same time", empty.verdict());
    }
}
