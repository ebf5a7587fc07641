package org.unimeros.cluster.client;

import java.io.File;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.InstantSource;
import java.util.BitSet;
import java.util.List;
import java.util.concurrent.CopyOnWriteArrayList;
import java.util.concurrent.TimeUnit;
import java.util.function.Consumer;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.unimeros.cluster.coordinator.Coordinator;
import org.unimeros.cluster.http.ClusterAccess;
import org.unimeros.cluster.job.ChildJvm;
import org.unimeros.cluster.worker.WorkerProcess;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.storage.scratch.OwnerOnly;

/**
 * A coordinator in this process, and worker processes on this machine that end with it. Only this process and its workers know the
 * key that they share.
 */
public final class LocalWorkers implements AutoCloseable {

    /** An exit code beyond it stands for a signal. */
    private static final int SIGNALS = 128;

    private static final int MOST_STARTED_AGAIN = 3;
    private static final Logger LOG = LoggerFactory.getLogger(LocalWorkers.class);
    private static final long START_MILLIS = 60_000;
    private static final long PAUSE_MILLIS = 20;
    private static final long END_MILLIS = 5_000;
    private static final int LOG_TAIL = 2_000;
    /** How many main programs of jobs a worker launches at the same time. */
    private static final int PROGRAMS = 2;
    /** How long a worker that is one too many has nothing to do before it leaves. */
    public static final long IDLE_MILLIS = 30_000;

    private static final long LEAVE_MILLIS = 60_000;
    private static final long LOOK_MILLIS = 250;
    private static final long MOST_BACKOFF_MILLIS = 30_000;
    /** What ends earlier, though nothing but starting came before it, would most likely end again. */
    private static final long SOON_MILLIS = 10_000;

    private final Options options;
    private final ClusterAccess access;
    private final Coordinator coordinator;
    private final List<Process> processes = new CopyOnWriteArrayList<>();
    /** Those that were looked at when they had ended, by the order in which they were started; of the thread that looks. */
    private final BitSet ended = new BitSet();

    private volatile Thread follower;
    /** The process that the follower started last, when that was, and how many in a row have failed soon. */
    private Process latest;

    private long latestStart;
    private long failures;

    private volatile boolean closed;
    /** Is told of each worker that was lost. */
    private volatile Consumer<String> told = line -> {};

    private final String url;

    /**
     * What is started.
     *
     * @param workers how many there are, or from how few to how many
     * @param slots of each worker
     * @param idleMillis of more workers than are needed, one leaves that had nothing to do for so long
     * @param heapBytes the most memory of each worker process
     * @param memoryBytes what the tasks of a worker may hold
     * @param folder for scratch files and logs
     */
    public record Options(
            WorkerRange workers, int slots, long heapBytes, long memoryBytes, Path folder, long idleMillis) {

        /** Always as many workers. */
        public Options(int workers, int slots, long heapBytes, long memoryBytes, Path folder) {
            this(WorkerRange.of(workers), slots, heapBytes, memoryBytes, folder, IDLE_MILLIS);
        }
    }

    /**
     * Starts a coordinator and workers, and waits until they are ready.
     *
     * @throws ResourceFailure when a worker does not start
     */
    public LocalWorkers(Options options) {
        this(options, new Coordinator.Config(null, 0, ClusterAccess.random()));
    }

    /** The same with a coordinator of a certain kind. */
    public LocalWorkers(Options options, Coordinator.Config config) {
        this.options = options;
        this.access = config.access();
        this.coordinator = new Coordinator(config, InstantSource.system());
        this.url = coordinator.start();
        boolean ready = false;
        try {
            OwnerOnly.createFolders(options.folder());
            for (int i = 1; i <= options.workers().least(); i++) {
                startWorker();
            }
            awaitWorkers(options.workers().least());
            if (options.workers().isElastic()) {
                startFollowing();
            }
            ready = true;
        } catch (IOException | UncheckedIOException e) {
            throw new ResourceFailure("cannot start worker processes: " + e.getMessage(), e);
        } finally {
            if (!ready) {
                close();
            }
        }
    }

