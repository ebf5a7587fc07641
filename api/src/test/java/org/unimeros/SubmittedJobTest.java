package org.unimeros;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.io.OutputStream;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.OptionalInt;
import java.util.function.BooleanSupplier;
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
import org.unimeros.cluster.wire.JobMessages.JobState;
import org.unimeros.cluster.wire.JobMessages.JobView;
import org.unimeros.cluster.wire.Messages.RunState;
import org.unimeros.cluster.wire.Messages.WorkerView;
import org.unimeros.engine.error.UserMistake;

/** Programs in jars that are launched on workers, or here, and what is said of them. */
@Timeout(180)
class SubmittedJobTest {

    private static final String KEY = "the key of the tests of jobs";

    private static final String PROGRAM = """
            package network;

            import java.nio.file.Files;
            import java.nio.file.Path;
            import java.util.List;
            import org.unimeros.Engine;

            public class Totals {
                public static void main(String[] args) throws Exception {
                    System.out.println("in " + Path.of("").toAbsolutePath());
                    System.err.println("with " + List.of(args));
                    switch (args[0]) {
                        case "run" -> run(args[1]);
                        case "exit" -> System.exit(9);
                        case "throw" -> throw new IllegalStateException("the depot is closed");
                        case "memory" -> System.out.println(new long[1 << 30].length);
                        default -> stay(Path.of(args[1]));
                    }
                }

                private static void run(String argument) throws Exception {
                    try (Engine engine = Engine.open()) {
                        System.out.println("attached " + Files.readString(engine.attachment("zones.txt")));
                        System.out.println("argument " + Files.readString(Path.of(argument)));
                        System.out.println("unpacked " + Files.readString(engine.attachment("more.zip").resolve("a.txt")));
                        engine.define("zone", String.class, String.class, new Zone());
                        System.out.println(engine.sql("select zone('x') as z").fetch().rows());
                        System.out.println(engine.settings().get("split.target"));
                    }
                }

                private static void stay(Path pid) throws Exception {
                    Runtime.getRuntime().addShutdownHook(new Thread(() -> {
                        try {
                            Thread.sleep(300);
                            Files.writeString(Path.of(pid + ".end"), "it had time to end");
                        } catch (Exception e) {
                            e.printStackTrace();
                        }
                    }));
                    Files.writeString(pid, String.valueOf(ProcessHandle.current().pid()));
                    try (Engine engine = Engine.open()) {
                        engine.define("slow", long.class, long.class, (Long x) -> {
                            Thread.sleep(50);
                            return x;
                        });
                        engine.sql("select sum(slow(n)) as s from unnest(series(1, 100000)) as t(n)").fetch();
                    }
                }
            }
            """;

    private static final String FUNCTION = """
            package network;

            import java.nio.file.Files;
            import java.nio.file.Path;
            import org.unimeros.code.Scalar1;
            import org.unimeros.code.TaskContext;

            public class Zone implements Scalar1<String, String> {
                private String zone;

                @Override
                public void taskBegins(TaskContext context) throws Exception {
                    zone = Files.readString(context.attachment("zones.txt"));
                    context.log().log(System.Logger.Level.INFO, "the zones are open");
                }

                @Override
                public String apply(String postcode) {
                    System.out.println("asked for " + postcode);
                    return postcode + " in " + zone;
                }
            }
            """;

    @TempDir
    static Path folder;

    private static LocalWorkers workers;
    private static Path jar;

    @BeforeAll
    static void start() throws IOException {
        workers = new LocalWorkers(
                new LocalWorkers.Options(2, 1, 250 << 20, 100 << 20, folder.resolve("workers")),
                new Coordinator.Config(null, 0, ClusterAccess.of(KEY), 60_000, 60_000, 60_000, null));
        Path sources = Files.createDirectories(folder.resolve("sources"));
        Path classes = Files.createDirectories(folder.resolve("classes"));
        int failed = ToolProvider.getSystemJavaCompiler()
                .run(
                        null,
                        null,
                        null,
                        "-d",
                        classes.toString(),
                        "-cp",
                        System.getProperty("java.class.path"),
                        Files.writeString(sources.resolve("Totals.java"), PROGRAM)
                                .toString(),
                        Files.writeString(sources.resolve("Zone.java"), FUNCTION)
                                .toString());
        assertEquals(0, failed);
        jar = folder.resolve("network-jobs.jar");
        try (Stream<Path> files = Files.walk(classes)) {
            zip(jar, classes, files.filter(Files::isRegularFile).toList());
        }
    }

