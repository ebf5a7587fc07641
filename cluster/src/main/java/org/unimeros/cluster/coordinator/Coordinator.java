package org.unimeros.cluster.coordinator;

import java.io.IOException;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.time.InstantSource;
import java.util.Collection;
import java.util.Comparator;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.Executors;
import java.util.concurrent.ScheduledExecutorService;
import java.util.concurrent.ThreadLocalRandom;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicLong;
import java.util.stream.Stream;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.unimeros.cluster.files.FileRef;
import org.unimeros.cluster.files.FileStore;
import org.unimeros.cluster.files.FileTree;
import org.unimeros.cluster.http.ClusterAccess;
import org.unimeros.cluster.http.HttpProblem;
import org.unimeros.cluster.http.HttpService;
import org.unimeros.cluster.http.HttpService.Call;
import org.unimeros.cluster.wire.JobMessages.JobState;
import org.unimeros.cluster.wire.JobMessages.JobView;
import org.unimeros.cluster.wire.Messages.Accepted;
import org.unimeros.cluster.wire.Messages.CopyNote;
import org.unimeros.cluster.wire.Messages.Events;
import org.unimeros.cluster.wire.Messages.FileSource;
import org.unimeros.cluster.wire.Messages.Health;
import org.unimeros.cluster.wire.Messages.Offer;
import org.unimeros.cluster.wire.Messages.Print;
import org.unimeros.cluster.wire.Messages.Replicas;
import org.unimeros.cluster.wire.Messages.Report;
import org.unimeros.cluster.wire.Messages.ResultNote;
import org.unimeros.cluster.wire.Messages.RunState;
import org.unimeros.cluster.wire.Messages.RunView;
import org.unimeros.cluster.wire.Messages.Submission;
import org.unimeros.cluster.wire.Messages.WorkerView;
import org.unimeros.cluster.wire.Order;
import org.unimeros.cluster.wire.Version;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UserMistake;

/**
 * Decides what the workers of a cluster do. Workers offer themselves and ask for orders; clients submit runs and ask how they go; it
 * never has to reach either. A worker that is not heard of for a while is lost, and so is the run of a client.
 */
public final class Coordinator implements AutoCloseable {

    private static final Logger LOG = LoggerFactory.getLogger(Coordinator.class);
    private static final long MOST_WAIT_MILLIS = 20_000;
    private static final long TICK_MILLIS = 250;
    private static final long CLOSE_MILLIS = 10_000;
    private static final long CLOSE_PAUSE_MILLIS = 20;
    private static final long LONELY_MILLIS = 3_000;
    /** So long after its end all of a run is kept, for a client that has not heard yet what happened last. */
    private static final long SETTLED_MILLIS = 60_000;

    private static final long KEPT_MILLIS = TimeUnit.HOURS.toMillis(1);
    private static final int STATUS_GONE = 410;
    private static final int MOST_COPIES = 100;
    /** For so long a worker that is asked to leave waits until nothing is needed of it. */
    private static final long LEAVE_MILLIS = 120_000;

    private final Config config;
    private final InstantSource clock;
    private final HttpService http;
    private final Journal journal;
    private final String incarnation;
    private final Map<String, WorkerEntry> workers = new ConcurrentHashMap<>();
    private final Map<String, ClusterRun> runs = new ConcurrentHashMap<>();
    /** Runs that have ended a while ago, of which only this is kept. */
    private final Map<String, RunView> past = new ConcurrentHashMap<>();

    private final AtomicLong workerNumber = new AtomicLong();
    private final AtomicLong attemptsReported = new AtomicLong();
    private final AtomicLong workersLost = new AtomicLong();
    /** Files of jobs; those of a coordinator without a journal go with it. */
    private final Path filesFolder;

