package org.unimeros;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.net.URL;
import java.net.URLClassLoader;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import java.util.stream.Stream;
import java.util.zip.ZipEntry;
import java.util.zip.ZipOutputStream;
import javax.tools.ToolProvider;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.cluster.client.LocalWorkers;
import org.unimeros.cluster.coordinator.Coordinator;
import org.unimeros.cluster.http.ClusterAccess;
import org.unimeros.code.Mapper;
import org.unimeros.code.Out;
import org.unimeros.code.Pairs;
import org.unimeros.code.TaskContext;
import org.unimeros.code.ToMany;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.run.RunEvent;

/** Own code, and files that it opens, on workers that have neither. */
@Timeout(180)
class TravellingCodeTest {

    private static final String JOB = """
            package parcels.job;

            import org.unimeros.Engine;
            import org.unimeros.MapReduce;

            public class Weights implements java.util.function.Function<Engine, java.util.List<?>> {
                public record Parcel(long id, long weight) {}

                public record Total(String size, long parcels, long weight) {}

                private static String size(long weight) {
                    return Sizes.of(weight);
                }

                @Override
                public java.util.List<?> apply(Engine engine) {
                    long unit = 10;
                    return engine.sql("select id, id * 7 % 100 as weight from dataset('FOLDER/ids.csv')")
                            .as(Parcel.class)
                            .filter(p -> p.weight() > unit)
                            .mapReduce(String.class, Long.class, (p, out) -> out.add(size(p.weight()), p.weight()))
                            .reducers(2)
                            .reduce(Total.class, (size, weights, out) -> {
                                long n = 0;
                                long sum = 0;
                                for (long w : weights) {
                                    n++;
                                    sum += w;
                                }
                                out.add(new Total(size, n, sum));
                            })
                            .fetch();
                }
            }
            """;

    private static final String HELPER = """
            package parcels.job;

            final class Sizes {
                static String of(long weight) {
                    return weight > 50 ? "large" : "small";
                }
            }
            """;

    @TempDir
    static Path folder;

    private static LocalWorkers workers;

    @BeforeAll
    static void start() {
        workers = new LocalWorkers(
                new LocalWorkers.Options(2, 1, 250 << 20, 100 << 20, folder.resolve("workers")),
                new Coordinator.Config(null, 0, ClusterAccess.NONE));
    }

    @AfterAll
    static void end() throws IOException, InterruptedException {
        workers.close();
        for (ProcessHandle process : workers.processes()) {
            process.onExit().join();
        }
        try (Stream<Path> left = Files.list(folder.resolve("workers"))) {
            assertEquals(
                    List.of(), left.filter(p -> p.toString().contains("files-")).toList());
        }
    }

    private static Settings settings() {
        return Settings.defaults()
                .with("runs.folder", "")
                .with("memory.scratch", folder.resolve("client").toString());
    }

    /** Classes that only this program has. */
    private static Path compiled() throws IOException {
        Path sources = Files.createDirectories(folder.resolve("sources"));
        Path classes = Files.createDirectories(folder.resolve("classes"));
        Path job = Files.writeString(sources.resolve("Weights.java"), JOB.replace("FOLDER", folder.toString()));
        Path helper = Files.writeString(sources.resolve("Sizes.java"), HELPER);
        int failed = ToolProvider.getSystemJavaCompiler()
                .run(
                        null,
                        null,
                        null,
                        "-d",
                        classes.toString(),
                        "-cp",
                        System.getProperty("java.class.path"),
                        job.toString(),
                        helper.toString());
        assertEquals(0, failed);
        return classes;
    }

    @SuppressWarnings("unchecked")
    private static String run(Engine engine, Path classes) throws Exception {
        try (URLClassLoader loader =
                new URLClassLoader(new URL[] {classes.toUri().toURL()})) {
            Object job = loader.loadClass("parcels.job.Weights")
                    .getDeclaredConstructor()
                    .newInstance();
            return ((java.util.function.Function<Engine, List<?>>) job)
                    .apply(engine)
                    .toString();
        }
    }

    @Test
    void classesThatWorkersDoNotHaveReachThem() throws Exception {
        Path classes = compiled();
        Files.writeString(
                folder.resolve("ids.csv"),
                IntStream.rangeClosed(1, 1000)
                        .mapToObj(String::valueOf)
                        .collect(Collectors.joining("\n", "id\n", "\n")));
        String expected;
        try (Engine here = Engine.local(settings())) {
            expected = run(here, classes);
        }
        assertTrue(expected.contains("Total[size=large, parcels=490"), expected);
        try (Engine there = Engine.connect(workers.url(), settings())) {
            assertEquals(expected, run(there, classes));
            assertEquals(expected, run(there, classes));
        }
    }

    private static final class Zones implements ToMany<Long, String> {
        private transient List<String> lines;
        private transient Path archive;

        @Override
        public void taskBegins(TaskContext context) throws IOException {
            lines = Files.readAllLines(context.attachment("zones"));
            archive = context.attachment("maps");
            context.count("zones", "files opened", 1);
        }