    private static void zip(Path to, Path from, List<Path> files) throws IOException {
        try (OutputStream out = Files.newOutputStream(to);
                ZipOutputStream zip = new ZipOutputStream(out)) {
            for (Path file : files) {
                zip.putNextEntry(new ZipEntry(from.relativize(file).toString()));
                Files.copy(file, zip);
                zip.closeEntry();
            }
        }
    }

    @AfterAll
    static void end() throws IOException {
        workers.close();
        workers.processes().forEach(process -> process.onExit().join());
        try (Stream<Path> left = Files.list(folder.resolve("workers"))) {
            List<Path> files = left.filter(p -> p.getFileName().toString().startsWith("files-"))
                    .toList();
            assertTrue(files.size() <= 1, "only the one of the worker that was killed: " + files);
        }
    }

    private static Jobs jobs() {
        return Jobs.at(workers.url(), KEY);
    }

    private static JobSpec totals(String... arguments) {
        return JobSpec.jar(jar).mainClass("network.Totals").folder(folder).arguments(List.of(arguments));
    }

    private static JobSpec running() throws IOException {
        Path zones = Files.writeString(folder.resolve("zones.txt"), "north");
        Path one = Files.writeString(folder.resolve("a.txt"), "from an archive");
        Path archive = folder.resolve("more.zip");
        zip(archive, folder, List.of(one));
        return totals("run", "{attached:zones.txt}")
                .attach(zones)
                .attach(archive)
                .set("split.target", "7MB");
    }

    /** What a program writes. */
    private static final class Log implements Job.Lines {
        private final List<String> out = new ArrayList<>();
        private final List<String> errors = new ArrayList<>();

        @Override
        public synchronized void line(String text, boolean error) {
            (error ? errors : out).add(text);
        }
    }

    private static JobView view(String id) {
        return workers.coordinator().jobViews().stream()
                .filter(j -> j.id().equals(id))
                .findFirst()
                .orElseThrow();
    }

    private static void await(String what, BooleanSupplier condition) throws InterruptedException {
        long until = System.nanoTime() + 30_000_000_000L;
        while (!condition.getAsBoolean()) {
            assertTrue(System.nanoTime() < until, "not in 30 seconds: " + what);
            Thread.sleep(20);
        }
    }

    private static long pid(Path file) throws IOException, InterruptedException {
        await("the program to begin", () -> Files.exists(file));
        await("its process id", () -> file.toFile().length() > 0);
        return Long.parseLong(Files.readString(file));
    }

    private static List<String> expected() {
        return List.of(
                "in " + folder.toAbsolutePath(),
                "attached north",
                "argument north",
                "unpacked from an archive",
                "[x in north]",
                "7MB");
    }

    @Test
    void aProgramRunsOnAWorkerWithItsFilesAndClasses() throws IOException {
        Log log = new Log();
        Job job = jobs().submit(running().name("totals"));
        Job.End end = job.follow(log);
        assertEquals(new Job.End("done", OptionalInt.of(0), null), end, log.errors.toString());
        assertEquals(expected(), log.out);
        // What tasks print on workers is told by the program that asked for the run.
        assertTrue(log.errors.contains("asked for x"), log.errors.toString());
        assertTrue(log.errors.stream().anyMatch(l -> l.contains("the zones are open")), log.errors.toString());
        JobView view = view(job.id());
        assertEquals("totals", view.name());
        assertEquals(1, view.runs().size());
        assertEquals(
                job.id(),
                workers.coordinator().runViews().stream()
                        .filter(r -> r.id().equals(view.runs().get(0)))
                        .findFirst()
                        .orElseThrow()
                        .job());
        // Its log can be read again.
        Log again = new Log();
        assertEquals(end, jobs().find(job.id()).orElseThrow().follow(again));
        assertEquals(log.out, again.out);
        assertEquals(log.errors, again.errors);
    }

