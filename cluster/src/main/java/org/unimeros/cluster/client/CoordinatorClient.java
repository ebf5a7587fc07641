package org.unimeros.cluster.client;

import java.time.InstantSource;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.TimeUnit;
import java.util.function.Consumer;
import org.unimeros.cluster.files.FileRef;
import org.unimeros.cluster.files.JobPack;
import org.unimeros.cluster.http.ClusterAccess;
import org.unimeros.cluster.http.HttpClient;
import org.unimeros.cluster.http.HttpProblem;
import org.unimeros.cluster.job.MainProcess;
import org.unimeros.cluster.wire.JobMessages.JobRequest;
import org.unimeros.cluster.wire.JobMessages.JobView;
import org.unimeros.cluster.wire.JobMessages.LogLine;
import org.unimeros.cluster.wire.JobMessages.LogPiece;
import org.unimeros.cluster.wire.Messages.Health;
import org.unimeros.cluster.wire.Messages.PageLink;
import org.unimeros.cluster.wire.Messages.RunView;
import org.unimeros.cluster.wire.Messages.WorkerView;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UserMistake;

/** What a person asks of a coordinator. Thread-safe. */
public final class CoordinatorClient {

    private static final int READ_MILLIS = 10_000;
    private static final int NOT_FOUND = 404;
    private static final long PATIENCE_NANOS = TimeUnit.MINUTES.toNanos(1);
    private static final long RETRY_MILLIS = 1_000;

    private final HttpClient http;

    /** @throws UserMistake when the address is none */
    public CoordinatorClient(String url, ClusterAccess access) {
        this.http = new HttpClient(url, access, READ_MILLIS);
    }

    public Health health() {
        return get("/v1/health", Health.class);
    }

    /** An address at which a browser gets in to the pages of the coordinator, for a short time. */
    public String pages() {
        return http.base()
                + answered(() -> http.post("/v1/pages", Map.of(), PageLink.class))
                        .path();
    }

    /** The workers that are there, by name. */
    public List<WorkerView> workers() {
        return List.of(get("/v1/workers", WorkerView[].class));
    }

    /** The runs of the last hour, oldest first. */
    public List<RunView> runs() {
        return List.of(get("/v1/runs", RunView[].class));
    }

    /** The jobs of the last day, oldest first. */
    public List<JobView> jobs() {
        return List.of(get("/v1/jobs", JobView[].class));
    }

    /** A job, if the coordinator knows it. */
    public Optional<JobView> job(String id) {
        if (!id.matches("[A-Za-z0-9._-]+")) {
            return Optional.empty();
        }
        return answered(() -> {
            try {
                return Optional.of(http.get("/v1/jobs/" + id, JobView.class));
            } catch (HttpProblem e) {
                if (e.status() == NOT_FOUND) {
                    return Optional.empty();
                }
                throw e;
            }
        });
    }

    /** The log of a job from a position on; waits for more of it while there is none. */
    public LogPiece log(String job, long after, long waitMillis) {
        return get("/v1/jobs/" + job + "/log?after=" + after + "&wait=" + waitMillis, LogPiece.class);
    }

    /** Asks a job to stop, with all its runs. */
    public void cancelJob(String job) {
        answered(() -> {
            http.post("/v1/jobs/" + job + "/cancel", Map.of());
            return job;
        });
    }

    /**
     * Hands a program to the coordinator, with its files. Waits a minute for one that does not answer, as one does that is started again.
     *
     * @param pack what its files are here
     * @param waiting is told, once, that the coordinator does not answer and is waited for
     * @throws UserMistake when it is refused
     */
    public JobView submit(JobRequest job, JobPack pack, Consumer<String> waiting) {
        return answeredInTime(waiting, () -> {
            if (job.onCluster()) {
                for (FileRef ref : pack.refs()) {
                    String path = "/v1/files/" + ref.hash();
                    if (!http.has(path)) {
                        http.put(path, pack.path(ref));
                    }
                }
            }
            return http.post("/v1/jobs", job, JobView.class);
        });
    }

    /**
     * The main program of a job that was submitted to run here.
     *
     * @param listener is given its lines
     */
    public MainProcess mainHere(JobRequest job, Consumer<LogLine> listener) {
        return new MainProcess(http, job, "client", listener, READ_MILLIS, InstantSource.system());
    }

    /** Asks a run to stop. */
    public void cancel(String run) {
        answered(() -> {
            http.post("/v1/runs/" + run + "/cancel", Map.of());
            return run;
        });
    }

    private <T> T get(String path, Class<T> type) {
        return answered(() -> http.get(path, type));
    }

    private interface Question<T> {
        T ask();
    }

    private <T> T answeredInTime(Consumer<String> waiting, Question<T> question) {
        long until = System.nanoTime() + PATIENCE_NANOS;
        boolean isTold = false;
        while (true) {
            try {
                return answered(question);
            } catch (ResourceFailure e) {
                boolean isAway = e.getCause() instanceof HttpClient.Unreachable;
                if (!isAway
                        || System.nanoTime() > until
                        || Thread.currentThread().isInterrupted()) {
                    throw e;
                }
                if (!isTold) {
                    isTold = true;
                    waiting.accept(e.getMessage() + "; waiting for it, up to 60 s");
                }
                pause();
            }
        }
    }

    private static void pause() {
        try {
            Thread.sleep(RETRY_MILLIS);
        } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
        }
    }

    private <T> T answered(Question<T> question) {
        try {
            return question.ask();
        } catch (HttpClient.Unreachable e) {
            throw new ResourceFailure("the coordinator does not answer: " + e.getMessage(), e);
        } catch (HttpProblem e) {
            throw new UserMistake("the coordinator at " + http.base() + " refuses: " + e.getMessage(), e);
        }
    }
}
