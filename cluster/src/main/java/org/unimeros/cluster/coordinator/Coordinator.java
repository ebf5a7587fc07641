package org.unimeros.cluster.coordinator;

import java.io.IOException;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.time.InstantSource;
import java.util.Collection;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.ThreadLocalRandom;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicLong;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.unimeros.cluster.files.FileStore;
import org.unimeros.cluster.http.ClusterAccess;
import org.unimeros.cluster.http.HttpProblem;
import org.unimeros.cluster.http.HttpService;
import org.unimeros.cluster.http.HttpService.Call;
import org.unimeros.cluster.wire.JobMessages.JobState;
import org.unimeros.cluster.wire.JobMessages.JobView;
import org.unimeros.cluster.wire.Messages.Accepted;
import org.unimeros.cluster.wire.Messages.Health;
import org.unimeros.cluster.wire.Messages.Offer;
import org.unimeros.cluster.wire.Messages.Report;
import org.unimeros.cluster.wire.Messages.RunView;
import org.unimeros.cluster.wire.Messages.WorkerView;
import org.unimeros.cluster.wire.Order;
import org.unimeros.cluster.wire.Version;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.run.RunEvent;

/**
 * Decides what the workers of a cluster do. Workers offer themselves and ask for orders; clients submit runs and ask how they go; it
 * never has to reach either. A worker that is not heard of for a while is lost, and so is the run of a client.
 */
public final class Coordinator implements AutoCloseable {

    private static final Logger LOG = LoggerFactory.getLogger(Coordinator.class);
    private static final long MOST_WAIT_MILLIS = 20_000;
    private static final long TICK_MILLIS = 250;
    private static final int STATUS_GONE = 410;
    /** For so long a worker that is asked to leave waits until nothing is needed of it. */
    private static final long LEAVE_MILLIS = 120_000;

    private final Config config;
    private final InstantSource clock;
    private final HttpService http;
    private final Journal journal;
    private final String incarnation;
    private final Map<String, WorkerEntry> workers = new ConcurrentHashMap<>();
    private final RunDesk runs;
    private final AtomicLong workerNumber = new AtomicLong();
    private final AtomicLong attemptsReported = new AtomicLong();
    private final AtomicLong workersLost = new AtomicLong();
    private final FileDesk files;
    private final JobDesk jobs;
    private final ScheduledExecutorService monitor;
    private String url;

    /**
     * How a coordinator works.
     *
     * @param host the address to listen on; null for the loopback address
     * @param advertised the name or address by which others reach it; null for the one it listens on, or the name of the machine where that is
     *     all of them
     * @param port 0 for any
     * @param workerPatienceMillis a worker that is not heard of for so long is lost
     * @param clientPatienceMillis the run of a client that is not heard of for so long is cancelled
     * @param lonelyMillis a run fails when there was no worker for so long
     * @param journal the folder from which it goes on after a restart; null for none
     * @param pages keeps what happens in runs, and shows it to browsers; null for none
     */
    public record Config(
            String host,
            String advertised,
            int port,
            ClusterAccess access,
            long workerPatienceMillis,
            long clientPatienceMillis,
            long lonelyMillis,
            Path journal,
            RunPages pages) {

        /** Patience of ten seconds with workers, of thirty with clients, and two minutes without any worker. */
        public Config(String host, int port, ClusterAccess access) {
            this(host, port, access, 10_000, 30_000, 120_000, null);
        }

        /** The same with the patience that is given, under the address that it listens on. */
        public Config(
                String host,
                int port,
                ClusterAccess access,
                long workerPatienceMillis,
                long clientPatienceMillis,
                long lonelyMillis,
                Path journal) {
            this(host, null, port, access, workerPatienceMillis, clientPatienceMillis, lonelyMillis, journal, null);
        }

        /** The same under another name. */
        public Config withAdvertised(String name) {
            return new Config(
                    host, name, port, access, workerPatienceMillis, clientPatienceMillis, lonelyMillis, journal, pages);
        }

        /** The same with a journal in a folder. */
        public Config withJournal(Path folder) {
            return new Config(
                    host,
                    advertised,
                    port,
                    access,
                    workerPatienceMillis,
                    clientPatienceMillis,
                    lonelyMillis,
                    folder,
                    pages);
        }

        /** The same with pages for browsers. */
        public Config withPages(RunPages shown) {
            return new Config(
                    host,
                    advertised,
                    port,
                    access,
                    workerPatienceMillis,
                    clientPatienceMillis,
                    lonelyMillis,
                    journal,
                    shown);
        }
    }