    private final FileStore files;
    private final FileTree fileTree = new FileTree();
    private final JobDesk jobs;
    private final ScheduledExecutorService monitor;
    /** Runs that have no worker. Used by the monitor only. */
    private final Map<String, Lonely> lonely = new HashMap<>();

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
     */
    public record Config(
            String host,
            String advertised,
            int port,
            ClusterAccess access,
            long workerPatienceMillis,
            long clientPatienceMillis,
            long lonelyMillis,
            Path journal) {

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
            this(host, null, port, access, workerPatienceMillis, clientPatienceMillis, lonelyMillis, journal);
        }

        /** The same under another name. */
        public Config withAdvertised(String name) {
            return new Config(
                    host, name, port, access, workerPatienceMillis, clientPatienceMillis, lonelyMillis, journal);
        }

        /** The same with a journal in a folder. */
        public Config withJournal(Path folder) {
            return new Config(
                    host, advertised, port, access, workerPatienceMillis, clientPatienceMillis, lonelyMillis, folder);
        }
    }

    /** Since when a run has no worker, and whether it was told. */
    private static final class Lonely {
        private final long from;
        private boolean told;

        Lonely(long from) {
            this.from = from;
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
        this.filesFolder = config.journal() == null
                ? Path.of(
                        System.getProperty("java.io.tmpdir"),
                        "unimeros-files-" + ProcessHandle.current().pid() + "-" + System.identityHashCode(this))
                : config.journal().resolve("files");
        this.files = new FileStore(filesFolder);
        this.jobs = new JobDesk(
                (config.journal() == null ? filesFolder : config.journal()).resolve("jobs"),
                new Desk(),
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
        http.on("HEAD", "/v1/files/{hash}", this::fileIsThere);
        http.on("GET", "/v1/files/{hash}", this::file);
        http.onFile("PUT", "/v1/files/{hash}", this::takeFile);
        http.on("GET", "/v1/workers/{worker}/files/{hash}", this::fileSource);
        http.on("PUT", "/v1/workers/{worker}/files/{hash}", this::workerHasFile);
        http.on("POST", "/v1/runs", this::submit);
        http.on("GET", "/v1/runs", call -> call.answer(runViews()));
        http.on("GET", "/v1/runs/{run}", call -> call.answer(view(call)));
        http.on("GET", "/v1/runs/{run}/events", this::events);
        http.on(
                "GET",
                "/v1/runs/{run}/plan",
                call -> call.answer("application/octet-stream", run(call).planBytes()));
        http.on("GET", "/v1/runs/{run}/stages/{stage}/outputs", this::outputs);
        http.on("GET", "/v1/workers/{worker}/runs/{run}/stages/{stage}/source", this::copySource);
        http.on("POST", "/v1/runs/{run}/result", this::result);
        http.on("POST", "/v1/runs/{run}/replicas", this::replicas);
        http.on("POST", "/v1/workers/{worker}/copies", this::copies);
        http.on("POST", "/v1/workers/{worker}/prints", this::prints);
        http.on("POST", "/v1/runs/{run}/cancel", this::cancel);
        jobs.routes(http);
    }

    private Path file(String hash) {
        return files.find(hash).orElseThrow(() -> new HttpProblem(404, "there is no file of that content"));
    }

    private void fileIsThere(Call call) {
        file(call.path("hash"));
        call.done();
    }

    private void file(Call call) throws IOException {
        call.answer(file(call.path("hash")));
    }

    private void takeFile(Call call) throws IOException {
        String hash = call.path("hash");
        if (!FileRef.isHash(hash)) {
            throw new HttpProblem(400, "a file is named by the SHA-256 of its bytes, 64 hexadecimal digits");
        }
        files.add(hash, call.stream(), HttpService.MOST_FILE);
        call.done();
    }

    private void fileSource(Call call) throws IOException {
        worker(call);
        String hash = call.path("hash");
        if (files.find(hash).isPresent()) {
            fileTree.has(hash, url);
        }
        String source = fileTree.source(hash);
        if (source == null) {
            throw new HttpProblem(404, "nobody has the file " + hash);
        }
        call.answer(new FileSource(source));
    }

    private void workerHasFile(Call call) {
        fileTree.has(call.path("hash"), worker(call).url());
        call.done();
    }

    private Journal.OfRun journalOf(String run) {
        return journal == null ? null : journal.of(run);
    }

    /** Brings jobs and runs of the journal to where they were, with the workers that they had. */
    private void restore() {
        jobs.restore();
        jobs.all().stream()
                .filter(job -> job.worker() != null && job.isLaunchedBy(job.place()))
                .forEach(job -> expect(job.place(), job.worker()));
        for (List<RunInput> past : journal.read()) {
            Submission submission = ((RunInput.Submitted) past.get(0)).submission();
            try {
                restore(submission, past);
            } catch (ResourceFailure e) {
                // Jars of another version wrote it; its clients hear that there is no such run.
                LOG.warn("run {} cannot go on: {}", submission.id(), e.getMessage());
                journalOf(submission.id()).delete();
            }
        }
    }

    private void restore(Submission submission, List<RunInput> past) {
        ClusterRun run = new ClusterRun(submission, new Orders(), journalOf(submission.id()), clock);
        runs.put(run.id(), run);
        Map<String, RunInput.WorkerJoined> joined = run.replay(past);
        if (!run.isEnded()) {
            joined.forEach(
                    (name, j) -> expect(name, new Offer(j.url(), j.slots(), j.programs(), Version.current(), "", 0)));
        }
        LOG.info("run {} is restored from {} entries", run.id(), past.size());
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
        return Stream.concat(past.values().stream(), runs.values().stream().map(ClusterRun::view))
                .sorted(Comparator.comparingLong(RunView::startedAt).thenComparing(RunView::id))
                .toList();
    }

    /** What runs and jobs could use at the moment. */
    public Demand demand() {
        int slots = runs.values().stream()
                .filter(r -> !r.isEnded())
                .mapToInt(ClusterRun::slotsWanted)
                .sum();
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
        int active = (int) runs.values().stream().filter(r -> !r.isEnded()).count();
        return new Health("coordinator", Version.current(), "ready", workers.size(), slots, active);
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
        runs.values().stream()
                .filter(r -> !r.isEnded())
                .forEach(r -> r.input(new RunInput.WorkerJoined(name, offer.slots(), offer.programs(), offer.url())));
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

    private RunView view(Call call) {
        RunView ended = past.get(call.path("run"));
        return ended == null ? run(call).view() : ended;
    }

    private ClusterRun run(Call call) {
        ClusterRun run = runs.get(call.path("run"));
        if (run == null) {
            throw new HttpProblem(404, "there is no run " + call.path("run"));
        }
        return run;
    }

    private void orders(Call call) throws IOException {
        WorkerEntry entry = worker(call);
        long after = call.number("after", 0, Long.MAX_VALUE);
        long wait = call.number("wait", 0, MOST_WAIT_MILLIS);
        if (entry.comesBack(after)) {
            List<ClusterRun> active =
                    runs.values().stream().filter(r -> !r.isEnded()).toList();
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
            ClusterRun run = runs.get(report.run());
            if (run != null && !run.isEnded()) {
                run.report(entry.name(), report);
            }
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
        runs.values().stream()
                .filter(r -> !r.isEnded())
                .forEach(r -> r.input(new RunInput.WorkerLeaving(entry.name())));
    }

    private void gone(Call call) {
        lose(worker(call), "it left");
        call.done();
    }

    private void lose(WorkerEntry entry, String reason) {
        if (workers.remove(entry.name(), entry)) {
            LOG.info("worker {} is lost: {}", entry.name(), reason);
            workersLost.incrementAndGet();
            entry.lose();
            fileTree.gone(entry.url());
            runs.values().stream()
                    .filter(r -> !r.isEnded())
                    .forEach(r -> r.input(new RunInput.WorkerLost(entry.name(), reason)));
            jobs.workerLost(entry.name(), reason);
        }
    }

    private void submit(Call call) throws IOException {
        Submission submission = call.json(Submission.class);
        if (submission.id() == null || !submission.id().matches("[A-Za-z0-9._-]{1,100}") || submission.plan() == null) {
            throw new HttpProblem(400, "a run needs an id of letters, digits and dashes, and a plan");
        }
        RunView ended = past.get(submission.id());
        if (ended != null) {
            call.answer(ended);
            return;
        }
        ClusterRun run = new ClusterRun(submission, new Orders(), journalOf(submission.id()), clock);
        // A submission that is repeated because its answer was lost is the same run.
        ClusterRun known = runs.putIfAbsent(submission.id(), run);
        if (known == null && submission.job() != null) {
            try {
                jobs.asks(submission.job(), submission.id());
            } catch (HttpProblem e) {
                runs.remove(submission.id());
                throw e;
            }
        }
        if (known == null) {
            run.input(new RunInput.Submitted(submission, clock.millis()));
            workers.values().stream()
                    .filter(w -> !w.isLeaving())
                    .forEach(w -> run.input(new RunInput.WorkerJoined(w.name(), w.slots(), w.programs(), w.url())));
            run.start();
            LOG.info("run {}: {}", run.id(), submission.title());
        }
        call.answer((known == null ? run : known).view());
    }

    private void events(Call call) throws IOException {
        int after = (int) call.number("after", 0, Integer.MAX_VALUE);
        long wait = call.number("wait", 0, MOST_WAIT_MILLIS);
        RunView ended = past.get(call.path("run"));
        if (ended != null) {
            call.answer(new Events(List.of(), after, ended));
            return;
        }
        try {
            call.answer(run(call).events(after, Math.min(wait, config.clientPatienceMillis() / 2)));
        } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
            throw new HttpProblem(503, "the coordinator is closing");
        }
    }

    private void outputs(Call call) throws IOException {
        ClusterRun run = run(call);
        call.answer("application/octet-stream", run.outputs(stage(call, run)));
    }

    private static int stage(Call call, ClusterRun run) {
        int stage;
        try {
            stage = Integer.parseInt(call.path("stage"));
        } catch (NumberFormatException e) {
            throw new HttpProblem(400, "a stage is a number");
        }
        if (stage < 1 || stage > run.stages()) {
            throw new HttpProblem(404, "the run has no stage " + stage);
        }
        return stage;
    }

    private void copySource(Call call) throws IOException {
        WorkerEntry entry = worker(call);
        ClusterRun run = run(call);
        call.answer(run.copySource(stage(call, run), entry.name()));
    }

    private void result(Call call) throws IOException {
        ResultNote note = call.json(ResultNote.class);
        if (past.containsKey(call.path("run"))) {
            call.done();
            return;
        }
        if (note.taken()) {
            run(call).input(new RunInput.ResultTaken());
        } else if (note.lost() != null) {
            run(call).input(new RunInput.ResultLost(note.lost()));
        }
        call.done();
    }

    private void replicas(Call call) throws IOException {
        Replicas wanted = call.json(Replicas.class);
        if (wanted.copies() < 1 || wanted.copies() > MOST_COPIES) {
            throw new HttpProblem(400, "copies are 1 to " + MOST_COPIES);
        }
        ClusterRun run = run(call);
        if (run.view().state() != RunState.HELD && run.view().state() != RunState.RUNNING) {
            throw new HttpProblem(409, "run " + run.id() + " holds nothing");
        }
        run.input(new RunInput.Replicate(wanted.copies()));
        call.done();
    }

    private void prints(Call call) throws IOException {
        WorkerEntry entry = worker(call);
        for (Print print : call.json(Print[].class)) {
            ClusterRun run = print.run() == null ? null : runs.get(print.run());
            if (run != null && !run.isEnded() && print.attempt() != null && print.lines() != null) {
                run.printed(entry.name(), print.attempt(), print.lines());
            }
        }
        call.done();
    }

    private void copies(Call call) throws IOException {
        WorkerEntry entry = worker(call);
        CopyNote note = call.json(CopyNote.class);
        ClusterRun run = note.run() == null ? null : runs.get(note.run());
        if (run != null && !run.isEnded() && note.attempt() != null) {
            run.input(new RunInput.Copied(entry.name(), note.attempt()));
        }
        call.done();
    }

    private void cancel(Call call) {
        if (!past.containsKey(call.path("run"))) {
            run(call).input(new RunInput.Cancelled("on request"));
        }
        call.done();
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
            for (ClusterRun run : runs.values()) {
                watch(run, now);
            }
            past.values().removeIf(ended -> {
                boolean isOld = now - ended.endedAt() > KEPT_MILLIS;
                if (isOld && journal != null) {
                    journalOf(ended.id()).delete();
                }
                return isOld;
            });
            jobs.watch(now);
        } catch (RuntimeException e) {
            LOG.error("unexpected failure while watching", e);
        }
    }

    private void watch(ClusterRun run, long now) {
        if (run.isEnded()) {
            if (now - run.endedAt() > SETTLED_MILLIS) {
                past.put(run.id(), run.view());
                runs.remove(run.id());
                lonely.remove(run.id());
            }
            return;
        }
        run.input(new RunInput.Tick());
        if (now - run.clientSeenAt() > config.clientPatienceMillis()) {
            run.input(new RunInput.Cancelled(
                    "its client was not heard of for " + (now - run.clientSeenAt()) / 1000 + " s"));
        }
        if (!workers.isEmpty()) {
            lonely.remove(run.id());
            return;
        }
        Lonely since = lonely.computeIfAbsent(run.id(), id -> new Lonely(now));
        if (now - since.from > LONELY_MILLIS && !since.told) {
            since.told = true;
            run.input(new RunInput.Warned(
                    "there is no worker; the run waits for one (unimeros worker --coordinator " + url + ")"));
        }
        if (now - since.from > config.lonelyMillis()) {
            run.input(new RunInput.Failed("there was no worker for " + (now - since.from) / 1000
                    + " s; start some (unimeros worker --coordinator " + url + "), and run again"));
        }
    }

    /** What jobs ask for. */
    private final class Desk implements JobDesk.Host {
        @Override
        public Collection<WorkerEntry> workers() {
            return workers.values();
        }

        @Override
        public boolean hasFile(String hash) {
            return files.find(hash).isPresent();
        }

        @Override
        public void cancelRun(String id, String reason) {
            ClusterRun run = runs.get(id);
            if (run != null && !run.isEnded()) {
                run.input(new RunInput.Cancelled(reason));
            }
        }
    }

    /** Hands orders to workers that are there. */
    private final class Orders implements ClusterRun.Workers {
        @Override
        public void order(String worker, Order order) {
            WorkerEntry entry = workers.get(worker);
            if (entry != null) {
                if (order instanceof Order.Launch launch) {
                    entry.running().add(launch.run() + " " + launch.attempt());
                }
                entry.order(order);
            }
        }

        @Override
        public void orderAll(Order order) {
            workers.values().forEach(entry -> entry.order(order));
        }

        @Override
        public List<String> staying() {
            return workers.values().stream()
                    .filter(WorkerEntry::staysHere)
                    .sorted(Comparator.comparingInt(
                                    (WorkerEntry w) -> w.running().size())
                            .thenComparing(WorkerEntry::name))
                    .map(WorkerEntry::name)
                    .toList();
        }

        @Override
        public boolean isThere(String worker) {
            return workers.containsKey(worker);
        }
    }

    /** Cancels what runs, waits a while until it has undone what it began, and stops to listen. Can be called more than once. */
    @Override
    public void close() {
        monitor.shutdownNow();
        jobs.close(journal == null);
        runs.values().stream()
                .filter(r -> !r.isEnded())
                .forEach(r -> r.input(new RunInput.Cancelled("the coordinator was closed")));
        long until = clock.millis() + CLOSE_MILLIS;
        while (runs.values().stream().anyMatch(r -> !r.isEnded()) && clock.millis() < until) {
            try {
                Thread.sleep(CLOSE_PAUSE_MILLIS);
            } catch (InterruptedException e) {
                Thread.currentThread().interrupt();
                break;
            }
        }
        http.close();
        if (journal != null) {
            journal.close();
        } else {
            files.delete();
        }
    }
}
