package org.unimeros.cluster;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.nio.file.Path;
import java.time.InstantSource;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.concurrent.atomic.AtomicInteger;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.cluster.coordinator.Coordinator;
import org.unimeros.cluster.http.ClusterAccess;
import org.unimeros.cluster.worker.Worker;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.fault.ScriptedTable;
import org.unimeros.engine.fault.ScriptedTable.Deed;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.run.RunEvent;
import org.unimeros.engine.run.RunListener;
import org.unimeros.engine.spill.Scratch;
import org.unimeros.engine.stage.PhysicalPlan;
import org.unimeros.storage.scratch.ScratchFolder;

/** Two workers that hold hardly anything in memory, one of which has a bad disk: that costs time, and no rows. */
@Timeout(120)
class BadDiskTest {

    private static final int SPLITS = 6;
    private static final int ROWS = 20_000;
    private static final long LITTLE = 1 << 20;

    @TempDir
    Path folder;

    private Coordinator coordinator;
    private final List<Worker> workers = new ArrayList<>();
    private final AtomicInteger harmed = new AtomicInteger();

    @BeforeEach
    void start() {
        coordinator = new Coordinator(
                new Coordinator.Config(null, 0, ClusterAccess.NONE, 5_000, 10_000, 10_000, null),
                InstantSource.system());
        coordinator.start();
    }

    @AfterEach
    void end() {
        workers.forEach(Worker::close);
        coordinator.close();
    }

    private void start(String name, Scratch scratch) {
        Worker worker = new Worker(
                new Worker.Config(
                        coordinator.url(), null, null, 0, 1, 1, LITTLE, folder.resolve(name), ClusterAccess.NONE),
                scratch);
        worker.start();
        workers.add(worker);
    }

    /** Something that is done before a disk is read or written. */
    private interface Harm {
        void when(boolean reading);
    }

    private Scratch bad(Harm harm) {
        Scratch good = new ScratchFolder(folder.resolve("bad"));
        return () -> {
            Scratch.File file = good.create();
            return new Scratch.File() {
                @Override
                public long append(byte[] bytes, int length) {
                    harm.when(false);
                    return file.append(bytes, length);
                }

                @Override
                public void read(long place, byte[] into, int length) {
                    harm.when(true);
                    file.read(place, into, length);
                }

                @Override
                public void close() {
                    file.close();
                }
            };
        };
    }

    /** As many groups as there are rows, all of which go from worker to worker. */
    private List<String> parcels(RunListener listener) {
        Map<String, Plan> tables = Map.of("scans", new ScriptedTable(SPLITS, ROWS, -1, Deed.WAIT, 100, folder).scan());
        PhysicalPlan plan = TestCluster.physical(
                "select count(*), sum(parcel), sum(n) from (select parcel, count(*) as n from scans group by parcel) t",
                tables);
        return TestCluster.rows(
                plan, TestCluster.runner(coordinator.url(), ClusterAccess.NONE, folder, plan, listener));
    }

    private static List<String> expected() {
        long n = (long) SPLITS * ROWS;
        return List.of(n + " " + n * (n - 1) / 2 + " " + n);
    }

    @Test
    void aSlowDiskCostsTimeOnly() {
        start("good", new ScratchFolder(folder.resolve("good")));
        start("bad", bad(reading -> {
            harmed.incrementAndGet();
            pause(40);
        }));
        assertEquals(expected(), parcels(event -> {}));
        assertTrue(harmed.get() > 0, "nothing was spilled");
    }

    private static void pause(long millis) {
        try {
            Thread.sleep(millis);
        } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
        }
    }

    @Test
    void whatADiskDoesNotGiveBackIsMadeAgain() {
        start("good", new ScratchFolder(folder.resolve("good")));
        start("bad", bad(reading -> {
            if (reading) {
                harmed.incrementAndGet();
                throw new ResourceFailure("the disk cannot be read");
            }
        }));
        AtomicInteger reopened = new AtomicInteger();
        assertEquals(expected(), parcels(event -> reopened.addAndGet(event instanceof RunEvent.StageReopened ? 1 : 0)));
        assertTrue(harmed.get() > 0, "nothing was read from the bad disk");
        assertTrue(reopened.get() > 0, "nothing was made again");
    }
}