    public Coordinator(Config config, InstantSource clock) {
        this.config = config;
        this.clock = clock;
        this.journal = config.journal() == null ? null : new Journal(config.journal());
        // A worker of an earlier process must not be taken for one of this one.
        this.incarnation = journal == null
                ? ""
                : String.format("-%04x", ThreadLocalRandom.current().nextInt(1 << 16));
        FileStore.sweep(Path.of(System.getProperty("java.io.tmpdir")), "unimeros-files-");
        // Files of jobs; those of a coordinator without a journal go with it.
        Path filesFolder = config.journal() == null
                ? Path.of(
                        System.getProperty("java.io.tmpdir"),
                        "unimeros-files-" + ProcessHandle.current().pid() + "-" + System.identityHashCode(this))
                : config.journal().resolve("files");
        this.files = new FileDesk(filesFolder, this::worker, this::url);
        this.runs = new RunDesk(config, journal, new RunHost(), clock);
        this.jobs = new JobDesk(
                (config.journal() == null ? filesFolder : config.journal()).resolve("jobs"),
                new JobHost(),
                config.clientPatienceMillis(),
                clock);
        this.http = new HttpService(config.host(), config.port(), config.access());
        this.monitor = Executors.newSingleThreadScheduledExecutor(task -> {
            Thread thread = new Thread(task, "unimeros-monitor");
            thread.setDaemon(true);
            return thread;
        });
        routes();
    }

    private void routes() {
        http.open("GET", "/v1/health", call -> call.answer(health()));
        http.open("GET", "/v1/openapi.json", call -> call.answer("application/json", openApi()));
        http.on("GET", "/metrics", call -> call.answer("text/plain; version=0.0.4", metrics()));
        http.on("POST", "/v1/workers", this::offer);
        http.on("GET", "/v1/workers", call -> call.answer(workerViews()));
        http.on("GET", "/v1/workers/{worker}/orders", this::orders);
        http.on("POST", "/v1/workers/{worker}/reports", this::reports);
        http.on("POST", "/v1/workers/{worker}/leave", this::leave);
        http.on("DELETE", "/v1/workers/{worker}", this::gone);
        files.routes(http);
        runs.routes(http);
        jobs.routes(http);
        new PageDesk(config.pages(), config.access(), clock, () -> new PageDesk.Cluster(workerViews(), jobViews()))
                .routes(http);
    }

    /** Brings jobs and runs of the journal to where they were, with the workers that they had. */
    private void restore() {
        jobs.restore();
        jobs.all().stream()
                .filter(job -> job.worker() != null && job.isLaunchedBy(job.place()))
                .forEach(job -> expect(job.place(), job.worker()));
        runs.restore().forEach(this::expect);
    }

    private void expect(String worker, Offer offer) {
        workers.computeIfAbsent(worker, name -> WorkerEntry.expected(name, offer, clock.millis()));
    }

    /**
     * Starts to listen and returns the address by which this machine reaches it. Runs of the journal go on.
     *
     * @throws UserMistake when another coordinator has the journal
     */
    public String start() {
        if (journal != null) {
            restore();
        }
        url = http.start(config.advertised());
        monitor.scheduleWithFixedDelay(this::watch, TICK_MILLIS, TICK_MILLIS, TimeUnit.MILLISECONDS);
        LOG.info("coordinator at {}", url);
        return url;
    }

    public String url() {
        return url;
    }

    /** The workers that are there, by name. */
    public List<WorkerView> workerViews() {
        return workers.values().stream()
                .map(WorkerEntry::view)
                .sorted(Comparator.comparing(WorkerView::worker))
                .toList();
    }

    /** The runs of the last hour, oldest first. */
    public List<RunView> runViews() {
        return runs.views();
    }

