package org.unimeros.cluster.job;

import java.io.File;
import java.io.IOException;
import java.io.InputStream;
import java.lang.management.ManagementFactory;
import java.nio.file.Path;
import java.time.InstantSource;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.concurrent.ArrayBlockingQueue;
import java.util.concurrent.BlockingQueue;
import java.util.concurrent.TimeUnit;
import java.util.function.Consumer;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.unimeros.cluster.http.HttpClient;
import org.unimeros.cluster.http.HttpProblem;
import org.unimeros.cluster.wire.JobMessages.JobEnd;
import org.unimeros.cluster.wire.JobMessages.JobRequest;
import org.unimeros.cluster.wire.JobMessages.LogLine;
import org.unimeros.cluster.wire.JobMessages.LogPart;
import org.unimeros.engine.error.ResourceFailure;

/**
 * The main program of a job while it runs. Its lines go to the coordinator, in their order and each once, and to whoever listens here. When
 * the coordinator is away the program goes on until the queue of lines is full; when the coordinator does not know the job any more, or
 * has it cancelled, the program is ended.
 */
public final class MainProcess {

    private static final Logger LOG = LoggerFactory.getLogger(MainProcess.class);
    private static final int MOST_WAITING = 10_000;
    private static final int MOST_TOGETHER = 1_000;
    private static final long TOGETHER_MILLIS = 100;
    /** So often the coordinator hears that the program is still there. */
    private static final long SIGN_MILLIS = 2_000;

    private static final long RETRY_MILLIS = 200;
    private static final long END_MILLIS = 5_000;
    private static final long DEFAULT_HEAP = 1L << 30;
    private static final int SERVER_ERROR = 500;

    private final HttpClient coordinator;
    private final JobRequest job;
    private final String launcher;
    private final Consumer<LogLine> listener;
    private final long patienceMillis;
    private final InstantSource clock;
    private final BlockingQueue<LogLine> lines = new ArrayBlockingQueue<>(MOST_WAITING);
    private Process process;
    private volatile boolean stopped;
    /** Whether the coordinator wants to hear nothing more. */
    private volatile boolean unwanted;

    private volatile boolean exhausted;

    /**
     * @param launcher who launches it: the name of the worker, or {@code client}
     * @param listener is given every line as well
     * @param patienceMillis a coordinator that is away for longer after the end of the program is not told of it
     */
    public MainProcess(
            HttpClient coordinator,
            JobRequest job,
            String launcher,
            Consumer<LogLine> listener,
            long patienceMillis,
            InstantSource clock) {
        this.coordinator = coordinator;
        this.job = job;
        this.launcher = launcher;
        this.listener = listener;
        this.patienceMillis = patienceMillis;
        this.clock = clock;
    }

    /** The environment variable of a setting. */
    public static String variable(String setting) {
        return "UNIMEROS_" + setting.toUpperCase(Locale.ROOT).replace('.', '_').replace('-', '_');
    }

    /**
     * Runs the program to its end, and tells the coordinator how it went.
     *
     * @return its exit code
     * @throws ResourceFailure when it cannot be launched
     */
    public int run(JobFolder files) throws InterruptedException {
        synchronized (this) {
            process = launch(files);
            if (stopped) {
                askToEnd();
            }
        }
        Thread sender = start("unimeros-job-log", this::send);
        List<Thread> readers = List.of(reader(process.getInputStream(), false), reader(process.getErrorStream(), true));
        try {
            int code = process.waitFor();
            for (Thread reader : readers) {
                // A process that the program has left behind may hold its output open.
                reader.join(END_MILLIS);
            }
            exhausted = true;
            sender.join();
            tellEnd(new JobEnd(launcher, code, null));
            return code;
        } finally {
            process.destroyForcibly();
            exhausted = true;
        }
    }

