package org.unimeros.cluster.worker;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.concurrent.atomic.AtomicLong;
import java.util.function.Consumer;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.unimeros.cluster.files.FileStore;
import org.unimeros.cluster.http.ClusterAccess;
import org.unimeros.cluster.http.HttpClient;
import org.unimeros.cluster.http.HttpProblem;
import org.unimeros.cluster.http.HttpService;
import org.unimeros.cluster.http.HttpService.Call;
import org.unimeros.cluster.transfer.BlockFetcher;
import org.unimeros.cluster.wire.Messages.Accepted;
import org.unimeros.cluster.wire.Messages.BlockRef;
import org.unimeros.cluster.wire.Messages.BlockRequest;
import org.unimeros.cluster.wire.Messages.CopyNote;
import org.unimeros.cluster.wire.Messages.Health;
import org.unimeros.cluster.wire.Messages.Offer;
import org.unimeros.cluster.wire.Messages.Orders;
import org.unimeros.cluster.wire.Messages.Outcome;
import org.unimeros.cluster.wire.Messages.Report;
import org.unimeros.cluster.wire.Order;
import org.unimeros.cluster.wire.PlanCodec;
import org.unimeros.cluster.wire.RunPlan;
import org.unimeros.cluster.wire.TaskReport;
import org.unimeros.cluster.wire.Version;
import org.unimeros.engine.error.Failure;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UnimerosException;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.run.Attempt;
import org.unimeros.engine.run.AttemptLog;
import org.unimeros.engine.run.LostInputException;
import org.unimeros.engine.run.TaskRunner;
import org.unimeros.engine.schedule.AttemptId;
import org.unimeros.engine.schedule.TaskInput;
import org.unimeros.engine.spill.ProcessSpace;
import org.unimeros.engine.spill.Scratch;
import org.unimeros.engine.spill.Workspace;
import org.unimeros.storage.scratch.ScratchFolder;

/**
 * Runs tasks for a coordinator and keeps what they made for other workers to fetch.
 *
 * <p>One thread asks for orders, one sends reports, each attempt has a thread. A worker that was given up by its coordinator, because it
 * was not heard of for too long, drops all it has and offers itself anew.
 */
public final class Worker implements AutoCloseable {

    private static final Logger LOG = LoggerFactory.getLogger(Worker.class);
    private static final int READ_MILLIS = 30_000;
    private static final long WAIT_MILLIS = 5_000;
    private static final long RETRY_MILLIS = 200;
    private static final int GONE = 410;
    private static final int CONFLICT = 409;
    private static final int SERVER_ERROR = 500;
    private static final long PRINT_MILLIS = 200;

    private final Config config;
    private final HttpClient coordinator;
    private final HttpService http;
    private final BlockFetcher fetcher;
    private final ProcessSpace space;
    private final Scratch scratch;
    private final WorkerFiles files;
    private final WorkerJobs jobs;
    private final WorkerHeld held;
    private final Map<String, WorkerRun> runs = new ConcurrentHashMap<>();
    private final PrintQueue prints;

    private final WorkerReports reports;
    private final ExecutorService attempts;
    private final AtomicInteger running = new AtomicInteger();
    private final AtomicLong attemptsRun = new AtomicLong();
    private final AtomicLong servedBytes = new AtomicLong();
    private final CountDownLatch over = new CountDownLatch(1);
    private volatile String name;
    private final AtomicBoolean leaving = new AtomicBoolean();
    private volatile boolean closed;
    private volatile RuntimeException refusal;
    private String url;

    /**
     * How a worker works.
     *
     * @param coordinator the address of the coordinator
     * @param host the address to listen on; null for the loopback address
     * @param advertised the name or address by which others reach it; null for the one it listens on
     * @param port 0 for any
     * @param programs how many main programs of jobs it launches at the same time
     * @param memoryBytes what its tasks may hold
     * @param scratch the folder for what does not fit
     */
    public record Config(
            String coordinator,
            String host,
            String advertised,
            int port,
            int slots,
            int programs,
            long memoryBytes,
            Path scratch,
            ClusterAccess access) {}

    public Worker(Config config) {
        this(config, new ScratchFolder(config.scratch()));
    }

