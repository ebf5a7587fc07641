package org.unimeros.cluster;

import static org.junit.jupiter.api.Assertions.assertEquals;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.InstantSource;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.function.BooleanSupplier;
import java.util.stream.Stream;
import org.unimeros.cluster.client.LocalWorkers;
import org.unimeros.cluster.client.RemoteRunner;
import org.unimeros.cluster.coordinator.Coordinator;
import org.unimeros.cluster.files.JobPack;
import org.unimeros.cluster.http.ClusterAccess;
import org.unimeros.cluster.wire.Messages.WorkerView;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Rewrite;
import org.unimeros.engine.run.RunEvent;
import org.unimeros.engine.run.RunListener;
import org.unimeros.engine.run.RunOutcome;
import org.unimeros.engine.run.RunSettings;
import org.unimeros.engine.run.RunSettings.BadRecordPolicy;
import org.unimeros.engine.run.Runner;
import org.unimeros.engine.source.TableSink;
import org.unimeros.engine.spill.Chunk;
import org.unimeros.engine.spill.ProcessSpace;
import org.unimeros.engine.stage.PhysicalPlan;
import org.unimeros.engine.stage.PlanSettings;
import org.unimeros.engine.stage.StagePlanner;
import org.unimeros.sql.SqlQuery;
import org.unimeros.storage.scratch.ScratchFolder;

/** Worker processes and runs on them. */
final class TestCluster implements AutoCloseable {

    static final long PATIENCE_MILLIS = 3_000;
    static final long CLIENT_PATIENCE_MILLIS = 4_000;
    static final long LONELY_MILLIS = 20_000;

    private static final PlanSettings PLANS = new PlanSettings(1 << 20, 1 << 10, 4);
    static final RunSettings RUNS = new RunSettings(2, 3, 1 << 10, 256 << 20, BadRecordPolicy.FAIL, 0);
    private static final AtomicInteger NUMBER = new AtomicInteger();

    private final Path folder;
    private final LocalWorkers workers;
    /** Everything that happened in runs of this cluster. */
    final List<RunEvent> events = new ArrayList<>();

    TestCluster(Path folder, int count) {
        this(folder, count, ClusterAccess.random());
    }

    TestCluster(Path folder, int count, ClusterAccess access) {
        this(folder, new LocalWorkers.Options(count, 2, 200 << 20, 100 << 20, folder.resolve("workers")), access);
    }

    TestCluster(Path folder, LocalWorkers.Options options, ClusterAccess access) {
        this.folder = folder;
        this.workers = new LocalWorkers(
                options,
                new Coordinator.Config(null, 0, access, PATIENCE_MILLIS, CLIENT_PATIENCE_MILLIS, LONELY_MILLIS, null));
    }

    /** Makes it as at first for a next test: so many workers, no events, nothing left of what ran. */
    void refresh(int count) {
        await(
                "the end of all runs",
                () -> coordinator().runViews().stream().allMatch(r -> r.state().isEnded()));
        List<Long> alive = workers.processes().stream()
                .filter(ProcessHandle::isAlive)
                .map(ProcessHandle::pid)
                .toList();
        await(
                "dead workers to be given up",
                () -> coordinator().workerViews().stream().allMatch(w -> alive.contains(w.pid())));
        List<WorkerView> views = coordinator().workerViews();
        views.subList(Math.min(count, views.size()), views.size()).forEach(w -> kill(w.worker()));
        await(
                "workers too many to be given up",
                () -> coordinator().workerViews().size() <= count);
        for (int i = views.size(); i < count; i++) {
            workers.startWorker();
        }
        await("the workers", () -> coordinator().workerViews().size() == count);
        await("scratch files to be removed", () -> scratchFiles() == 0);
        synchronized (events) {
            events.clear();
        }
    }

    LocalWorkers workers() {
        return workers;
    }

    Coordinator coordinator() {
        return workers.coordinator();
    }

    static PhysicalPlan physical(String query, Map<String, Plan> tables) {
        return StagePlanner.forResult(Rewrite.apply(SqlQuery.plan(query, tables::get)), PLANS);
    }