    /** What runs and jobs could use at the moment. */
    public Demand demand() {
        int slots = runs.active().stream().mapToInt(ClusterRun::slotsWanted).sum();
        return new Demand(slots, (int) (jobs.count(JobState.QUEUED) + jobs.countOnWorkers()));
    }

    /** Workers that had nothing to do for so long, the last that came first. */
    public List<String> idleWorkers(long millis) {
        long now = clock.millis();
        return workers.values().stream()
                .filter(w -> w.staysHere() && now - w.busyAt() >= millis)
                .sorted(Comparator.comparingLong(WorkerEntry::joinedAt).reversed())
                .map(WorkerEntry::name)
                .toList();
    }

    /** Asks a worker to leave; others get copies of what is needed of it before. */
    public void askToLeave(String worker, long mostMillis) {
        WorkerEntry entry = workers.get(worker);
        if (entry != null) {
            leave(entry);
            entry.order(new Order.Leave(mostMillis));
        }
    }

    /** The jobs of the last day, oldest first. */
    public List<JobView> jobViews() {
        return jobs.views();
    }

    /** The routes that it answers. */
    public List<String> routeNames() {
        return http.routes();
    }

    private Health health() {
        int slots = workers.values().stream().mapToInt(WorkerEntry::slots).sum();
        return new Health(
                "coordinator",
                Version.current(),
                "ready",
                workers.size(),
                slots,
                runs.active().size());
    }

    private static byte[] openApi() throws IOException {
        try (InputStream in = Coordinator.class.getResourceAsStream("openapi.json")) {
            return in.readAllBytes();
        }
    }

    private byte[] metrics() {
        Health health = health();
        long running =
                workers.values().stream().mapToInt(w -> w.running().size()).sum();
        return ("# TYPE unimeros_workers gauge\nunimeros_workers " + health.workers()
                        + "\n# TYPE unimeros_slots gauge\nunimeros_slots " + health.slots()
                        + "\n# TYPE unimeros_runs_active gauge\nunimeros_runs_active " + health.runs()
                        + "\n# TYPE unimeros_jobs_running gauge\nunimeros_jobs_running " + jobs.count(JobState.RUNNING)
                        + "\n# TYPE unimeros_jobs_queued gauge\nunimeros_jobs_queued " + jobs.count(JobState.QUEUED)
                        + "\n# TYPE unimeros_slots_wanted gauge\nunimeros_slots_wanted " + demand().slots()
                        + "\n# TYPE unimeros_attempts_running gauge\nunimeros_attempts_running " + running
                        + "\n# TYPE unimeros_attempts_reported_total counter\nunimeros_attempts_reported_total "
                        + attemptsReported.get()
                        + "\n# TYPE unimeros_workers_lost_total counter\nunimeros_workers_lost_total "
                        + workersLost.get() + "\n")
                .getBytes(StandardCharsets.UTF_8);
    }

    private void offer(Call call) throws IOException {
        Offer offer = call.json(Offer.class);
        if (!Version.current().equals(offer.version())) {
            throw new HttpProblem(
                    409,
                    "the coordinator is of version " + Version.current() + " and the worker of " + offer.version()
                            + "; all processes of a cluster must be of one version");
        }
        if (offer.url() == null || offer.slots() < 1) {
            throw new HttpProblem(400, "a worker needs an address and at least one slot");
        }
        // One that comes back to its address takes the place of the one that it was before.
        workers.values().stream().filter(w -> w.url().equals(offer.url())).forEach(w -> lose(w, "it started anew"));
        String name = "w" + workerNumber.incrementAndGet() + incarnation;
        WorkerEntry entry = new WorkerEntry(name, offer, clock.millis());
        workers.put(name, entry);
        runs.tellAll(new RunInput.WorkerJoined(name, offer.slots(), offer.programs(), offer.url()));
        LOG.info("worker {} at {} with {} slots", name, offer.url(), offer.slots());
        jobs.launchQueued();
        call.answer(new Accepted(name, config.workerPatienceMillis()));
    }

    private WorkerEntry worker(Call call) {
        WorkerEntry entry = workers.get(call.path("worker"));
        if (entry == null) {
            throw new HttpProblem(STATUS_GONE, "worker " + call.path("worker") + " was given up; offer anew");
        }
        entry.seen(clock.millis());
        return entry;
    }

