package org.unimeros.cluster.coordinator;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.InstantSource;
import java.util.Collection;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.TimeUnit;
import java.util.stream.Stream;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.unimeros.cluster.files.FileRef;
import org.unimeros.cluster.http.HttpProblem;
import org.unimeros.cluster.http.HttpService;
import org.unimeros.cluster.http.HttpService.Call;
import org.unimeros.cluster.wire.JobMessages.JobEnd;
import org.unimeros.cluster.wire.JobMessages.JobRequest;
import org.unimeros.cluster.wire.JobMessages.JobState;
import org.unimeros.cluster.wire.JobMessages.JobView;
import org.unimeros.cluster.wire.JobMessages.LogPart;
import org.unimeros.cluster.wire.Order;
import org.unimeros.engine.error.ResourceFailure;

/**
 * The jobs of a coordinator: programs that were handed to it wait here until a worker has room for their main program; of those that are
 * launched by their clients it keeps state and log. Thread-safe.
 */
final class JobDesk {

    /** Who launches a job, if no worker does. */
    static final String CLIENT = "client";

    private static final Logger LOG = LoggerFactory.getLogger(JobDesk.class);
    private static final long KEPT_MILLIS = TimeUnit.HOURS.toMillis(24);
    private static final int STATUS_GONE = 410;
    private static final long MOST_WAIT_MILLIS = 20_000;
    private static final int MOST_JOBS = 10_000;
    /** So that a line fits into every answer, whatever stands in it. */
    private static final int MOST_CHARACTERS = 32 << 10;

    private final Path folder;
    private final Host host;
    private final long clientPatienceMillis;
    private final InstantSource clock;
    private final Map<String, JobEntry> jobs = new ConcurrentHashMap<>();

    /** What jobs need of their coordinator. */
    interface Host {
        Collection<WorkerEntry> workers();

        boolean hasFile(String hash);

        void cancelRun(String run, String reason);
    }

    /** @param folder where jobs are kept, made with the first of them */
    JobDesk(Path folder, Host host, long clientPatienceMillis, InstantSource clock) {
        this.folder = folder;
        this.host = host;
        this.clientPatienceMillis = clientPatienceMillis;
        this.clock = clock;
    }

    void routes(HttpService http) {
        http.on("POST", "/v1/jobs", call -> call.answer(submit(call.json(JobRequest.class))));
        http.on("GET", "/v1/jobs", call -> call.answer(views()));
        http.on("GET", "/v1/jobs/{job}", call -> call.answer(job(call).view()));
        http.on("GET", "/v1/jobs/{job}/log", this::log);
        http.on("POST", "/v1/jobs/{job}/log", this::heard);
        http.on("POST", "/v1/jobs/{job}/end", this::ended);
        http.on("POST", "/v1/jobs/{job}/cancel", call -> {
            cancel(job(call), "on request");
            call.done();
        });
    }

    /** Brings back the jobs of a coordinator that was here before. */
    void restore() {
        if (!Files.isDirectory(folder)) {
            return;
        }
        try (Stream<Path> folders = Files.list(folder)) {
            folders.flatMap(f -> JobEntry.restore(f, clock).stream()).forEach(job -> jobs.put(job.id(), job));
        } catch (IOException e) {
            throw new ResourceFailure("cannot read the jobs in " + folder + ": " + e.getMessage(), e);
        }
    }

    /** All jobs, in the order in which they were submitted. */
    List<JobEntry> all() {
        return jobs.values().stream()
                .sorted(Comparator.comparingLong(JobEntry::submittedAt).thenComparing(JobEntry::id))
                .toList();
    }

    List<JobView> views() {
        return all().stream().map(JobEntry::view).toList();
    }

    /** Jobs whose main program is on a worker. */
    private List<JobEntry> on(String worker) {
        return jobs.values().stream().filter(j -> j.isLaunchedBy(worker)).toList();
    }

    /** The ids of the jobs whose main program is on a worker. */
    List<String> idsOn(String worker) {
        return on(worker).stream().map(JobEntry::id).toList();
    }

