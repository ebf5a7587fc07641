package org.unimeros.benchmarks;

import java.io.IOException;
import java.io.PrintWriter;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Random;
import java.util.TreeMap;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.stream.Stream;
import org.unimeros.Engine;
import org.unimeros.Held;
import org.unimeros.Result;
import org.unimeros.Rows;
import org.unimeros.Settings;
import org.unimeros.cluster.client.LocalWorkers;
import org.unimeros.cluster.client.WorkerRange;
import org.unimeros.cluster.coordinator.Coordinator;
import org.unimeros.cluster.http.ClusterAccess;
import org.unimeros.code.Combiners;

/**
 * Jobs without a pause on workers that are killed again and again: are their answers right, and is anything left behind? Each job has an answer that is known
 * before. Not a comparison; what counts is that no answer is wrong.
 */
final class Soak {

    private static final int CLIENTS = 3;
    private static final int LINES = 150_000;
    private static final long KILL_MILLIS = 20_000;
    private static final int DEPOTS = 97;

    private final Path folder;
    private final long seconds;
    private final AtomicInteger right = new AtomicInteger();
    private final AtomicInteger wrong = new AtomicInteger();
    private final Map<String, Integer> failures = new ConcurrentHashMap<>();
    private final AtomicInteger killed = new AtomicInteger();
    private volatile boolean over;

    record Counted(String depot, long n) {}

    Soak(Path folder, long seconds) {
        this.folder = folder.resolve("soak").toAbsolutePath();
        this.seconds = seconds;
    }

    private interface Question {
        Object ask(Engine engine, Path own) throws IOException;
    }

    private Map<String, Question> questions(Path scans) {
        String from = " from dataset('" + scans + "') ";
        Map<String, Question> all = new TreeMap<>();
        all.put(
                "group",
                (engine, own) -> shown(engine.sql("select depot, count(*) as n, sum(weight) as g" + from
                                + "group by depot order by depot")
                        .fetch()));
        all.put(
                "join",
                (engine, own) -> shown(engine.sql(
                                "select a.depot, count(*) as n from dataset('" + scans
                                        + "') a join (select depot, max(scan) as last" + from
                                        + "group by depot) b on a.depot = b.depot and a.scan > b.last - 1000 group by 1 order by 1")
                        .fetch()));
        all.put(
                "sort",
                (engine, own) -> shown(engine.sql("select scan, weight" + from + "order by weight desc, scan limit 50")
                        .fetch()));
        all.put("write", (engine, own) -> {
            String out = own.resolve("out").toString();
            engine.sql("select depot, scan" + from + "where weight < 300")
                    .write(out, as -> as.parquet().replacing());
            return engine.read(out).count();
        });
        all.put(
                "map-reduce",
                (engine, own) -> engine.sql("select depot" + from)
                        .as(String.class)
                        .mapReduce(String.class, Long.class, (depot, out) -> out.add(depot, 1L))
                        .combine(Combiners.sum())
                        .reducers(3)
                        .reduce(Counted.class, (depot, ones, out) -> {
                            long n = 0;
                            for (long one : ones) {
                                n += one;
                            }
                            out.add(new Counted(depot, n));
                        })
                        .fetch());
        all.put("held", (engine, own) -> {
            try (Held held = engine.sql("select depot, weight" + from + "where weight >= 500")
                    .hold()) {
                Rows rows = held.rows();
                return List.of(
                        rows.count(),
                        shown(rows.groupBy("depot")
                                .summarise("sum(weight) as g")
                                .sortBy("depot")
                                .fetch()));
            }
        });
        return all;
    }

    private static String shown(Result result) {
        return result.rows().toString();
    }

