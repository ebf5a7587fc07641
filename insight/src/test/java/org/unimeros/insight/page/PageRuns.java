package org.unimeros.insight.page;

import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.stream.IntStream;
import org.unimeros.engine.run.RunEvent;
import org.unimeros.engine.run.RunEvent.KeyCount;
import org.unimeros.engine.schedule.AttemptId;
import org.unimeros.insight.RunRecordWriter;
import org.unimeros.insight.diagnosis.MadeUpRun;
import org.unimeros.insight.diagnosis.MadeUpRun.Task;

/** Made-up runs of parcel jobs, and pages of them. */
final class PageRuns {

    private PageRuns() {}

    /** Scans joined with shippers: one shipper has most of the scans, one attempt failed, one was stopped, a worker was lost. */
    static MadeUpRun parcels(String title) {
        MadeUpRun run = new MadeUpRun(4)
                .title(title)
                .set("shuffle.parts", "32")
                .set("join.copy-limit", "0")
                .plan(
                        1,
                        List.of(),
                        "shuffle by s.shipper into 32 parts",
                        "table: scan demo/scans [shipper, depot]: 8 files, 80 MB, 8 splits")
                .plan(
                        2,
                        List.of(),
                        "shuffle by p.shipper into 32 parts",
                        "table: scan demo/shippers [shipper, name]: 1 file, 1.0 MB, 1 split")
                .plan(
                        3,
                        List.of(1, 2),
                        "result",
                        "parts: read parts of stage 1",
                        "probe: join, shuffled, with stage 2 on s.shipper = p.shipper",
                        "apply: code of the job for parcels")
                .event(new RunEvent.WorkerJoined(1_000, "w1", 2))
                .event(new RunEvent.WorkerJoined(1_000, "w2", 2))
                .ran(1, scans())
                .event(new RunEvent.PartsMade(
                        2_000,
                        1,
                        List.of(7_000L, 300L, 300L, 400L),
                        List.of(7_000_000L, 300_000L, 300_000L, 400_000L),
                        List.of(new KeyCount("'S17'", 6_900), new KeyCount("'S4'", 90))))
                .ran(2, new Task(90).on("w1").node(0, 80, 70).reads("demo/shippers/0.parquet"));
        AttemptId failing = new AttemptId(3, 2, 0);
        AttemptId stopped = new AttemptId(3, 3, 0);
        run.event(new RunEvent.AttemptStarted(run.now(), failing, "w2", 1, "part 9"))
                .event(new RunEvent.AttemptFailed(run.now() + 150, failing, 1, "a parcel weighs <nothing>"))
                .event(new RunEvent.AttemptStarted(run.now() + 160, stopped, "w2", 1, "part 10"))
                .event(new RunEvent.AttemptStopped(run.now() + 300, stopped, 1))
                .event(new RunEvent.Warning(run.now() + 310, "shipper 'S17' has most of the scans"))
                .event(new RunEvent.WorkerLost(run.now() + 320, "w2", "not heard of for 3 s"));
        Task hot = new Task(8_000)
                .on("w1")
                .reads("part 26")
                .node(0, 7_000, 100)
                .node(1, 7_000, 1_900)
                .node(2, 7_000, 5_000);
        return run.ran(3, with(hot))
                .event(new RunEvent.Counted(run.now(), Map.of("parcels", Map.of("without weight", 12L))));
    }

    private static Task[] scans() {
        return IntStream.range(0, 8)
                .mapToObj(i -> new Task(200 + 20L * i)
                        .on("w1")
                        .node(0, 1_000, 1 << 20, 120, 0)
                        .reads("demo/scans/" + i + ".parquet"))
                .toArray(Task[]::new);
    }

    private static Task[] with(Task hot) {
        Task[] all = new Task[6];
        for (int i = 0; i < all.length; i++) {
            all[i] = i == 4
                    ? hot
                    : new Task(150 + 10L * i)
                            .on("w1")
                            .node(0, 100 + i, 20)
                            .node(1, 100, 90)
                            .node(2, 100, 30);
        }
        return all;
    }

    /** A few even tasks. */
    static MadeUpRun healthy() {
        return new MadeUpRun(2)
                .plan(1, List.of(), "result", "table: scan demo/depots [depot]: 4 files, 4.0 MB, 4 splits")
                .ran(1, new Task(500), new Task(510), new Task(505), new Task(500));
    }

    /** Very many short tasks in few slots. */
    static MadeUpRun manyTasks(int tasks) {
        return new MadeUpRun(8)
                .plan(
                        1,
                        List.of(),
                        "result",
                        "table: scan demo/scans [depot]: 9 files, 9.0 GB, 9 splits",
                        "where: where weight_g > 5")
                .ran(
                        1,
                        IntStream.range(0, tasks)
                                .mapToObj(i -> new Task(i == 500 ? 4_000 : 20 + i % 7)
                                        .node(0, 100, 5)
                                        .node(1, 100, 5))
                                .toArray(Task[]::new));
    }

    /** Writes the record of a run. */
    static void record(MadeUpRun run, boolean isOver, Path record) {
        try (RunRecordWriter writer = new RunRecordWriter(record, complaint -> {
            throw new AssertionError(complaint);
        })) {
            run.tell(isOver, writer);
        }
        leave(record);
    }

    /** Makes a record one that nobody writes any more. */
    static void leave(Path record) {
        if (!record.toFile().setLastModified(1_000_000_000L)) {
            throw new AssertionError("cannot set the time of " + record);
        }
    }

    /** Writes the record of a run and its page, and gives the path of the page. */
    static Path page(MadeUpRun run, boolean isOver, Path folder) {
        Path record = folder.resolve("r-7.jsonl");
        record(run, isOver, record);
        Path page = folder.resolve("r-7.html");
        RunPage.of(record, Map.of("shuffle.parts", "32", "join.copy-limit", "32MB"))
                .write(page);
        return page;
    }
}
