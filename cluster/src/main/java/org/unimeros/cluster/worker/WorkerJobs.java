package org.unimeros.cluster.worker;

import java.nio.file.Path;
import java.time.InstantSource;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import java.util.function.Function;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.unimeros.cluster.files.FileRef;
import org.unimeros.cluster.http.HttpClient;
import org.unimeros.cluster.http.HttpProblem;
import org.unimeros.cluster.job.JobFolder;
import org.unimeros.cluster.job.MainProcess;
import org.unimeros.cluster.wire.JobMessages.JobEnd;
import org.unimeros.cluster.wire.JobMessages.JobRequest;
import org.unimeros.engine.error.UnimerosException;

/** The main programs that a worker has launched, each with a thread that waits for its end. Thread-safe. */
final class WorkerJobs {

    private static final Logger LOG = LoggerFactory.getLogger(WorkerJobs.class);
    private static final long PATIENCE_MILLIS = 600_000;

    private final HttpClient coordinator;
    private final Function<FileRef, Path> files;
    private final Path folder;
    private final Map<String, MainProcess> programs = new ConcurrentHashMap<>();

    /**
     * @param files where a file of a job is, which is fetched when it is not here yet
     * @param folder for what goes with the programs
     */
    WorkerJobs(HttpClient coordinator, Function<FileRef, Path> files, Path folder) {
        this.coordinator = coordinator;
        this.files = files;
        this.folder = folder;
    }

    /** Launches a main program, unless it is here already: a coordinator that has started again may say so twice. */
    void start(JobRequest job, String worker) {
        MainProcess program =
                new MainProcess(coordinator, job, worker, line -> {}, PATIENCE_MILLIS, InstantSource.system());
        if (programs.putIfAbsent(job.id(), program) == null) {
            Thread.ofPlatform().daemon().name("unimeros-job-" + job.id()).start(() -> run(job, worker, program));
        }
    }

    private void run(JobRequest job, String worker, MainProcess program) {
        try (JobFolder laidOut = new JobFolder(folder.resolve(job.id()), job, files)) {
            int code = program.run(laidOut);
            LOG.info("the main program of job {} ended with exit code {}", job.id(), code);
        } catch (UnimerosException e) {
            LOG.warn("job {} cannot be launched: {}", job.id(), e.getMessage());
            refuse(job, new JobEnd(worker, -1, e.getMessage()));
        } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
        } catch (RuntimeException e) {
            LOG.error("unexpected failure of job {}", job.id(), e);
            refuse(job, new JobEnd(worker, -1, "unexpected " + e + "; the log of the worker has the details"));
        } finally {
            programs.remove(job.id());
        }
    }

    private void refuse(JobRequest job, JobEnd end) {
        try {
            coordinator.post("/v1/jobs/" + job.id() + "/end", end);
        } catch (HttpClient.Unreachable | HttpProblem e) {
            LOG.warn("the coordinator does not hear that job {} cannot be launched: {}", job.id(), e.getMessage());
        }
    }

    /** Ends a program whose job was cancelled. */
    void end(String job) {
        MainProcess program = programs.get(job);
        if (program != null) {
            program.stop();
        }
    }

    /** Ends all programs but those of these jobs. */
    void keepOnly(List<String> jobs) {
        programs.forEach((id, program) -> {
            if (!jobs.contains(id)) {
                program.abandon();
            }
        });
    }

    boolean isEmpty() {
        return programs.isEmpty();
    }

    int size() {
        return programs.size();
    }
}