    static PhysicalPlan writing(String query, Map<String, Plan> tables, TableSink sink) {
        return StagePlanner.forSink(Rewrite.apply(SqlQuery.plan(query, tables::get)), sink, PLANS);
    }

    RemoteRunner runner(PhysicalPlan plan, RunListener listener) {
        RunListener both = event -> {
            synchronized (events) {
                events.add(event);
            }
            listener.happened(event);
        };
        return runner(workers.url(), workers.access(), folder, plan, both);
    }

    /** A run on any cluster. */
    static RemoteRunner runner(String url, ClusterAccess access, Path folder, PhysicalPlan plan, RunListener listener) {
        return new RemoteRunner(
                plan,
                RUNS,
                listener,
                InstantSource.system(),
                folder.resolve("bad.txt").toString(),
                new ScratchFolder(folder.resolve("client")),
                new ProcessSpace(64 << 20, 1),
                url,
                access,
                60_000,
                null,
                new JobPack());
    }

    static String newId() {
        return "test-" + NUMBER.incrementAndGet();
    }

    /** The rows of a query, as text; the listener can do harm. */
    List<String> rows(PhysicalPlan plan, RunListener listener) {
        return rows(plan, runner(plan, listener));
    }

    /** The rows of a run, as text. */
    static List<String> rows(PhysicalPlan plan, Runner runner) {
        RunOutcome outcome = runner.run(newId(), "a test", Map.of());
        List<String> rows = new ArrayList<>();
        List<DataType> types =
                plan.schema().fields().stream().map(f -> f.type()).toList();
        for (Chunk chunk : outcome.chunks()) {
            Batch batch = chunk.load();
            for (int r = 0; r < batch.rowCount(); r++) {
                List<String> row = new ArrayList<>();
                for (int c = 0; c < types.size(); c++) {
                    Object value = Values.get(batch.column(c), r, types.get(c));
                    row.add(value == null ? "null" : Values.text(value));
                }
                rows.add(String.join(" ", row));
            }
        }
        outcome.workspace().close();
        return rows;
    }

    /** The worker process of a name, as {@code kill -9} ends it. */
    void kill(String worker) {
        process(worker).destroyForcibly();
    }

    /** {@code STOP} or {@code CONT}. */
    void signal(String worker, String signal) {
        signal(process(worker).pid(), signal);
    }

    static void signal(long pid, String signal) {
        try {
            assertEquals(
                    0,
                    new ProcessBuilder("kill", "-" + signal, String.valueOf(pid))
                            .start()
                            .waitFor());
        } catch (IOException | InterruptedException e) {
            throw new AssertionError(e);
        }
    }

    private ProcessHandle process(String worker) {
        long pid = coordinator().workerViews().stream()
                .filter(w -> w.worker().equals(worker))
                .findFirst()
                .orElseThrow()
                .pid();
        return ProcessHandle.of(pid).orElseThrow();
    }

    static void await(String what, BooleanSupplier condition) {
        long until = System.nanoTime() + 30_000_000_000L;
        while (!condition.getAsBoolean()) {
            if (System.nanoTime() > until) {
                throw new AssertionError("not in 30 seconds: " + what);
            }
            try {
                Thread.sleep(20);
            } catch (InterruptedException e) {
                throw new AssertionError(e);
            }
        }
    }

    /** Scratch files of workers that are there; there must be none when nothing runs. */
    long scratchFiles() {
        Path scratch = folder.resolve("workers").resolve("scratch");
        if (!Files.isDirectory(scratch)) {
            return 0;
        }
        try (Stream<Path> files = Files.list(scratch)) {
            return files.count();
        } catch (IOException e) {
            throw new AssertionError(e);
        }
    }

    @Override
    public void close() {
        workers.close();
        for (ProcessHandle process : workers.processes()) {
            await("the end of a worker process", () -> !process.isAlive());
        }
        assertEquals(0, scratchFiles(), "scratch files left behind");
    }
}