    /** @param scratch where what does not fit is really kept */
    public Worker(Config config, Scratch scratch) {
        this.config = config;
        this.scratch = scratch;
        this.coordinator = new HttpClient(config.coordinator(), config.access(), READ_MILLIS);
        this.http = new HttpService(config.host(), config.port(), config.access());
        this.prints = new PrintQueue(coordinator);
        this.reports = new WorkerReports(coordinator, prints);
        this.fetcher = new BlockFetcher(config.access());
        this.held = new WorkerHeld(coordinator, fetcher, runs::get);
        this.space = new ProcessSpace(config.memoryBytes(), config.slots());
        FileStore.sweep(config.scratch().toAbsolutePath().getParent(), "files-");
        Path filesFolder = config.scratch()
                .resolveSibling("files-" + ProcessHandle.current().pid());
        this.files = new WorkerFiles(coordinator, config.access(), filesFolder, () -> name);
        this.jobs = new WorkerJobs(coordinator, files::file, filesFolder.resolve("jobs"));
        AtomicInteger number = new AtomicInteger();
        this.attempts = Executors.newCachedThreadPool(task -> {
            Thread thread = new Thread(task, "unimeros-attempt-" + number.incrementAndGet());
            thread.setDaemon(true);
            return thread;
        });
        http.open("GET", "/v1/health", call -> call.answer(health()));
        http.on("GET", "/metrics", call -> call.answer("text/plain; version=0.0.4", metrics()));
        http.on("POST", "/v1/blocks", this::blocks);
        http.on("GET", "/v1/files/{hash}", files::answer);
    }

    /**
     * Starts to listen, offers itself to the coordinator, and works from then on.
     *
     * @throws UserMistake when the coordinator refuses it
     */
    public void start() {
        url = http.start(config.advertised());
        try {
            offer();
        } catch (RuntimeException e) {
            http.close();
            throw e;
        }
        daemon("unimeros-orders", this::takeOrders);
        daemon("unimeros-reports", () -> reports.send(() -> name));
        daemon("unimeros-prints", this::sendPrints);
    }

    private static void daemon(String name, Runnable work) {
        Thread thread = new Thread(work, name);
        thread.setDaemon(true);
        thread.start();
    }

    /** The name that the coordinator gave it. */
    public String name() {
        return name;
    }

    public String url() {
        return url;
    }

    private void offer() {
        Offer offer = new Offer(
                url,
                config.slots(),
                config.programs(),
                Version.current(),
                HttpService.hostName(),
                ProcessHandle.current().pid());
        while (!closed) {
            try {
                Accepted accepted = coordinator.post("/v1/workers", offer, Accepted.class);
                name = accepted.worker();
                LOG.info("worker {} at {}, for the coordinator at {}", name, url, coordinator.base());
                return;
            } catch (HttpClient.Unreachable e) {
                LOG.info("waiting for the coordinator: {}", e.getMessage());
                pause(RETRY_MILLIS);
            } catch (HttpProblem e) {
                if (e.status() == CONFLICT || e.status() < SERVER_ERROR) {
                    throw new UserMistake("the coordinator refuses this worker: " + e.getMessage(), e);
                }
                pause(RETRY_MILLIS);
            }
        }
    }

