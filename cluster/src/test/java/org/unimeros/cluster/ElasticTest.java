package org.unimeros.cluster;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.concurrent.CopyOnWriteArrayList;
import java.util.concurrent.atomic.AtomicInteger;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.cluster.client.LocalWorkers;
import org.unimeros.cluster.client.WorkerRange;
import org.unimeros.cluster.http.ClusterAccess;
import org.unimeros.cluster.http.HttpClient;
import org.unimeros.cluster.wire.Messages.WorkerView;
import org.unimeros.cluster.worker.Worker;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.fault.ScriptedTable;
import org.unimeros.engine.fault.ScriptedTable.Deed;
import org.unimeros.engine.plan.Plan;

/** Workers that come with the work and leave without it. */
@Timeout(120)
class ElasticTest {

    private static final String PER_DEPOT =
            "select depot, count(*), sum(parcel) from scans group by depot order by depot";

    @TempDir
    Path folder;

    private LocalWorkers.Options options(WorkerRange range, long idleMillis) {
        return new LocalWorkers.Options(range, 1, 200 << 20, 100 << 20, folder.resolve("workers"), idleMillis);
    }

    private static List<Long> pids(TestCluster cluster) {
        return cluster.coordinator().workerViews().stream().map(WorkerView::pid).toList();
    }

    private Map<String, Plan> slowScans(int splits, long millis) {
        return Map.of("scans", new ScriptedTable(splits, 1_000, -1, Deed.WAIT, millis, folder).scan());
    }

    @Test
    void workersComeWhileThereIsWorkForThemAndLeaveAfterwards() {
        try (TestCluster cluster =
                new TestCluster(folder, options(new WorkerRange(1, 3), 500), ClusterAccess.random())) {
            assertEquals(1, cluster.coordinator().workerViews().size());
            AtomicInteger most = new AtomicInteger();
            List<String> rows = cluster.rows(
                    TestCluster.physical(PER_DEPOT, slowScans(30, 300)),
                    event -> most.accumulateAndGet(
                            cluster.coordinator().workerViews().size(), Math::max));
            assertEquals(10, rows.size());
            assertEquals("0 3000 ", rows.get(0).substring(0, 7));
            assertEquals(3, most.get());
            TestCluster.await(
                    "the workers that are not needed to leave",
                    () -> cluster.coordinator().workerViews().size() == 1);
            // No more of them than that, in whose place another one would have to be started.
            assertEquals(3, cluster.workers().processes().size());
            TestCluster.await(
                    "their processes to end",
                    () -> cluster.workers().processes().stream()
                                    .filter(ProcessHandle::isAlive)
                                    .count()
                            == 1);
        }
    }

    @Test
    void withoutWorkThereNeedBeNoWorkerAndOneThatDiedIsReplaced() {
        try (TestCluster cluster =
                new TestCluster(folder, options(new WorkerRange(0, 1), 300), ClusterAccess.random())) {
            assertEquals(0, cluster.coordinator().workerViews().size());
            boolean[] killed = {false};
            List<String> rows = cluster.rows(TestCluster.physical(PER_DEPOT, slowScans(6, 300)), event -> {
                List<ProcessHandle> processes = cluster.workers().processes();
                boolean isWorking = cluster.coordinator().workerViews().stream().anyMatch(w -> w.running() > 0);
                if (!killed[0] && isWorking) {
                    killed[0] = true;
                    processes.get(0).destroyForcibly();
                }
            });
            assertTrue(killed[0]);
            assertEquals(10, rows.size());
            TestCluster.await(
                    "the last worker to leave",
                    () -> cluster.coordinator().workerViews().isEmpty());
        }
    }