    private void orders(Call call) throws IOException {
        WorkerEntry entry = worker(call);
        long after = call.number("after", 0, Long.MAX_VALUE);
        long wait = call.number("wait", 0, MOST_WAIT_MILLIS);
        if (entry.comesBack(after)) {
            List<ClusterRun> active = runs.active();
            entry.order(new Order.KeepRuns(active.stream().map(ClusterRun::id).toList(), jobs.idsOn(entry.name())));
            active.forEach(r -> r.orderAgain(entry.name()));
            jobs.orderAgain(entry);
        }
        try {
            call.answer(entry.take(after, Math.min(wait, config.workerPatienceMillis() / 2)));
        } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
            throw new HttpProblem(503, "the coordinator is closing");
        }
    }

    private void reports(Call call) throws IOException {
        WorkerEntry entry = worker(call);
        for (Report report : call.json(Report[].class)) {
            attemptsReported.incrementAndGet();
            entry.running().remove(report.run() + " " + report.attempt());
            runs.find(report.run()).ifPresent(run -> run.report(entry.name(), report));
        }
        call.done();
    }

    private void leave(Call call) {
        WorkerEntry entry = worker(call);
        leave(entry);
        if (!call.has("itself")) {
            entry.order(new Order.Leave(LEAVE_MILLIS));
        }
        call.done();
    }

    private void leave(WorkerEntry entry) {
        if (entry.isLeaving()) {
            return;
        }
        entry.leave();
        runs.tellAll(new RunInput.WorkerLeaving(entry.name()));
    }

    private void gone(Call call) {
        lose(worker(call), RunEvent.WorkerLost.LEFT);
        call.done();
    }

    private void lose(WorkerEntry entry, String reason) {
        if (workers.remove(entry.name(), entry)) {
            LOG.info("worker {} is lost: {}", entry.name(), reason);
            workersLost.incrementAndGet();
            entry.lose();
            files.gone(entry.url());
            runs.tellAll(new RunInput.WorkerLost(entry.name(), reason));
            jobs.workerLost(entry.name(), reason);
        }
    }

    /** A process of this machine is over; if it was a worker, it is lost, and need not be missed before. */
    public void processEnded(long pid, String reason) {
        for (WorkerEntry entry : workers.values()) {
            if (entry.view().pid() == pid && ClusterAccess.isHere(entry.url())) {
                lose(entry, reason);
            }
        }
    }

    private void watch() {
        try {
            long now = clock.millis();
            for (WorkerEntry entry : workers.values()) {
                entry.look(!jobs.idsOn(entry.name()).isEmpty(), now);
                if (now - entry.seenAt() > config.workerPatienceMillis()) {
                    lose(entry, "not heard of for " + (now - entry.seenAt()) / 1000 + " s");
                }
            }
            runs.watch(now);
            jobs.watch(now);
        } catch (RuntimeException e) {
            LOG.error("unexpected failure while watching", e);
        }
    }

    /** What jobs ask for. */
    private final class JobHost implements JobDesk.Host {
        @Override
        public Collection<WorkerEntry> workers() {
            return workers.values();
        }

        @Override
        public boolean hasFile(String hash) {
            return files.has(hash);
        }

        @Override
        public void cancelRun(String id, String reason) {
            runs.find(id).ifPresent(run -> run.input(new RunInput.Cancelled(reason)));
        }
    }

    /** What runs ask for. */
    private final class RunHost implements RunDesk.Host {
        @Override
        public Map<String, WorkerEntry> workers() {
            return workers;
        }

        @Override
        public WorkerEntry worker(Call call) {
            return Coordinator.this.worker(call);
        }

        @Override
        public void belongs(String run, String job) {
            jobs.asks(job, run);
        }

        @Override
        public String url() {
            return url;
        }
    }

    /** Cancels what runs, waits a while until it has undone what it began, and stops to listen. Can be called more than once. */
    @Override
    public void close() {
        monitor.shutdownNow();
        jobs.close(journal == null);
        runs.close();
        http.close();
        if (journal != null) {
            journal.close();
        } else {
            files.delete();
        }
    }
}