    static void pause(long millis) {
        try {
            Thread.sleep(millis);
        } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
        }
    }

    private void takeOrders() {
        long last = 0;
        String as = name;
        boolean away = false;
        while (!closed) {
            try {
                Orders orders = coordinator.get(
                        "/v1/workers/" + as + "/orders?after=" + last + "&wait=" + WAIT_MILLIS, Orders.class);
                orders.orders().forEach(this::carryOut);
                away = false;
                last = orders.last();
            } catch (HttpClient.Unreachable e) {
                if (!away) {
                    LOG.warn("the coordinator does not answer: {}", e.getMessage());
                }
                away = true;
                pause(RETRY_MILLIS);
            } catch (HttpProblem e) {
                if (e.status() != GONE) {
                    LOG.warn("the coordinator answers: {}", e.getMessage());
                    pause(RETRY_MILLIS);
                    continue;
                }
                if (leaving.get()) {
                    // It has been let go, and must not come back as another worker before it is closed.
                    dropAll();
                    return;
                }
                LOG.warn("given up by the coordinator; starting anew");
                dropAll();
                try {
                    offer();
                } catch (UserMistake refused) {
                    refusal = refused;
                    close();
                    return;
                }
                as = name;
                last = 0;
            } catch (RuntimeException e) {
                LOG.error("unexpected failure with orders", e);
                pause(RETRY_MILLIS);
            }
        }
    }

    private void carryOut(Order order) {
        switch (order) {
            case Order.Launch o -> launch(o);
            case Order.Copy o -> attempts.execute(() -> copy(o));
            case Order.Stop o -> withRun(o.run(), run -> run.stop(o.attempt()));
            case Order.StageFinished o -> withRun(o.run(), run -> run.stageFinished(o.stage()));
            case Order.Release o -> withRun(o.run(), run -> run.release(o.stage()));
            case Order.KeepRuns o -> {
                List.copyOf(runs.keySet()).stream()
                        .filter(id -> !o.runs().contains(id))
                        .forEach(this::end);
                jobs.keepOnly(o.jobs());
            }
            case Order.Leave o -> daemon("unimeros-leave", () -> drain(o.mostMillis()));
            case Order.StartJob o -> jobs.start(o.job(), name);
            case Order.EndJob o -> jobs.end(o.job());
            case Order.EndRun o -> end(o.run());
        }
    }

    private void end(String id) {
        held.forget(id);
        WorkerRun run = runs.remove(id);
        if (run != null) {
            run.close();
        }
    }

    private void withRun(String id, Consumer<WorkerRun> action) {
        WorkerRun run = runs.get(id);
        if (run != null) {
            action.accept(run);
        }
    }

    private void launch(Order.Launch order) {
        WorkerRun run;
        try {
            run = runs.computeIfAbsent(order.run(), this::begin);
        } catch (RuntimeException e) {
            reports.add(WorkerReports.failed(order, e, e instanceof ResourceFailure, List.of()));
            return;
        }
        if (run.knows(order.attempt())) {
            // The coordinator has started again and cannot know that it said so before.
            return;
        }
        AtomicBoolean stop = run.stopFlag(order.attempt());
        running.incrementAndGet();
        attempts.execute(() -> {
            try {
                TaskPrints.taking(
                        line -> prints.add(order.run(), order.attempt(), line), () -> attempt(order, run, stop));
            } finally {
                running.decrementAndGet();
                attemptsRun.incrementAndGet();
            }
        });
    }

    private void sendPrints() {
        while (!closed) {
            pause(PRINT_MILLIS);
            prints.send(name);
        }
    }

    private void copy(Order.Copy order) {
        try {
            if (runs.computeIfAbsent(order.run(), this::begin).copy(order.attempt())) {
                coordinator.post("/v1/workers/" + name + "/copies", new CopyNote(order.run(), order.attempt()));
            }
        } catch (RuntimeException e) {
            // It is ordered again, here or elsewhere.
            LOG.warn("cannot copy what {} of run {} made: {}", order.attempt(), order.run(), e.getMessage());
        }
    }

    private WorkerRun begin(String id) {
        byte[] plan;
        try {
            plan = coordinator.getBytes("/v1/runs/" + id + "/plan");
        } catch (HttpClient.Unreachable | HttpProblem e) {
            throw new ResourceFailure("cannot fetch the plan of run " + id + ": " + e.getMessage(), e);
        }
        return new WorkerRun(
                id,
                PlanCodec.read(plan, RunPlan.class),
                coordinator,
                fetcher,
                new Workspace(scratch, space, System::nanoTime),
                files::file,
                url,
                () -> name,
                held);
    }

    private void attempt(Order.Launch order, WorkerRun run, AtomicBoolean stop) {
        AttemptId attempt = order.attempt();
        TaskInput input;
        try {
            run.know(order.inputs());
            input = PlanCodec.read(order.input(), TaskInput.class);
        } catch (UnimerosException e) {
            reports.add(WorkerReports.failed(order, e, true, run.newWarnings()));
            return;
        }
        AttemptLog log = run.newLog();
        new Attempt(attempt, input, stop::get, log, space, run.tasks(), order.run(), run.settings())
                .run(new Attempt.Reports() {
                    @Override
                    public void succeeded(TaskRunner.Done done) {
                        run.keep(attempt, done.result());
                        byte[] result = PlanCodec.write(TaskReport.of(done, log.noted()));
                        reports.add(new Report(
                                order.run(), attempt, Outcome.SUCCEEDED, result, null, false, null, run.newWarnings()));
                    }

                    @Override
                    public void failed(RuntimeException reason, boolean again) {
                        reports.add(WorkerReports.failed(order, reason, again, run.newWarnings()));
                    }

                    @Override
                    public void inputLost(LostInputException lost) {
                        Failure.Kind kind = lost.isEverything() ? Failure.Kind.UNREACHABLE : Failure.Kind.RESOURCE;
                        Failure failure = new Failure(kind, lost.getMessage());
                        reports.add(new Report(
                                order.run(),
                                attempt,
                                Outcome.INPUT_LOST,
                                null,
                                failure,
                                true,
                                lost.producer(),
                                run.newWarnings()));
                    }
                });
    }

    private void dropAll() {
        reports.drop();
        jobs.keepOnly(List.of());
        List.copyOf(runs.keySet()).forEach(this::end);
    }

    /** Answers with the blocks behind their lengths, up to the first one that is not there. */
    private void blocks(Call call) throws IOException {
        BlockRequest request = call.json(BlockRequest.class);
        WorkerRun run = runs.get(request.run());
        List<byte[]> blocks = new ArrayList<>();
        for (BlockRef ref : request.blocks()) {
            byte[] block = run == null ? null : run.block(ref);
            blocks.add(block);
            if (block == null) {
                break;
            }
            servedBytes.addAndGet(block.length);
        }
        call.answer("application/octet-stream", BlockFetcher.answer(blocks));
    }

    private Health health() {
        return new Health("worker", Version.current(), closed ? "closing" : "ready", 1, config.slots(), runs.size());
    }

    private byte[] metrics() {
        return ("# TYPE unimeros_slots gauge\nunimeros_slots " + config.slots()
                        + "\n# TYPE unimeros_attempts_running gauge\nunimeros_attempts_running " + running.get()
                        + "\n# TYPE unimeros_programs_running gauge\nunimeros_programs_running " + jobs.size()
                        + "\n# TYPE unimeros_attempts_total counter\nunimeros_attempts_total " + attemptsRun.get()
                        + "\n# TYPE unimeros_shuffle_served_bytes_total counter\nunimeros_shuffle_served_bytes_total "
                        + servedBytes.get()
                        + "\n# TYPE unimeros_shuffle_fetched_bytes_total counter\nunimeros_shuffle_fetched_bytes_total "
                        + fetcher.fetchedBytes() + "\n")
                .getBytes(StandardCharsets.UTF_8);
    }

    /**
     * Takes nothing new, finishes what it runs, waits until others have copies of what it made, or nobody needs it any more, and leaves.
     */
    public void drain(long mostMillis) {
        if (!leaving.compareAndSet(false, true)) {
            return;
        }
        long until = System.nanoTime() + TimeUnit.MILLISECONDS.toNanos(mostMillis);
        try {
            coordinator.post("/v1/workers/" + name + "/leave?itself", Map.of());
            do {
                // Orders that were given before may still be on their way.
                pause(RETRY_MILLIS);
            } while (isNeeded() && System.nanoTime() < until);
            coordinator.delete("/v1/workers/" + name);
        } catch (HttpClient.Unreachable | HttpProblem e) {
            LOG.info("leaves without a word, since the coordinator does not listen: {}", e.getMessage());
        }
        close();
    }

    /** Leaves when it had nothing to do for so long; to be called once. */
    public void leaveWhenIdle(long idleMillis, long mostMillis) {
        daemon("unimeros-idle", () -> {
            long busyAt = System.nanoTime();
            while (!closed && System.nanoTime() - busyAt < TimeUnit.MILLISECONDS.toNanos(idleMillis)) {
                pause(RETRY_MILLIS);
                busyAt = isNeeded() ? System.nanoTime() : busyAt;
            }
            if (!closed) {
                LOG.info("leaves, having had nothing to do for {} s", idleMillis / 1_000);
                drain(mostMillis);
            }
        });
    }

    private boolean isNeeded() {
        return running.get() > 0
                || reports.areWaiting()
                || !jobs.isEmpty()
                || runs.values().stream().anyMatch(WorkerRun::hasMade);
    }

    /**
     * Waits until the worker is closed.
     *
     * @throws UserMistake when the coordinator would not have it any more
     */
    public void await() throws InterruptedException {
        over.await();
        if (refusal != null) {
            throw refusal;
        }
    }

    @Override
    public void close() {
        closed = true;
        reports.close();
        dropAll();
        attempts.shutdownNow();
        http.close();
        files.delete();
        over.countDown();
    }
}
