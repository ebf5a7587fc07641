package org.unimeros.cluster;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.time.InstantSource;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.cluster.coordinator.Coordinator;
import org.unimeros.cluster.http.ClusterAccess;
import org.unimeros.cluster.http.HttpClient;
import org.unimeros.cluster.worker.Worker;
import org.unimeros.engine.fault.ScriptedTable;
import org.unimeros.engine.fault.ScriptedTable.Deed;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Rewrite;
import org.unimeros.engine.run.RunEvent;
import org.unimeros.engine.run.RunListener;
import org.unimeros.engine.stage.PhysicalPlan;
import org.unimeros.engine.stage.PlanSettings;
import org.unimeros.engine.stage.StagePlanner;
import org.unimeros.sql.SqlQuery;

/** The copied side of a join on its way to all workers: nobody sends it to more than a few. */
@Timeout(120)
class CopiedSideTest {

    private static final int WORKERS = 7;
    private static final int COPIED = 400_000;
    private static final int SPLITS = 28;
    private static final int ROWS = 10_000;
    private static final Pattern SERVED = Pattern.compile("(?m)^unimeros_shuffle_served_bytes_total (\\d+)$");

    @TempDir
    Path folder;

    private Coordinator coordinator;
    private final List<Worker> workers = new ArrayList<>();

    @BeforeEach
    void start() {
        coordinator = new Coordinator(
                new Coordinator.Config(null, 0, ClusterAccess.NONE, 2_000, 10_000, 10_000, null),
                InstantSource.system());
        String url = coordinator.start();
        for (int w = 0; w < WORKERS; w++) {
            Path scratch = folder.resolve("worker-" + w + "/scratch");
            Worker worker =
                    new Worker(new Worker.Config(url, null, null, 0, 1, 1, 200 << 20, scratch, ClusterAccess.NONE));
            worker.start();
            workers.add(worker);
        }
    }

    @AfterEach
    void end() {
        workers.forEach(Worker::close);
        coordinator.close();
    }

    /** Every scan finds one parcel of the side that is copied, which is the right one of a left join whichever has more rows. */
    private PhysicalPlan join() {
        Map<String, Plan> tables = Map.of(
                "parcels", new ScriptedTable(1, COPIED, -1, Deed.NOTHING, 0, folder).scan(),
                "scans", new ScriptedTable(SPLITS, ROWS, -1, Deed.WAIT, 100, folder).scan());
        String query = "select count(*), sum(p.depot) from scans s left join parcels p on s.parcel = p.parcel";
        return StagePlanner.forResult(
                Rewrite.apply(SqlQuery.plan(query, tables::get)), new PlanSettings(1 << 20, 64 << 20, 4));
    }

    private List<String> run(RunListener listener) {
        PhysicalPlan plan = join();
        return TestCluster.rows(
                plan, TestCluster.runner(coordinator.url(), ClusterAccess.NONE, folder, plan, listener));
    }

    private static List<String> expected() {
        long rows = (long) SPLITS * ROWS;
        return List.of(rows + " " + rows / 10 * 45);
    }

    private static long served(Worker worker) {
        byte[] metrics = new HttpClient(worker.url(), ClusterAccess.NONE, 10_000).getBytes("/metrics");
        Matcher matcher = SERVED.matcher(new String(metrics, StandardCharsets.UTF_8));
        assertTrue(matcher.find());
        return Long.parseLong(matcher.group(1));
    }

    @Test
    void nobodySendsItToAllOthers() {
        assertEquals(expected(), run(event -> {}));
        List<Long> served = workers.stream().map(CopiedSideTest::served).toList();
        long all = served.stream().mapToLong(Long::longValue).sum();
        long most = served.stream().mapToLong(Long::longValue).max().orElseThrow();
        // All but the one that made it fetch it once; two of them from that one.
        assertTrue(all > 1_000_000, "only " + all + " bytes were sent");
        assertTrue(most < all * 0.6, served.toString());
        assertTrue(served.stream().filter(bytes -> bytes > all / 20).count() >= 3, served.toString());
    }

    @Test
    void aWorkerThatHandsItOnCanBeLost() {
        AtomicBoolean gone = new AtomicBoolean();
        List<String> row = run(event -> {
            boolean isReading = event instanceof RunEvent.AttemptStarted started
                    && started.attempt().stage() > 1
                    && started.attempt().task() > 2;
            if (isReading && !gone.getAndSet(true)) {
                workers.get(1).close();
            }
        });
        assertTrue(gone.get());
        assertEquals(expected(), row);
    }
}
