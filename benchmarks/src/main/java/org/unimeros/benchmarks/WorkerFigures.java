package org.unimeros.benchmarks;

import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.io.PrintWriter;
import java.net.InetAddress;
import java.net.ServerSocket;
import java.net.Socket;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Collections;
import java.util.Deque;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.OptionalLong;
import java.util.Random;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.stream.IntStream;
import org.unimeros.Engine;
import org.unimeros.Settings;
import org.unimeros.cluster.client.LocalWorkers;
import org.unimeros.cluster.http.ClusterAccess;
import org.unimeros.cluster.http.HttpService;
import org.unimeros.cluster.transfer.BlockFetcher;
import org.unimeros.cluster.transfer.ReadAhead;
import org.unimeros.cluster.transfer.RemoteBlock;
import org.unimeros.cluster.wire.Messages.BlockRef;
import org.unimeros.cluster.wire.Messages.BlockRequest;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.run.RunEvent;
import org.unimeros.engine.schedule.AttemptId;
import org.unimeros.engine.schedule.Command;
import org.unimeros.engine.schedule.Event;
import org.unimeros.engine.schedule.Scheduler;
import org.unimeros.engine.schedule.StageSpec;
import org.unimeros.engine.spill.Blocks;
import org.unimeros.engine.spill.Chunk;

/** What workers cost: rows from one to another, tasks, starts, and what the loss of one costs a job. */
final class WorkerFigures {

    private static final int TIMES = 5;
    private static final int WARM = 6;
    private static final int TRANSFERS = 11;
    private static final int BLOCK_ROWS = 4096;
    private static final int BLOCKS = 4_000;
    private static final int SLOTS = 4;
    /** Blocks of a request: as many as fit into a window of those that are read ahead. */
    private static final int TOGETHER = 128;

    private final Path folder;

    WorkerFigures(Path folder) {
        this.folder = folder;
    }

    private interface Figure {
        void measure() throws IOException, InterruptedException;
    }

    /** @param part one of those below; empty for all */
    void run(String part) throws IOException, InterruptedException {
        Files.createDirectories(folder);
        Map<String, Figure> figures = new LinkedHashMap<>();
        figures.put("transfer", this::transfer);
        figures.put("scheduler", WorkerFigures::scheduler);
        figures.put("starts", this::starts);
        figures.put("tasks", this::tasks);
        figures.put("loss", this::loss);
        figures.put("straggler", this::straggler);
        if (!part.isEmpty() && !figures.containsKey(part)) {
            System.err.println("there is no figure " + part + "; there are: " + String.join(", ", figures.keySet()));
            System.exit(3);
        }
        for (Map.Entry<String, Figure> figure : figures.entrySet()) {
            if (part.isEmpty() || part.equals(figure.getKey())) {
                figure.getValue().measure();
            }
        }
    }

    private static void say(String format, Object... values) {
        System.out.println(String.format(Locale.ROOT, format, values));
    }

    private static double median(double[] values) {
        double[] sorted = values.clone();
        Arrays.sort(sorted);
        return sorted[sorted.length / 2];
    }

    private static double seconds(long since) {
        return (System.nanoTime() - since) / 1e9;
    }

    /** Blocks of random numbers, which do not become smaller, and the same bytes through a socket, one after the other in one process. */
    private void transfer() throws IOException, InterruptedException {
        Random random = new Random(5);
        long[] values = new long[BLOCK_ROWS * 2];
        for (int i = 0; i < values.length; i++) {
            values[i] = random.nextLong();
        }
        Batch batch = new Batch(
                BLOCK_ROWS,
                new LongColumn(Arrays.copyOf(values, BLOCK_ROWS), null),
                new LongColumn(Arrays.copyOfRange(values, BLOCK_ROWS, 2 * BLOCK_ROWS), null));
        byte[] block = Blocks.encode(batch);
        double[] fetched = new double[TRANSFERS];
        double[] decoded = new double[TRANSFERS];
        double[] plain = new double[TRANSFERS];
        try (HttpService worker = new HttpService(null, 0, ClusterAccess.NONE)) {
            worker.on("POST", "/v1/blocks", call -> {
                int count = call.json(BlockRequest.class).blocks().size();
                call.answer("application/octet-stream", BlockFetcher.answer(Collections.nCopies(count, block)));
            });
            String url = worker.start();
            // The first ones are for the compiler.
            for (int i = -WARM; i < TRANSFERS; i++) {
                int at = Math.max(i, 0);
                long start = System.nanoTime();
                socket(block);
                plain[at] = seconds(start);
                fetched[at] = fetch(url, false);
                decoded[at] = fetch(url, true);
            }
        }
        double megabytes = (double) block.length * BLOCKS / (1 << 20);
        say(
                "rows from worker to worker: %.0f MB/s as blocks, %.0f MB/s as rows; a plain socket %.0f MB/s; share %.2f and %.2f",
                megabytes / median(fetched),
                megabytes / median(decoded),
                megabytes / median(plain),
                median(plain) / median(fetched),
                median(plain) / median(decoded));
    }