    public String url() {
        return url;
    }

    public ClusterAccess access() {
        return access;
    }

    public Coordinator coordinator() {
        return coordinator;
    }

    /** The worker processes, in the order in which they were started. */
    public List<ProcessHandle> processes() {
        return processes.stream().map(Process::toHandle).toList();
    }

    private void startFollowing() {
        follower = Thread.ofPlatform().daemon().name("unimeros-workers").start(this::follow);
    }

    /**
     * Has another worker in the place of each that is lost, from now on; those of which there are as many as there is work for are replaced anyway.
     *
     * @param lines is told of each, in a line, by another thread
     */
    public void replaceLost(Consumer<String> lines) {
        told = lines;
        if (follower == null) {
            startFollowing();
        }
    }

    /** Has as many workers as there is work for, within the limits, until this is closed. */
    private void follow() {
        try {
            while (!closed) {
                long pause = LOOK_MILLIS;
                try {
                    tellOfLost();
                    pause = lookAfter();
                } catch (RuntimeException e) {
                    LOG.error("unexpected failure while the number of workers is looked after", e);
                }
                Thread.sleep(pause);
            }
        } catch (InterruptedException e) {
            LOG.debug("the workers are ended", e);
        }
    }

    /** Starts a worker where one is missing, or asks those to leave that are not needed; returns when to look again, in milliseconds. */
    private long lookAfter() throws InterruptedException {
        long alive = processes.stream().filter(Process::isAlive).count();
        int wanted = options.workers().wanted(coordinator.demand(), options.slots(), PROGRAMS);
        if (alive < wanted) {
            // One that fails soon is not started again and again.
            failures = hasFailedSoon(latest) ? failures + 1 : 0;
            Thread.sleep(Math.min(MOST_BACKOFF_MILLIS, failures * failures * LOOK_MILLIS));
            latest = startWorker();
            latestStart = System.nanoTime();
            return LOOK_MILLIS;
        }
        // Where the number is fixed, others that have joined are there because somebody wants them.
        if (options.workers().isElastic()) {
            // The process of one that has left may still be about to end.
            long staying = coordinator.workerViews().stream()
                    .filter(worker -> !worker.isLeaving())
                    .count();
            coordinator.idleWorkers(options.idleMillis()).stream()
                    .limit(Math.max(0, staying - wanted))
                    .forEach(worker -> coordinator.askToLeave(worker, LEAVE_MILLIS));
        }
        return LOOK_MILLIS;
    }

    private boolean hasFailedSoon(Process process) {
        return process != null
                && !process.isAlive()
                && process.exitValue() != 0
                && System.nanoTime() - latestStart < TimeUnit.MILLISECONDS.toNanos(SOON_MILLIS);
    }

    private void tellOfLost() {
        for (int i = ended.nextClearBit(0); i < processes.size(); i = ended.nextClearBit(i + 1)) {
            Process process = processes.get(i);
            if (!process.isAlive()) {
                ended.set(i);
                // One that leaves when it is asked to ends with 0.
                if (process.exitValue() != 0 && !closed) {
                    coordinator.processEnded(process.pid(), "its process has ended with " + end(process.exitValue()));
                    told.accept("worker process " + process.pid() + " has ended with " + end(process.exitValue())
                            + ", see " + log(i + 1) + "; another one is started");
                }
            }
        }
    }