    /** Orders that a worker may have missed when the coordinator ended; it ignores those that it knows. */
    void orderAgain(WorkerEntry worker) {
        on(worker.name()).forEach(job -> worker.order(new Order.StartJob(job.request())));
    }

    /** Jobs whose main program is on a worker. */
    long countOnWorkers() {
        return jobs.values().stream()
                .filter(j -> j.state() == JobState.RUNNING && !CLIENT.equals(j.place()))
                .count();
    }

    long count(JobState state) {
        return jobs.values().stream().filter(j -> j.state() == state).count();
    }

    private JobEntry job(Call call) {
        JobEntry job = jobs.get(call.path("job"));
        if (job == null) {
            throw new HttpProblem(404, "there is no job " + call.path("job"));
        }
        return job;
    }

    private JobView submit(JobRequest request) {
        check(request);
        String id = request.id() == null ? "job-" + UUID.randomUUID().toString().substring(0, 8) : request.id();
        String simple = request.mainClass().replaceAll(".*[.$]", "");
        String name = request.name() == null || request.name().isBlank() ? simple : request.name();
        boolean[] isNew = new boolean[1];
        // A request that is repeated because its answer was lost is the same job.
        JobEntry job = jobs.computeIfAbsent(id, i -> {
            isNew[0] = true;
            return new JobEntry(request.named(id, name), folder.resolve(id), clock);
        });
        if (isNew[0]) {
            LOG.info("job {}: {}", id, name);
            if (!request.onCluster()) {
                job.start(CLIENT, null);
            }
            launchQueued();
        }
        return job.view();
    }

    private void check(JobRequest request) {
        if (request.id() != null && !request.id().matches("[A-Za-z0-9][A-Za-z0-9._-]{0,99}")) {
            throw new HttpProblem(400, "the id of a job has letters, digits, points and dashes, at most 100");
        }
        if (request.mainClass() == null || !request.mainClass().matches("[\\p{L}_$][\\p{L}\\p{N}_$.]*")) {
            throw new HttpProblem(400, "a job needs a main class, such as network.depots.DailyTotals");
        }
        for (String name : request.settings().keySet()) {
            if (!name.matches("[a-z][a-z0-9.-]*")) {
                throw new HttpProblem(400, "'" + name + "' is no name of a setting");
            }
        }
        for (FileRef file : request.files()) {
            boolean isNamed = file.name() != null
                    && file.name().matches("[^/\\\\\\x00]{1,200}")
                    && !file.name().matches("\\.{1,2}");
            if (!isNamed || file.hash() == null || file.role() == null) {
                throw new HttpProblem(400, "a file of a job needs a hash, a name without slashes, and a role");
            }
            if (request.onCluster() && !host.hasFile(file.hash())) {
                throw new HttpProblem(
                        400, "the file " + file.name() + " is not here; send it first: PUT /v1/files/" + file.hash());
            }
        }
        if (jobs.size() >= MOST_JOBS && !jobs.containsKey(String.valueOf(request.id()))) {
            throw new HttpProblem(503, "there are " + MOST_JOBS + " jobs already; try again later");
        }
    }