    private Process launch(JobFolder files) {
        String classPath = Stream.concat(
                        Stream.of(System.getProperty("java.class.path")),
                        files.jars().stream().map(Path::toString))
                .collect(Collectors.joining(File.pathSeparator));
        List<String> command = ChildJvm.command();
        command.addAll(List.of(
                "-Xmx" + (job.heapBytes() > 0 ? job.heapBytes() : DEFAULT_HEAP),
                "-Xlog:disable",
                "-Dstdout.encoding=UTF-8",
                "-Dstderr.encoding=UTF-8"));
        // The classes of this process are in the same places there, so that its archive of them, if it has one, serves
        // both.
        ManagementFactory.getRuntimeMXBean().getInputArguments().stream()
                .filter(argument -> argument.startsWith("-XX:SharedArchiveFile="))
                .forEach(command::add);
        command.addAll(List.of("-cp", classPath, MainProgram.class.getName(), job.mainClass()));
        job.arguments().forEach(argument -> command.add(files.resolve(argument)));
        ProcessBuilder builder =
                new ProcessBuilder(command).directory(files.work().toFile());
        Map<String, String> environment = builder.environment();
        environment.keySet().removeIf(name -> name.startsWith("UNIMEROS_"));
        coordinator.access().passOn(environment);
        job.settings().forEach((name, value) -> environment.put(variable(name), value));
        environment.put(variable("coordinator"), coordinator.base());
        environment.put(variable("job"), job.id());
        environment.put(variable("job.attached"), files.attached().toString());
        try {
            return builder.start();
        } catch (IOException e) {
            throw new ResourceFailure("cannot launch the main program of job " + job.id() + ": " + e.getMessage(), e);
        }
    }

    private static Thread start(String name, Runnable work) {
        Thread thread = new Thread(work, name);
        thread.setDaemon(true);
        thread.start();
        return thread;
    }

    private Thread reader(InputStream stream, boolean error) {
        return start("unimeros-job-" + (error ? "errors" : "output"), () -> {
            try {
                Lines.each(stream, text -> take(new LogLine(clock.millis(), error, text)));
            } catch (IOException e) {
                LOG.debug("the output of a main program was broken off", e);
            }
        });
    }

    private void take(LogLine line) {
        listener.accept(line);
        try {
            while (!unwanted && !lines.offer(line, RETRY_MILLIS, TimeUnit.MILLISECONDS)) {
                LOG.debug("the log of job {} waits for the coordinator", job.id());
            }
        } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
        }
    }

    private void send() {
        long sent = 0;
        long signAt = clock.millis() + SIGN_MILLIS;
        try {
            while (!unwanted && !(exhausted && lines.isEmpty())) {
                List<LogLine> some = together();
                if (some.isEmpty() && clock.millis() < signAt) {
                    continue;
                }
                LogPart part = new LogPart(launcher, sent, some);
                long until = exhausted ? clock.millis() + patienceMillis : Long.MAX_VALUE;
                if (!tell("/log", part, until)) {
                    stop();
                    return;
                }
                sent += some.size();
                signAt = clock.millis() + SIGN_MILLIS;
            }
        } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
        }
    }

    /** Lines that come in quick succession. */
    private List<LogLine> together() throws InterruptedException {
        List<LogLine> some = new ArrayList<>();
        LogLine first = lines.poll(TOGETHER_MILLIS, TimeUnit.MILLISECONDS);
        if (first != null) {
            some.add(first);
            lines.drainTo(some, MOST_TOGETHER - 1);
        }
        return some;
    }

    private void tellEnd(JobEnd end) throws InterruptedException {
        if (!unwanted) {
            tell("/end", end, clock.millis() + patienceMillis);
        }
    }

    /** Tells the coordinator until it has heard; false when it does not want to, or was away for too long. */
    private boolean tell(String what, Object message, long untilMillis) throws InterruptedException {
        while (!unwanted) {
            try {
                coordinator.post("/v1/jobs/" + job.id() + what, message);
                return true;
            } catch (HttpClient.Unreachable e) {
                LOG.debug("the coordinator is away", e);
            } catch (HttpProblem e) {
                if (e.status() < SERVER_ERROR) {
                    LOG.info("job {} is ended here: {}", job.id(), e.getMessage());
                    break;
                }
            }
            if (clock.millis() > untilMillis) {
                break;
            }
            Thread.sleep(RETRY_MILLIS);
        }
        unwanted = true;
        return false;
    }

    /** Asks the program to end, and makes it end if it does not. Can be called at any time, by any thread. */
    public void stop() {
        synchronized (this) {
            stopped = true;
            if (process == null) {
                return;
            }
        }
        askToEnd();
        start("unimeros-job-end", () -> {
            try {
                if (!process.waitFor(END_MILLIS, TimeUnit.MILLISECONDS)) {
                    process.destroyForcibly();
                }
            } catch (InterruptedException e) {
                Thread.currentThread().interrupt();
                process.destroyForcibly();
            }
        });
    }

    /** By its handle, since the process itself would close the pipe by which the program knows that we are there: it has time to end. */
    private void askToEnd() {
        process.toHandle().destroy();
    }

    /** Ends the program at once, and tells nobody. */
    public void abandon() {
        unwanted = true;
        synchronized (this) {
            stopped = true;
            if (process != null) {
                process.destroyForcibly();
            }
        }
    }
}