    private static double fetch(String url, boolean decode) {
        BlockFetcher fetcher = new BlockFetcher(ClusterAccess.NONE);
        if (!decode) {
            // Two requests are under way at a time, as when rows are read.
            long start = System.nanoTime();
            IntStream.range(0, 2).parallel().forEach(half -> {
                List<BlockRef> refs = new ArrayList<>();
                for (int i = 0; i < BLOCKS / 2; i++) {
                    refs.add(new BlockRef(new AttemptId(1, 0, 0), 0, i));
                    if (refs.size() == TOGETHER || i == BLOCKS / 2 - 1) {
                        fetcher.fetch(List.of(url), "r", refs, (index, block, length) -> {});
                        refs.clear();
                    }
                }
            });
            return seconds(start);
        }
        List<Chunk> chunks = new ArrayList<>();
        for (int i = 0; i < BLOCKS; i++) {
            chunks.add(Chunk.elsewhere(
                    BLOCK_ROWS,
                    16L * BLOCK_ROWS,
                    new RemoteBlock(fetcher, List.of(url), "r", new BlockRef(new AttemptId(1, 0, 0), 0, i))));
        }
        long start = System.nanoTime();
        ReadAhead.together(chunks).forEach(Chunk::load);
        return seconds(start);
    }

    private static void socket(byte[] block) throws IOException, InterruptedException {
        try (ServerSocket server = new ServerSocket(0, 1, InetAddress.getLoopbackAddress())) {
            Thread sender = new Thread(() -> {
                try (Socket socket = server.accept();
                        OutputStream out = socket.getOutputStream()) {
                    for (int i = 0; i < BLOCKS; i++) {
                        out.write(block);
                    }
                } catch (IOException e) {
                    throw new IllegalStateException(e);
                }
            });
            sender.start();
            byte[] buffer = new byte[256 << 10];
            long all = 0;
            try (Socket socket = new Socket(server.getInetAddress(), server.getLocalPort());
                    InputStream in = socket.getInputStream()) {
                for (int n = in.read(buffer); n >= 0; n = in.read(buffer)) {
                    all += n;
                }
            }
            sender.join();
            if (all != (long) block.length * BLOCKS) {
                throw new IllegalStateException("bytes are missing");
            }
        }
    }

    /** The decisions alone: a stage on so many workers whose attempts all succeed. */
    private static void scheduler() {
        for (int tasks : new int[] {10_000, 100_000, 200_000, 1_000_000}) {
            System.gc();
            long before = used();
            Scheduler scheduler = new Scheduler(List.of(new StageSpec(1, List.of(), OptionalLong.empty(), true)), 3);
            long start = System.nanoTime();
            Deque<AttemptId> running = new ArrayDeque<>();
            long events = note(scheduler.start(), running);
            for (int w = 0; w < 2_000; w++) {
                events += note(scheduler.handle(new Event.WorkerJoined("w" + w, SLOTS)), running);
            }
            events += note(scheduler.handle(new Event.StagePrepared(1, tasks)), running);
            while (!running.isEmpty()) {
                events += note(scheduler.handle(new Event.AttemptSucceeded(running.poll(), 1)), running);
            }
            double took = seconds(start);
            System.gc();
            say(
                    "decisions for %,d tasks on 2,000 workers with 4 slots: %,.0f events/s, %.1f MB",
                    tasks, events / took, (used() - before) / 1e6);
            scheduler.handle(new Event.ResultTaken());
        }
    }

    private static long note(List<Command> commands, Deque<AttemptId> running) {
        for (Command command : commands) {
            if (command instanceof Command.Launch launch) {
                running.add(launch.attempt());
            }
        }
        return 1;
    }

    private static long used() {
        return Runtime.getRuntime().totalMemory() - Runtime.getRuntime().freeMemory();
    }

    private LocalWorkers start(int workers) {
        return new LocalWorkers(new LocalWorkers.Options(
                workers, 1, 512L << 20, 256L << 20, folder.resolve("workers").toAbsolutePath()));
    }

    private void starts() {
        double[] took = new double[TIMES];
        for (int i = 0; i < TIMES; i++) {
            long start = System.nanoTime();
            try (LocalWorkers one = start(1)) {
                took[i] = seconds(start) * 1e3;
                one.url();
            }
        }
        say("a worker process from its start until it is ready: %.0f ms [%s]", median(took), range(took));
    }

    private static String range(double[] values) {
        double[] sorted = values.clone();
        Arrays.sort(sorted);
        return String.format(Locale.ROOT, "%.0f–%.0f", sorted[0], sorted[sorted.length - 1]);
    }