    private void log(Call call) throws IOException {
        long after = call.number("after", 0, Long.MAX_VALUE);
        long wait = call.number("wait", 0, MOST_WAIT_MILLIS);
        try {
            call.answer(job(call).log(after, wait));
        } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
            throw new HttpProblem(503, "the coordinator is closing");
        }
    }

    private void heard(Call call) throws IOException {
        LogPart part = call.json(LogPart.class);
        boolean fits = part.lines() != null
                && part.launcher() != null
                && part.lines().stream()
                        .allMatch(l -> l.text() != null && l.text().length() <= MOST_CHARACTERS);
        if (!fits) {
            throw new HttpProblem(
                    400, "a part of a log needs a launcher, and lines of at most " + MOST_CHARACTERS + " characters");
        }
        if (!job(call).heard(part)) {
            throw new HttpProblem(STATUS_GONE, "job " + call.path("job") + " does not run there any more");
        }
        call.done();
    }

    private void ended(Call call) throws IOException {
        JobEnd end = call.json(JobEnd.class);
        JobEntry job = job(call);
        if (!job.isLaunchedBy(end.launcher())) {
            throw new HttpProblem(STATUS_GONE, "job " + job.id() + " does not run there any more");
        }
        boolean isDone = end.exitCode() == 0 && end.message() == null;
        String why = end.message() != null
                ? end.message()
                : "its main program ended with exit code " + end.exitCode()
                        + job.complaint().map(c -> ": " + c).orElse("");
        end(job, isDone ? JobState.DONE : JobState.FAILED, end.exitCode(), isDone ? null : why);
        launchQueued();
        call.done();
    }

    private void end(JobEntry job, JobState how, Integer exitCode, String why) {
        if (job.end(how, exitCode, why)) {
            LOG.info("job {} is {}{}", job.id(), how, why == null ? "" : ": " + why);
            job.runs().forEach(run -> host.cancelRun(run, "its job is over"));
        }
    }

    private void cancel(JobEntry job, String why) {
        String place = job.place();
        end(job, JobState.CANCELLED, null, why);
        order(place, new Order.EndJob(job.id()));
    }

    private void order(String worker, Order order) {
        host.workers().stream().filter(w -> w.name().equals(worker)).forEach(w -> w.order(order));
    }

    /** A run of a job; refused when the job is over. */
    void asks(String job, String run) {
        JobEntry entry = jobs.get(job);
        if (entry == null) {
            throw new HttpProblem(404, "there is no job " + job);
        }
        if (!entry.asks(run)) {
            throw new HttpProblem(409, "job " + job + " is over");
        }
    }

    /** Launches what waits, oldest first, where there is room. */
    synchronized void launchQueued() {
        for (JobEntry job : all()) {
            if (job.state() != JobState.QUEUED) {
                continue;
            }
            WorkerEntry worker = host.workers().stream()
                    .filter(w -> w.staysHere() && on(w.name()).size() < w.programs())
                    .min(Comparator.<WorkerEntry>comparingInt(w -> on(w.name()).size())
                            .thenComparing(WorkerEntry::name))
                    .orElse(null);
            if (worker == null) {
                job.waitsFor(
                        host.workers().isEmpty()
                                ? "there is no worker"
                                : "all workers have as many main programs as they take");
            } else if (job.start(worker.name(), worker.offer())) {
                worker.order(new Order.StartJob(job.request()));
            }
        }
    }

    /** Looks after jobs whose clients are gone, those that wait, and those that are old. */
    void watch(long now) {
        for (JobEntry job : all()) {
            if (job.isLaunchedBy(CLIENT) && now - job.seenAt() > clientPatienceMillis) {
                end(
                        job,
                        JobState.FAILED,
                        null,
                        "its client was not heard of for " + (now - job.seenAt()) / 1000 + " s");
            }
            if (job.state().isEnded() && now - job.endedAt() > KEPT_MILLIS) {
                jobs.remove(job.id());
                delete(job.folder());
            }
        }
        launchQueued();
    }

    private static void delete(Path folder) {
        try (Stream<Path> files = Files.walk(folder)) {
            for (Path file : files.sorted(Comparator.reverseOrder()).toList()) {
                Files.deleteIfExists(file);
            }
        } catch (IOException e) {
            LOG.warn("cannot delete {}", folder, e);
        }
    }

    void workerLost(String worker, String reason) {
        on(worker)
                .forEach(job -> end(
                        job,
                        JobState.FAILED,
                        null,
                        "worker " + worker + ", on which its main program ran, was lost (" + reason
                                + "); submit it again"));
    }

    /**
     * Ends what runs.
     *
     * @param forGood whether no other coordinator will have the jobs that wait
     */
    void close(boolean forGood) {
        for (JobEntry job : all()) {
            boolean stays = job.state().isEnded() || job.state() == JobState.QUEUED && !forGood;
            if (!stays) {
                cancel(job, "the coordinator was closed");
            }
        }
    }
}