    void run() throws IOException, InterruptedException {
        Files.createDirectories(folder);
        Path scans = scans();
        Map<String, Question> questions = questions(scans);
        Map<String, String> expected = new TreeMap<>();
        try (Engine here = Engine.local(settings(folder.resolve("here")))) {
            for (Map.Entry<String, Question> q : questions.entrySet()) {
                expected.put(q.getKey(), String.valueOf(q.getValue().ask(here, folder.resolve("here"))));
            }
        }
        LocalWorkers.Options options = new LocalWorkers.Options(
                new WorkerRange(2, 3), 1, 300L << 20, 150L << 20, folder.resolve("workers"), 10_000);
        long heapBefore;
        long heapAfter;
        int threadsBefore;
        int threadsAfter;
        try (LocalWorkers workers = new LocalWorkers(options, new Coordinator.Config(null, 0, ClusterAccess.NONE))) {
            ask(workers, questions, expected, System.nanoTime() + 20_000_000_000L);
            heapBefore = used();
            threadsBefore = Thread.activeCount();
            long until = System.nanoTime() + seconds * 1_000_000_000L;
            Thread killer = new Thread(() -> kill(workers, until), "killer");
            killer.start();
            ask(workers, questions, expected, until);
            over = true;
            killer.join();
            heapAfter = used();
            threadsAfter = Thread.activeCount();
        }
        System.out.printf(
                Locale.ROOT,
                "soak of %d s, %d workers killed: %,d jobs right, %,d failed, %,d wrong%n",
                seconds,
                killed.get(),
                right.get(),
                failures.values().stream().mapToInt(Integer::intValue).sum(),
                wrong.get());
        failures.forEach((message, times) -> System.out.println("  failed " + times + " times: " + message));
        System.out.printf(
                Locale.ROOT,
                "left behind: %d scratch files, %d staged files, %+d threads, %+.1f MB of heap%n",
                count("workers/scratch"),
                staged(),
                threadsAfter - threadsBefore,
                (heapAfter - heapBefore) / 1e6);
    }

    private Settings settings(Path own) {
        return Settings.defaults()
                .with("runs.folder", "")
                .with("split.target", "300KB")
                .with("slots", "1")
                .with("memory.scratch", own.resolve("scratch").toString());
    }

    private Path scans() throws IOException {
        Path file = folder.resolve("scans.csv");
        Random random = new Random(4);
        try (PrintWriter out = new PrintWriter(Files.newBufferedWriter(file))) {
            out.println("scan,depot,weight");
            for (int i = 0; i < LINES; i++) {
                out.println(i + ",D" + random.nextInt(DEPOTS) + "," + random.nextInt(1_000));
            }
        }
        return file;
    }

    private void ask(LocalWorkers workers, Map<String, Question> questions, Map<String, String> expected, long until)
            throws InterruptedException {
        List<Thread> clients = new ArrayList<>();
        for (int c = 0; c < CLIENTS; c++) {
            Path own = folder.resolve("client-" + c);
            Random random = new Random(c);
            Thread client = new Thread(() -> {
                List<String> names = List.copyOf(questions.keySet());
                while (System.nanoTime() < until) {
                    try (Engine engine = Engine.connect(workers.url(), settings(own))) {
                        for (int i = 0; i < 20 && System.nanoTime() < until; i++) {
                            String name = names.get(random.nextInt(names.size()));
                            askOne(engine, name, questions.get(name), expected.get(name), own);
                        }
                    }
                }
            });
            client.start();
            clients.add(client);
        }
        for (Thread client : clients) {
            client.join();
        }
    }

    private void askOne(Engine engine, String name, Question question, String expected, Path own) {
        try {
            String answer = String.valueOf(question.ask(engine, own));
            if (answer.equals(expected)) {
                right.incrementAndGet();
            } else {
                wrong.incrementAndGet();
                System.out.println("WRONG " + name + ": " + answer.substring(0, Math.min(300, answer.length())));
            }
        } catch (IOException | RuntimeException e) {
            failures.merge(name + ": " + e.getMessage(), 1, Integer::sum);
        }
    }

    private void kill(LocalWorkers workers, long until) {
        Random random = new Random(9);
        while (!over && System.nanoTime() < until) {
            try {
                Thread.sleep(KILL_MILLIS);
            } catch (InterruptedException e) {
                return;
            }
            List<ProcessHandle> alive =
                    workers.processes().stream().filter(ProcessHandle::isAlive).toList();
            if (!over && !alive.isEmpty()) {
                alive.get(random.nextInt(alive.size())).destroyForcibly();
                killed.incrementAndGet();
            }
        }
    }

    private static long used() throws InterruptedException {
        for (int i = 0; i < 3; i++) {
            System.gc();
            Thread.sleep(200);
        }
        return Runtime.getRuntime().totalMemory() - Runtime.getRuntime().freeMemory();
    }

    private long count(String name) throws IOException {
        Path at = folder.resolve(name);
        if (!Files.isDirectory(at)) {
            return 0;
        }
        try (Stream<Path> files = Files.list(at)) {
            return files.count();
        }
    }

    /** Files beside datasets that a run which is over should have removed. */
    private long staged() throws IOException {
        try (Stream<Path> files = Files.walk(folder)) {
            return files.filter(Files::isRegularFile)
                    .filter(f -> f.toString().contains("/.") && f.toString().contains("/out/"))
                    .count();
        }
    }
}