    private Settings settings() {
        return Settings.defaults()
                .with("runs.folder", "")
                .with("slots", "1")
                .with("worker.memory", "512MB")
                .with("memory.scratch", folder.resolve("scratch").toString());
    }

    private Path text(String name, int lines) throws IOException {
        Path file = folder.resolve(name);
        if (!Files.exists(file)) {
            try (PrintWriter out = new PrintWriter(Files.newBufferedWriter(file))) {
                for (int i = 0; i < lines; i++) {
                    out.println(String.format(Locale.ROOT, "parcel %08d was seen at depot %03d", i, i % 397));
                }
            }
        }
        return file;
    }

    /** A file that is cut into a hundred thousand pieces, each of them a task, of which there are many for each message. */
    private void tasks() throws IOException {
        Path file = text("tasks.txt", 2_700_000);
        try (Engine engine =
                Engine.localWorkers(2, settings().with("split.target", "1kB").with("shuffle.parts", "1"))) {
            engine.sql("select 1").fetch();
            int[] tasks = new int[1];
            engine.watch(event -> {
                if (event instanceof RunEvent.StageStarted started) {
                    tasks[0] = Math.max(tasks[0], started.tasks());
                }
            });
            long start = System.nanoTime();
            engine.read(file.toString()).count();
            double took = seconds(start);
            say(
                    "%,d tasks on two workers with a slot each: %.1f s, %.0f µs each",
                    tasks[0], took, took * 1e6 / tasks[0]);
        }
    }

    /** A job as it is, and with one of its three workers killed in the middle; once before, so that all have seen it. */
    private void loss() throws IOException {
        Path file = text("loss.txt", 40_000_000);
        String query = "select substring(line, 1, 13) as p, count(*) as n,"
                + " max(reverse(upper(replace(reverse(lower(line)), 'a', 'bcd')))) as m from dataset('"
                + file.toAbsolutePath()
                + "') group by 1 order by n desc, p limit 3";
        try (Engine engine = Engine.localWorkers(3, settings().with("split.target", "4MB"))) {
            engine.sql(query).fetch();
            double[] took = new double[2];
            String[] rows = new String[2];
            for (int i = 0; i < 2; i++) {
                AtomicBoolean kills = new AtomicBoolean(i == 1);
                long start = System.nanoTime();
                engine.watch(event -> {
                    boolean isHalf = event instanceof RunEvent.AttemptFinished f
                            && f.attempt().task() == 150;
                    if (isHalf && kills.getAndSet(false)) {
                        ProcessHandle.current().children().findFirst().ifPresent(ProcessHandle::destroyForcibly);
                    }
                });
                rows[i] = engine.sql(query).fetch().rows().toString();
                took[i] = seconds(start);
            }
            say(
                    "a job on three workers: %.1f s; with one of them killed: %.1f s, the same rows: %s",
                    took[0], took[1], rows[0].equals(rows[1]));
        }
    }

    /** A job on two workers, then with one of them stopped for nine tenths of the time, without and with second attempts. */
    private void straggler() throws IOException {
        Path file = text("slow.txt", 6_000_000);
        String query = "select substring(line, 1, 13) as p, count(*) as n,"
                + " max(reverse(upper(replace(reverse(lower(line)), 'a', 'bcd')))) as m from dataset('"
                + file.toAbsolutePath()
                + "') group by 1 order by n desc, p limit 3";
        try (Engine engine = Engine.localWorkers(2, settings().with("split.target", "6MB"))) {
            engine.sql(query).fetch();
            long start = System.nanoTime();
            engine.sql(query).fetch();
            double usual = seconds(start);
            int[] second = new int[1];
            engine.watch(event -> second[0] += event instanceof RunEvent.AttemptStopped ? 1 : 0);
            AtomicBoolean over = new AtomicBoolean();
            long slow =
                    ProcessHandle.current().children().findFirst().orElseThrow().pid();
            Thread brake = new Thread(() -> brake(slow, over), "brake");
            brake.start();
            start = System.nanoTime();
            engine.sql(query).fetch();
            double braked = seconds(start);
            over.set(true);
            brake.join();
            say(
                    "a job on two workers: %.1f s; with one of them stopped for nine tenths of the time: %.1f s, %d tasks were done by the other one instead",
                    usual, braked, second[0]);
        } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
        }
    }

    private static void brake(long pid, AtomicBoolean over) {
        try {
            while (!over.get()) {
                signal(pid, "STOP");
                Thread.sleep(900);
                signal(pid, "CONT");
                Thread.sleep(100);
            }
        } catch (IOException | InterruptedException e) {
            throw new IllegalStateException(e);
        }
    }

    private static void signal(long pid, String signal) throws IOException, InterruptedException {
        new ProcessBuilder("kill", "-" + signal, String.valueOf(pid)).start().waitFor();
    }
}
