package org.unimeros;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.cluster.client.LocalWorkers;
import org.unimeros.cluster.coordinator.Coordinator;
import org.unimeros.cluster.http.ClusterAccess;
import org.unimeros.cluster.wire.Messages.RunState;
import org.unimeros.cluster.wire.Messages.RunView;
import org.unimeros.cluster.worker.Worker;
import org.unimeros.engine.error.UserMistake;

/** Rows that are held for repeated questions, in this process and on workers. */
@Timeout(120)
class HeldTest {

    private static final int SCANS = 40_000;

    @TempDir
    Path folder;

    private Settings settings() {
        return Settings.defaults()
                .with("slots", "2")
                .with("split.target", "64KB")
                .with("runs.folder", "")
                .with("memory.scratch", folder.resolve("scratch").toString());
    }

    private Path scans() throws IOException {
        Path file = folder.resolve("scans.csv");
        if (!Files.exists(file)) {
            StringBuilder lines = new StringBuilder("scan_id,depot,weight_g\n");
            for (int i = 0; i < SCANS; i++) {
                lines.append(i)
                        .append(",D")
                        .append(i % 7)
                        .append(',')
                        .append(i % 1000)
                        .append('\n');
            }
            Files.writeString(file, lines);
        }
        return file;
    }

    private static List<String> perDepot(Rows rows) {
        return rows
                .groupBy("depot")
                .summarise("count(*) as n", "sum(weight_g) as grams")
                .sortBy("depot")
                .fetch()
                .rows()
                .stream()
                .map(row -> row.text("depot") + " " + row.longValue("n") + " " + row.longValue("grams"))
                .toList();
    }

    private void check(Engine engine) throws IOException {
        Rows heavy = engine.read(scans().toString()).where("weight_g >= 500").derive("kg", "weight_g / 1000.0");
        List<String> expected = perDepot(heavy);
        Held held = heavy.hold();
        assertEquals(SCANS / 2, held.run().rows());
        assertEquals(SCANS / 2, held.rows().count());
        // The file is not read again.
        Files.delete(scans());
        assertEquals(expected, perDepot(held.rows()));
        assertEquals(
                3,
                held.rows()
                        .as("a")
                        .join(held.rows().as("b"), "a.scan_id = b.scan_id")
                        .where("a.scan_id in (500, 501, 1999)")
                        .count());
        assertTrue(held.rows().explain().contains("scan held rows"), held.rows().explain());
        held.release();
        held.release();
        assertThrows(UserMistake.class, held::rows);
    }

    @Test
    void rowsThatAreHeldAreNotComputedAgainInOneProcess() throws IOException {
        try (Engine engine = Engine.local(settings())) {
            check(engine);
        }
    }

    @Test
    void whatDoesNotFitIsSpilledAndScratchFilesGoWithTheRelease() throws IOException {
        Settings small = settings().with("memory.budget", "64MB");
        try (Engine engine = Engine.local(small)) {
            Rows many = engine.sql("select scan_id, x, depot || ' of the network' as place from dataset('" + scans()
                    + "') s cross join (values (1), (2), (3), (4), (5), (6), (7), (8), (9), (10), (11), (12)) t(x)");
            try (Held held = many.hold()) {
                assertEquals(12L * SCANS, held.rows().count());
                Rows before = held.rows();
                held.release();
                UserMistake mistake = assertThrows(UserMistake.class, before::count);
                assertTrue(mistake.getMessage().contains("were released"), mistake.getMessage());
            }
            try (Stream<Path> left = Files.exists(folder.resolve("scratch"))
                    ? Files.list(folder.resolve("scratch"))
                    : Stream.<Path>empty()) {
                assertEquals(List.of(), left.toList());
            }
        }
    }

    @Test
    void columnsOfTheSameNameCannotBeHeld() throws IOException {
        try (Engine engine = Engine.local(settings())) {
            Rows all = engine.read(scans().toString());
            Rows twice = all.as("a").join(all.as("b"), "a.scan_id = b.scan_id");
            assertThrows(UserMistake.class, twice::hold);
            assertThrows(UserMistake.class, () -> all.hold().replicate(0));
        }
    }

    /** Two worker processes, and a coordinator that gives up on workers soon. */
    private LocalWorkers workers(int count) {
        return new LocalWorkers(
                new LocalWorkers.Options(count, 2, 200 << 20, 100 << 20, folder.resolve("workers")),
                new Coordinator.Config(null, 0, ClusterAccess.NONE, 2_000, 4_000, 60_000, null));
    }

    private static RunState state(LocalWorkers workers) {
        return workers.coordinator().runViews().get(0).state();
    }

    @Test
    void rowsThatAreHeldAreNotComputedAgainOnWorkers() throws IOException {
        try (LocalWorkers workers = workers(2);
                Engine engine = Engine.connect(workers.url(), settings())) {
            check(engine);
        }
    }

    @Test
    void piecesOfALostWorkerAreMadeAgain() throws IOException {
        try (LocalWorkers workers = workers(2);
                Engine engine = Engine.connect(workers.url(), settings())) {
            Rows all = engine.read(scans().toString());
            List<String> expected = perDepot(all);
            Held held = all.hold();
            workers.processes().get(0).destroyForcibly();
            assertEquals(expected, perDepot(held.rows()));
            assertEquals(expected, perDepot(held.rows()));
        }
    }

    @Test
    void whatSeveralWorkersHoldIsNotMadeAgain() throws IOException {
        try (LocalWorkers workers = workers(2);
                Engine engine = Engine.connect(workers.url(), settings())) {
            Rows all = engine.read(scans().toString());
            List<String> expected = perDepot(all);
            Held held = all.hold().replicate(2);
            String run = held.run().id();
            int finished = view(workers, run).tasksFinished();
            Files.delete(scans());
            workers.processes().get(1).destroyForcibly();
            assertEquals(expected, perDepot(held.rows()));
            assertEquals(finished, view(workers, run).tasksFinished());
        }
    }

    private static RunView view(LocalWorkers workers, String run) {
        return workers.coordinator().runViews().stream()
                .filter(v -> v.id().equals(run))
                .findFirst()
                .orElseThrow();
    }

    @Test
    void aWorkerThatLeavesHandsOverWhatItHolds() throws IOException {
        try (LocalWorkers workers = workers(1);
                Engine engine = Engine.connect(workers.url(), settings())) {
            Rows all = engine.read(scans().toString());
            List<String> expected = perDepot(all);
            Worker leaving = new Worker(new Worker.Config(
                    workers.url(),
                    null,
                    null,
                    0,
                    4,
                    1,
                    100 << 20,
                    folder.resolve("leaving/scratch"),
                    ClusterAccess.NONE));
            leaving.start();
            Held held = all.hold();
            int finished = view(workers, held.run().id()).tasksFinished();
            Files.delete(scans());
            leaving.drain(30_000);
            assertEquals(1, workers.coordinator().workerViews().size());
            assertEquals(expected, perDepot(held.rows()));
            assertEquals(finished, view(workers, held.run().id()).tasksFinished());
        }
    }

    @Test
    void whatAnEngineHoldsIsReleasedWithIt() throws IOException, InterruptedException {
        try (LocalWorkers workers = workers(1)) {
            try (Engine engine = Engine.connect(workers.url(), settings())) {
                engine.read(scans().toString()).hold();
                assertEquals(RunState.HELD, state(workers));
            }
            long until = System.nanoTime() + 20_000_000_000L;
            while (state(workers) != RunState.DONE && System.nanoTime() < until) {
                Thread.sleep(20);
            }
            assertEquals(RunState.DONE, state(workers));
        }
    }
}