        @Override
        public void apply(Long postcode, Out<String> out) throws IOException {
            out.add(lines.get((int) (postcode % lines.size())) + Files.readString(archive.resolve("maps/north.txt")));
        }
    }

    @Test
    void attachedFilesAndArchivesAreOpenedByName() throws IOException {
        Path zones = Files.writeString(folder.resolve("zones.txt"), "near\nfar\n");
        Path maps = folder.resolve("maps.zip");
        try (ZipOutputStream zip = new ZipOutputStream(Files.newOutputStream(maps))) {
            zip.putNextEntry(new ZipEntry("maps/north.txt"));
            zip.write("!".getBytes(java.nio.charset.StandardCharsets.UTF_8));
            zip.closeEntry();
        }
        String query = "select 4711 as postcode union all select 4712";
        for (boolean elsewhere : new boolean[] {false, true}) {
            try (Engine engine = elsewhere ? Engine.connect(workers.url(), settings()) : Engine.local(settings())) {
                engine.attach("zones", zones).attachArchive("maps", maps);
                Records<String> named = engine.sql(query)
                        .select("cast(postcode as bigint) as p")
                        .as(Long.class)
                        .flatMap(String.class, new Zones());
                assertEquals(List.of("far!", "near!"), named.fetch());
                Run run = named.rows().fetch().run();
                assertEquals(2, run.counter("zones", "files opened"));
                UserMistake missing = assertThrows(
                        UserMistake.class,
                        () -> engine.sql(query)
                                .as(Integer.class)
                                .flatMap(String.class, new Missing())
                                .fetch());
                assertTrue(
                        missing.getMessage().startsWith("nothing is attached as holidays; attached are ["),
                        missing.getMessage());
            }
        }
    }

    private static final class Missing implements ToMany<Integer, String> {
        @Override
        public void taskBegins(TaskContext context) {
            context.attachment("holidays");
        }

        @Override
        public void apply(Integer postcode, Out<String> out) {
            out.add("never");
        }
    }

    /** Takes its time, so that there is some to kill a worker in. */
    private static final class Slow implements Mapper<Long, Long, Long> {
        private transient TaskContext context;

        @Override
        public void taskBegins(TaskContext given) throws InterruptedException {
            context = given;
            Thread.sleep(150);
        }

        @Override
        public void map(Long id, Pairs<Long, Long> out) {
            context.count("ids", "mapped", 1);
            out.add(id % 10, id);
        }
    }

    @Test
    void aKilledWorkerChangesNeitherResultsNorCounters() throws Exception {
        Path ids = Files.createDirectories(folder.resolve("many"));
        for (int file = 0; file < 24; file++) {
            int from = file * 500;
            Files.writeString(
                    ids.resolve("ids-" + file + ".csv"),
                    IntStream.range(from, from + 500)
                            .mapToObj(String::valueOf)
                            .collect(Collectors.joining("\n", "id\n", "\n")));
        }
        try (LocalWorkers own = new LocalWorkers(
                        new LocalWorkers.Options(3, 1, 250 << 20, 100 << 20, folder.resolve("killed")),
                        new Coordinator.Config(null, 0, ClusterAccess.NONE));
                Engine engine = Engine.connect(
                        own.url(), settings().with("split.target", "2kB").with("shuffle.part-target", "0"))) {
            AtomicInteger finished = new AtomicInteger();
            engine.watch(event -> {
                if (event instanceof RunEvent.AttemptFinished && finished.incrementAndGet() == 9) {
                    own.processes().get(1).destroyForcibly();
                }
            });
            Result result = engine.read(ids.toString())
                    .select("cast(id as bigint) as id")
                    .as(Long.class)
                    .mapReduce(Long.class, Long.class, new Slow())
                    .reducers(3)
                    .reduce(Long.class, (digit, all, out) -> {
                        long sum = 0;
                        for (long id : all) {
                            sum += id;
                        }
                        out.add(sum);
                    })
                    .rows()
                    .fetch();
            List<Long> sums =
                    result.rows().stream().map(r -> (Long) r.get(0)).sorted().toList();
            assertEquals(
                    IntStream.range(0, 10)
                            .mapToLong(d -> 1200L * d + 10L * 1199 * 1200 / 2)
                            .boxed()
                            .toList(),
                    sums);
            assertEquals(12_000, result.run().counter("ids", "mapped"));
            assertTrue(finished.get() >= 24);
        }
    }

    @Test
    void whatIsAttachedIsCheckedAtOnce() throws IOException {
        try (Engine engine = Engine.local(settings())) {
            assertThrows(UserMistake.class, () -> engine.attach("none", folder.resolve("not there")));
            Path one = Files.writeString(folder.resolve("one"), "1");
            Path two = Files.writeString(folder.resolve("two"), "2");
            engine.attach("number", one).attach("number", one);
            UserMistake twice = assertThrows(UserMistake.class, () -> engine.attach("number", two));
            assertTrue(twice.getMessage().startsWith("there is an attachment number already"), twice.getMessage());
        }
    }
}
