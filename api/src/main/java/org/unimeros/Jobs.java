package org.unimeros;

import java.nio.file.Path;
import java.time.Instant;
import java.time.ZoneOffset;
import java.time.format.DateTimeFormatter;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalInt;
import java.util.concurrent.ThreadLocalRandom;
import java.util.function.Consumer;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.unimeros.cluster.client.CoordinatorClient;
import org.unimeros.cluster.files.JobPack;
import org.unimeros.cluster.http.ClusterAccess;
import org.unimeros.cluster.http.Tls;
import org.unimeros.cluster.job.JobFolder;
import org.unimeros.cluster.job.MainProcess;
import org.unimeros.cluster.wire.JobMessages.JobRequest;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UserMistake;

/** Launches programs as jobs of a coordinator. Thread-safe. */
public final class Jobs {

    private static final DateTimeFormatter ID_TIME =
            DateTimeFormatter.ofPattern("uuuuMMdd-HHmmss").withZone(ZoneOffset.UTC);

    private static final Logger LOG = LoggerFactory.getLogger(Jobs.class);

    private final CoordinatorClient coordinator;
    private final Consumer<String> waiting;

    private Jobs(CoordinatorClient coordinator, Consumer<String> waiting) {
        this.coordinator = coordinator;
        this.waiting = waiting;
    }

    /** The jobs of a coordinator, such as {@code http://depot-3:7420}; the key of the cluster is in {@code UNIMEROS_CLUSTER_KEY}. */
    public static Jobs at(String coordinator) {
        return at(coordinator, ClusterAccess.to(coordinator, System.getenv()));
    }

    /**
     * The same with a cluster key.
     *
     * @param key null for none
     */
    public static Jobs at(String coordinator, String key) {
        return at(coordinator, ClusterAccess.of(key).with(Tls.from(System.getenv())));
    }

    private static Jobs at(String coordinator, ClusterAccess access) {
        return new Jobs(new CoordinatorClient(coordinator, access), LOG::warn);
    }

    /** The same with what the variables of an environment say of key and certificates. */
    public static Jobs from(String coordinator, Map<String, String> environment) {
        return at(coordinator, ClusterAccess.to(coordinator, environment));
    }

    /**
     * The same, telling of waits: when a program is submitted, a coordinator that does not answer is waited for, up to a minute.
     *
     * @param lines is given a line for each; the log unless said
     */
    public Jobs tellingOfWaits(Consumer<String> lines) {
        return new Jobs(coordinator, lines);
    }

    private static String newId() {
        return "job-" + ID_TIME.format(Instant.now())
                + String.format("-%04x", ThreadLocalRandom.current().nextInt(1 << 16));
    }

    /**
     * Hands a program over: a worker launches it as soon as one has room. This program need not wait for it.
     *
     * @throws UserMistake when it is refused
     */
    public Job submit(JobSpec program) {
        JobPack pack = program.pack();
        return new Job(
                coordinator,
                coordinator
                        .submit(program.request(newId(), pack, true), pack, waiting)
                        .id());
    }

    /**
     * Launches a program in a process of this machine, which ends with this one; its runs are carried out by the coordinator's workers.
     *
     * @param lines is given what the program writes
     * @return how it ended
     */
    public Job.End runHere(JobSpec program, Job.Lines lines) {
        JobPack pack = program.pack();
        JobRequest request = program.request(newId(), pack, false);
        MainProcess main = coordinator.mainHere(request, line -> lines.line(line.text(), line.error()));
        Thread hook = new Thread(
                () -> {
                    main.stop();
                    coordinator.cancelJob(request.id());
                },
                "unimeros-interrupt-job");
        coordinator.submit(request, pack, waiting);
        lines.state("running", "here, as " + request.id());
        Runtime.getRuntime().addShutdownHook(hook);
        boolean ended = false;
        try (JobFolder folder = new JobFolder(
                Path.of(Settings.defaults().get(Setting.MEMORY_SCRATCH.name())).resolveSibling(request.id()),
                request,
                pack::path)) {
            int code = main.run(folder);
            ended = true;
            Job.End end = coordinator
                    .job(request.id())
                    .map(Job::end)
                    .orElseThrow(() -> new ResourceFailure("the coordinator does not know the job any more"));
            lines.state(end.state(), end.message());
            return end.state().equals("running") ? new Job.End("failed", OptionalInt.of(code), null) : end;
        } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
            throw new ResourceFailure("interrupted while a job ran", e);
        } finally {
            if (remove(hook) && !ended) {
                coordinator.cancelJob(request.id());
            }
        }
    }

    /** False when the process is about to end, and the hook does what it is for. */
    private static boolean remove(Thread hook) {
        try {
            return Runtime.getRuntime().removeShutdownHook(hook);
        } catch (IllegalStateException e) {
            return false;
        }
    }

    /** A job by its id, if the coordinator knows it. */
    public Optional<Job> find(String id) {
        return coordinator.job(id).map(view -> new Job(coordinator, view.id()));
    }
}