    @Test
    void aProgramRunsHereAsWell() throws IOException {
        Log log = new Log();
        Job.End end = jobs().runHere(running(), log);
        assertEquals(new Job.End("done", OptionalInt.of(0), null), end, log.errors.toString());
        assertEquals(expected(), log.out);
        assertTrue(workers.coordinator().jobViews().stream()
                .anyMatch(j -> "client".equals(j.place()) && j.runs().size() == 1));
    }

    @Test
    void whatGoesWrongIsToldApartByTheExitCode() {
        Log log = new Log();
        Job.End exit = jobs().submit(totals("exit")).follow(log);
        assertEquals(OptionalInt.of(9), exit.exitCode());
        assertEquals("its main program ended with exit code 9", exit.message());
        Job.End thrown = jobs().submit(totals("throw")).follow(log);
        assertEquals(OptionalInt.of(1), thrown.exitCode());
        assertTrue(log.errors.toString().contains("the depot is closed"), log.errors.toString());
        Job.End memory =
                jobs().submit(totals("memory").set("main.memory", "64MB")).follow(log);
        assertEquals(OptionalInt.of(5), memory.exitCode());
        assertTrue(memory.message().contains("no memory left"), memory.message());
        Job.End mistake = jobs().submit(totals("run", "x")).follow(log);
        assertEquals(OptionalInt.of(3), mistake.exitCode());
        assertEquals(
                "its main program ended with exit code 3: nothing is attached as zones.txt; attach files before the"
                        + " job runs",
                mistake.message());
        Job.End noClass =
                jobs().submit(totals("run").mainClass("network.Nothing")).follow(log);
        assertTrue(noClass.message().contains("there is no class network.Nothing"), noClass.message());
        Job.End noFile = jobs().submit(totals("run", "{attached:other.txt}")).follow(log);
        assertTrue(noFile.message().contains("{attached:other.txt}"), noFile.message());
    }

    @Test
    void mistakesAreFoundBeforeAnythingIsLaunched() throws IOException {
        UserMistake noMain = assertThrows(UserMistake.class, () -> jobs().submit(JobSpec.jar(jar)));
        assertEquals(
                "network-jobs.jar names no main class; name one with --main, perhaps network.Totals",
                noMain.getMessage());
        assertThrows(UserMistake.class, () -> JobSpec.jar(folder.resolve("nothing.jar")));
        Path text = Files.writeString(folder.resolve("text.jar"), "text");
        assertThrows(UserMistake.class, () -> JobSpec.jar(text));
        assertThrows(UserMistake.class, () -> totals().attach(folder));
        assertThrows(UserMistake.class, () -> totals().set("split.tarket", "1MB"));
        assertThrows(UserMistake.class, () -> Jobs.at(workers.url(), null).submit(totals("exit")));
    }

    @Test
    void aJobThatIsCancelledEndsWithItsProgramAndRuns() throws Exception {
        Path file = folder.resolve("cancelled.pid");
        Job job = jobs().submit(totals("stay", file.toString()));
        long pid = pid(file);
        await("its run", () -> !view(job.id()).runs().isEmpty());
        job.cancel();
        assertEquals(JobState.CANCELLED, view(job.id()).state());
        await("the end of its program", () -> ProcessHandle.of(pid).isEmpty());
        assertEquals("it had time to end", Files.readString(Path.of(file + ".end")));
        String run = view(job.id()).runs().get(0);
        await(
                "the end of its run",
                () -> workers.coordinator().runViews().stream()
                        .anyMatch(r -> r.id().equals(run) && r.state() == RunState.CANCELLED));
    }

    /** The program must not go on without anybody who would end it. */
    @Test
    void aProgramEndsWithItsWorker() throws Exception {
        workers.startWorker();
        await("a third worker", () -> workers.coordinator().workerViews().size() == 3);
        Path file = folder.resolve("lost.pid");
        Job job = jobs().submit(totals("stay", file.toString()));
        long pid = pid(file);
        String place = view(job.id()).place();
        WorkerView worker = workers.coordinator().workerViews().stream()
                .filter(w -> w.worker().equals(place))
                .findFirst()
                .orElseThrow();
        ProcessHandle.of(worker.pid()).orElseThrow().destroyForcibly();
        await("the end of its program", () -> ProcessHandle.of(pid).isEmpty());
        Job.End end = job.follow(new Log());
        assertEquals("failed", end.state());
        assertTrue(end.message().contains("was lost"), end.message());
        assertFalse(end.exitCode().isPresent());
    }
}