    @Test
    void aWorkerThatIsAskedToLeaveFinishesAndGoes() {
        try (TestCluster cluster = new TestCluster(folder, 2)) {
            boolean[] asked = {false};
            List<String> rows = cluster.rows(TestCluster.physical(PER_DEPOT, slowScans(12, 200)), event -> {
                boolean areWorking =
                        cluster.coordinator().workerViews().stream().allMatch(w -> w.running() > 0);
                if (!asked[0] && areWorking) {
                    asked[0] = true;
                    cluster.coordinator().askToLeave("w1", 20_000);
                }
            });
            assertTrue(asked[0]);
            assertEquals(10, rows.size());
            assertFalse(
                    cluster.events.toString().contains("StageReopened"), "what it had made was made again elsewhere");
            TestCluster.await(
                    "the end of its process",
                    () -> cluster.coordinator().workerViews().size() == 1);
        }
    }

    private Worker worker(TestCluster cluster, String name) {
        LocalWorkers workers = cluster.workers();
        return new Worker(new Worker.Config(
                workers.url(), null, null, 0, 1, 0, 100 << 20, folder.resolve(name), workers.access()));
    }

    @Test
    void aWorkerThatIsLetGoWhileItLeavesDoesNotComeBackAsAnother() throws InterruptedException {
        try (TestCluster cluster = new TestCluster(folder, 1);
                Worker leaving = worker(cluster, "leaving");
                Worker next = worker(cluster, "next")) {
            leaving.start();
            assertEquals("w2", leaving.name());
            Thread drain = new Thread(() -> leaving.drain(20_000));
            boolean[] letGo = {false};
            List<String> rows = cluster.rows(TestCluster.physical(PER_DEPOT, slowScans(4, 1_500)), event -> {
                boolean isWorking = cluster.coordinator().workerViews().stream()
                        .anyMatch(w -> w.worker().equals("w2") && w.running() > 0);
                if (!letGo[0] && isWorking) {
                    letGo[0] = true;
                    drain.start();
                    TestCluster.await(
                            "its wish to leave",
                            () -> cluster.coordinator().workerViews().stream()
                                    .anyMatch(w -> w.worker().equals("w2") && w.isLeaving()));
                    new HttpClient(cluster.workers().url(), cluster.workers().access(), 10_000)
                            .delete("/v1/workers/w2");
                }
            });
            assertTrue(letGo[0]);
            assertEquals(10, rows.size());
            drain.join();
            next.start();
            assertEquals("w3", next.name(), "the name of the next one that offers itself");
        }
    }

    @Test
    void rangesAreReadAndChecked() {
        assertEquals(new WorkerRange(3, 3), WorkerRange.parse("3"));
        assertEquals(new WorkerRange(1, 8), WorkerRange.parse(" 1..8 "));
        assertFalse(WorkerRange.parse("3").isElastic());
        for (String wrong : List.of("", "x", "1..", "8..1", "0", "-1", "1...3", "1..999")) {
            assertThrows(UserMistake.class, () -> WorkerRange.parse(wrong), wrong);
        }
    }

    @Test
    void ofAFixedNumberThoseThatAreLostAreReplacedAndOthersMayJoin() {
        try (TestCluster cluster = new TestCluster(folder, options(WorkerRange.of(2), 1), ClusterAccess.random());
                Worker joined = worker(cluster, "joined")) {
            joined.start();
            List<String> told = new CopyOnWriteArrayList<>();
            cluster.workers().replaceLost(told::add);
            ProcessHandle lost = cluster.workers().processes().get(0);
            List<Long> before = pids(cluster);
            lost.destroyForcibly();
            TestCluster.await("another worker", () -> !before.containsAll(pids(cluster)));
            assertEquals(3, cluster.workers().processes().size());
            assertEquals(
                    10,
                    cluster.rows(TestCluster.physical(PER_DEPOT, slowScans(4, 50)), event -> {})
                            .size());
            assertTrue(cluster.coordinator().workerViews().stream()
                    .anyMatch(w -> w.worker().equals(joined.name()) && !w.isLeaving()));
            assertEquals(1, told.size(), told.toString());
            assertTrue(
                    told.get(0).startsWith("worker process " + lost.pid() + " has ended with exit code 137"),
                    told.get(0));
        }
    }
}
