package org.unimeros.cluster;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.junit.jupiter.api.Assumptions.assumeTrue;

import java.io.IOException;
import java.nio.file.Path;
import java.time.InstantSource;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.concurrent.atomic.AtomicInteger;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.cluster.coordinator.Coordinator;
import org.unimeros.cluster.http.ClusterAccess;
import org.unimeros.engine.fault.ScriptedTable;
import org.unimeros.engine.fault.ScriptedTable.Deed;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.run.RunEvent;
import org.unimeros.engine.run.RunListener;
import org.unimeros.engine.stage.PhysicalPlan;

/** Workers on hosts of their own, whose network fails in part: the rows are right all the same. */
@Timeout(180)
class SeparateHostsTest {

    private static final int HOSTS = 3;
    private static final int SPLITS = 12;
    private static final int ROWS = 20_000;

    @TempDir
    static Path shared;

    @TempDir
    Path folder;

    private static TestHosts hosts;
    private static Coordinator coordinator;
    private static final ClusterAccess ACCESS = ClusterAccess.random();

    @BeforeAll
    static void start() throws IOException {
        assumeTrue(TestHosts.canBeMade(), "no right to make hosts");
        hosts = new TestHosts(HOSTS);
        coordinator = new Coordinator(
                new Coordinator.Config(hosts.address(0), 0, ACCESS, 3_000, 10_000, 20_000, null),
                InstantSource.system());
        String url = coordinator.start();
        for (int h = 1; h <= HOSTS; h++) {
            hosts.startWorker(h, url, ACCESS, shared.resolve("host-" + h));
        }
        TestCluster.await("the workers", () -> coordinator.workerViews().size() == HOSTS);
    }

    @AfterAll
    static void end() throws IOException {
        if (hosts != null) {
            coordinator.close();
            hosts.close();
        }
    }

    /** As many parts as there can be, so that every worker reads from every other one. */
    private PhysicalPlan plan() {
        Map<String, Plan> tables = Map.of("scans", new ScriptedTable(SPLITS, ROWS, -1, Deed.WAIT, 200, folder).scan());
        return TestCluster.physical(
                "select depot, count(*), sum(parcel) from scans group by depot order by depot", tables);
    }

    private List<String> sums(RunListener listener) {
        PhysicalPlan plan = plan();
        return TestCluster.rows(plan, TestCluster.runner(coordinator.url(), ACCESS, folder, plan, listener));
    }

    private static List<String> expected() {
        long count = (long) SPLITS * ROWS / 10;
        List<String> rows = new ArrayList<>();
        for (long depot = 0; depot < 10; depot++) {
            rows.add(depot + " " + count + " " + (depot * count + 10 * (count * (count - 1) / 2)));
        }
        return rows;
    }

    /** Does something once, when some tasks of the first stage are done. */
    private static RunListener halfway(Runnable harm) {
        AtomicInteger done = new AtomicInteger();
        return event -> {
            if (event instanceof RunEvent.AttemptFinished f
                    && f.attempt().stage() == 1
                    && done.incrementAndGet() == SPLITS / 2) {
                harm.run();
            }
        };
    }

    @Test
    void rowsComeAcrossHosts() {
        assertTrue(coordinator.workerViews().stream().allMatch(w -> w.url().startsWith("http://10.77.")));
        assertEquals(expected(), sums(event -> {}));
    }

    @Test
    void twoWorkersThatCannotReachEachOtherCostTimeOnly() {
        try (Cut cut = new Cut()) {
            assertEquals(expected(), sums(halfway(cut::make)));
            assertTrue(cut.made.get());
            assertEquals(HOSTS, coordinator.workerViews().size());
        }
    }

    /** A cut between two hosts; both are found anew by their neighbours afterwards. */
    private static final class Cut implements AutoCloseable {
        private final AtomicBoolean made = new AtomicBoolean();

        void make() {
            made.set(true);
            hosts.cut(1, 2);
        }

        @Override
        public void close() {
            hosts.mend(1, 2);
        }
    }

    @Test
    void aHostWhosePlugIsPulledIsLostAndComesBackAnew() {
        String before = nameAt(hosts.address(3));
        assertEquals(expected(), sums(halfway(() -> hosts.plug(3, false))));
        TestCluster.await(
                "the loss of the host", () -> coordinator.workerViews().size() == HOSTS - 1);
        hosts.plug(3, true);
        TestCluster.await(
                "the host to come back", () -> coordinator.workerViews().size() == HOSTS);
        assertTrue(!nameAt(hosts.address(3)).equals(before));
        assertEquals(expected(), sums(event -> {}));
    }

    private static String nameAt(String address) {
        return coordinator.workerViews().stream()
                .filter(w -> w.url().contains(address + ":"))
                .findFirst()
                .orElseThrow()
                .worker();
    }
}