    /** Starts one more worker. */
    public Process startWorker() {
        List<String> command = ChildJvm.command();
        command.addAll(List.of(
                "-Xmx" + options.heapBytes(),
                "-XX:+ExitOnOutOfMemoryError",
                "-XX:+AutoCreateSharedArchive",
                "-XX:SharedArchiveFile=" + options.folder().resolve("classes.jsa"),
                "-Xlog:disable",
                "-Djava.util.logging.SimpleFormatter.format=%1$tFT%1$tT.%1$tL %4$s %5$s%6$s%n",
                "-cp",
                System.getProperty("java.class.path"),
                WorkerProcess.class.getName(),
                "coordinator=" + url,
                "slots=" + options.slots(),
                "programs=" + PROGRAMS,
                "memory=" + options.memoryBytes(),
                "scratch=" + options.folder().resolve("scratch")));
        ProcessBuilder builder = new ProcessBuilder(command);
        builder.environment().keySet().removeIf(name -> name.startsWith("UNIMEROS_"));
        access.passOn(builder.environment());
        File log = log(processes.size() + 1).toFile();
        builder.redirectOutput(ProcessBuilder.Redirect.DISCARD);
        builder.redirectError(ProcessBuilder.Redirect.to(log));
        try {
            Process process = builder.start();
            processes.add(process);
            return process;
        } catch (IOException e) {
            throw new UncheckedIOException(e);
        }
    }

    private Path log(int number) {
        return options.folder().resolve("worker-" + ProcessHandle.current().pid() + "-" + number + ".log");
    }

    /** An exit code in words. */
    private static String end(int exitCode) {
        return "exit code " + exitCode + (exitCode > SIGNALS ? " (killed by signal " + (exitCode - SIGNALS) + ")" : "");
    }

    /** Waits until so many workers have offered themselves. One that ends while it starts has another one started in its place, a few times. */
    private void awaitWorkers(int count) {
        long until = System.nanoTime() + TimeUnit.MILLISECONDS.toNanos(START_MILLIS);
        while (coordinator.workerViews().size() < count) {
            for (int i = ended.nextClearBit(0); i < processes.size(); i = ended.nextClearBit(i + 1)) {
                Process process = processes.get(i);
                if (!process.isAlive()) {
                    ended.set(i);
                    String how = "a worker process ended at once with " + end(process.exitValue()) + ": " + tail(i + 1);
                    if (ended.cardinality() > MOST_STARTED_AGAIN) {
                        throw new ResourceFailure(how);
                    }
                    LOG.warn("{}; another one is started", how);
                    startWorker();
                }
            }
            if (System.nanoTime() > until) {
                throw new ResourceFailure("of " + count + " worker processes only "
                        + coordinator.workerViews().size() + " were ready after " + START_MILLIS / 1000 + " s");
            }
            try {
                Thread.sleep(PAUSE_MILLIS);
            } catch (InterruptedException e) {
                Thread.currentThread().interrupt();
                throw new ResourceFailure("interrupted while worker processes started", e);
            }
        }
    }

    private String tail(int number) {
        try {
            String text = Files.readString(log(number)).strip();
            String tail = text.substring(Math.max(0, text.length() - LOG_TAIL));
            return tail.isEmpty() ? "it said nothing" : tail.replace('\n', ' ');
        } catch (IOException e) {
            return "its log cannot be read: " + e.getMessage();
        }
    }

    /** Ends the workers, then the coordinator. Can be called more than once. */
    @Override
    public void close() {
        closed = true;
        if (follower != null) {
            follower.interrupt();
            try {
                follower.join(END_MILLIS);
            } catch (InterruptedException e) {
                Thread.currentThread().interrupt();
            }
        }
        coordinator.close();
        processes.forEach(this::end);
        for (int i = 1; i <= processes.size(); i++) {
            removeIfEmpty(log(i));
        }
    }

    private static void removeIfEmpty(Path log) {
        try {
            if (Files.exists(log) && Files.size(log) == 0) {
                Files.delete(log);
            }
        } catch (IOException e) {
            LOG.debug("an empty log stays", e);
        }
    }

    private void end(Process process) {
        try {
            process.getOutputStream().close();
            if (!process.waitFor(END_MILLIS, TimeUnit.MILLISECONDS)) {
                process.destroyForcibly();
            }
        } catch (IOException e) {
            process.destroyForcibly();
        } catch (InterruptedException e) {
            process.destroyForcibly();
            Thread.currentThread().interrupt();
        }
    }
}
