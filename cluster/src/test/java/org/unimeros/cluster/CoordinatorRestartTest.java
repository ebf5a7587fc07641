package org.unimeros.cluster;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.BufferedReader;
import java.io.IOException;
import java.io.InputStreamReader;
import java.io.UncheckedIOException;
import java.net.InetAddress;
import java.net.ServerSocket;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.InstantSource;
import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import java.util.Map;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.function.Predicate;
import java.util.stream.IntStream;
import java.util.stream.Stream;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.cluster.client.CoordinatorClient;
import org.unimeros.cluster.client.RemoteRunner;
import org.unimeros.cluster.files.JobPack;
import org.unimeros.cluster.http.ClusterAccess;
import org.unimeros.cluster.wire.JobMessages.JobRequest;
import org.unimeros.cluster.wire.JobMessages.JobState;
import org.unimeros.cluster.wire.JobMessages.LogLine;
import org.unimeros.cluster.worker.WorkerProcess;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.fault.ScriptedTable;
import org.unimeros.engine.fault.ScriptedTable.Deed;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.run.RunEvent;
import org.unimeros.engine.run.RunOutcome;
import org.unimeros.engine.spill.Chunk;
import org.unimeros.engine.spill.ProcessSpace;
import org.unimeros.engine.stage.PhysicalPlan;
import org.unimeros.storage.commit.DatasetFolder;
import org.unimeros.storage.commit.DatasetSink;
import org.unimeros.storage.commit.WriteMode;
import org.unimeros.storage.commit.WriteSpec;
import org.unimeros.storage.dataset.Formats;
import org.unimeros.storage.format.FormatOptions;
import org.unimeros.storage.scratch.ScratchFolder;
import org.unimeros.storage.store.StorePath;

/** A coordinator that is killed, at any stage of a run, and started again goes on with what its workers hold. */
@Timeout(180)
class CoordinatorRestartTest {

    private static final int SPLITS = 10;
    private static final int ROWS = 5_000;

    private static final ClusterAccess KEY = ClusterAccess.random();

    @TempDir
    static Path shared;

    @TempDir
    Path folder;

    private static final List<Process> WORKERS = new ArrayList<>();
    private static Process coordinator;
    private static int port;
    private static String url;

    private final List<RunEvent> events = Collections.synchronizedList(new ArrayList<>());

    @BeforeAll
    static void start() throws IOException {
        try (ServerSocket free = new ServerSocket(0, 1, InetAddress.getLoopbackAddress())) {
            port = free.getLocalPort();
        }
        startCoordinator();
        for (int i = 0; i < 2; i++) {
            WORKERS.add(process(
                    WorkerProcess.class,
                    "coordinator=" + url,
                    "slots=1",
                    "programs=1",
                    "memory=100000000",
                    "scratch=" + shared.resolve("scratch")));
        }
        CoordinatorClient client = new CoordinatorClient(url, KEY);
        TestCluster.await("two workers", () -> client.workers().size() == 2);
    }

    @AfterAll
    static void end() throws IOException {
        for (Process worker : WORKERS) {
            worker.getOutputStream().close();
            TestCluster.await("the end of a worker", () -> !worker.isAlive());
        }
        coordinator.destroyForcibly();
    }

    private static Process process(Class<?> main, String... arguments) {
        List<String> command = new ArrayList<>(List.of(
                Path.of(System.getProperty("java.home"), "bin", "java").toString(),
                "-Xmx200m",
                "-XX:+UseSerialGC",
                "--enable-native-access=ALL-UNNAMED",
                "-cp",
                System.getProperty("java.class.path"),
                main.getName()));
        command.addAll(List.of(arguments));
        ProcessBuilder builder = new ProcessBuilder(command);
        KEY.passOn(builder.environment());
        builder.redirectError(ProcessBuilder.Redirect.DISCARD);
        try {
            return builder.start();
        } catch (IOException e) {
            throw new UncheckedIOException(e);
        }
    }

    private static void startCoordinator() {
        coordinator = process(
                CoordinatorProcess.class,
                String.valueOf(port),
                shared.resolve("journal").toString());
        try {
            url = new BufferedReader(new InputStreamReader(coordinator.getInputStream(), StandardCharsets.UTF_8))
                    .readLine();
        } catch (IOException e) {
            throw new UncheckedIOException(e);
        }
    }

    private static void restart() {
        coordinator.destroyForcibly();
        TestCluster.await("the end of the coordinator", () -> !coordinator.isAlive());
        startCoordinator();
    }

    private Plan scans() {
        return new ScriptedTable(SPLITS, ROWS, -1, Deed.WAIT, 100, folder).scan();
    }

    /** Kills and starts the coordinator with every event that fits, as often as is said. */
    private RunOutcome run(PhysicalPlan plan, String id, int times, Predicate<RunEvent> when) {
        AtomicInteger left = new AtomicInteger(times);
        RunOutcome outcome = new RemoteRunner(
                        plan,
                        TestCluster.RUNS,
                        event -> {
                            events.add(event);
                            if (when.test(event) && left.getAndDecrement() > 0) {
                                restart();
                            }
                        },
                        InstantSource.system(),
                        folder.resolve("bad.txt").toString(),
                        new ScratchFolder(folder.resolve("client")),
                        new ProcessSpace(64 << 20, 1),
                        url,
                        KEY,
                        60_000,
                        null,
                        new JobPack())
                .run(id, "a test", Map.of());
        assertTrue(left.get() <= 0, "the coordinator was not killed");
        return outcome;
    }

    private void assertRight(Predicate<RunEvent> when, int times) {
        PhysicalPlan plan = TestCluster.physical(
                "select depot, sum(parcel) as parcels from scans group by depot order by depot",
                Map.of("scans", scans()));
        RunOutcome outcome = run(plan, TestCluster.newId(), times, when);
        List<Long> sums = new ArrayList<>();
        for (Chunk chunk : outcome.chunks()) {
            LongColumn column = (LongColumn) chunk.load().column(1);
            for (int i = 0; i < chunk.rows(); i++) {
                sums.add(column.values()[i]);
            }
        }
        outcome.workspace().close();
        long count = (long) SPLITS * ROWS / 10;
        List<Long> expected = new ArrayList<>();
        for (long depot = 0; depot < 10; depot++) {
            expected.add(depot * count + 10 * (count * (count - 1) / 2));
        }
        assertEquals(expected, sums);
        assertEquals(
                SPLITS,
                events.stream()
                        .filter(e -> e instanceof RunEvent.AttemptFinished f
                                && f.attempt().stage() == 1)
                        .count(),
                "tasks that were done are not done again");
        assertTrue(events.stream().noneMatch(RunEvent.WorkerLost.class::isInstance), "no worker is lost");
    }

    @Test
    void itGoesOnWhileTheFirstStageRuns() {
        assertRight(
                event -> event instanceof RunEvent.AttemptFinished f
                        && f.attempt().stage() == 1,
                2);
    }

    @Test
    void itGoesOnBetweenStages() {
        assertRight(event -> event instanceof RunEvent.StageFinished, 3);
    }

    @Test
    void itGoesOnWithARunThatHasJustBegun() {
        assertRight(event -> event instanceof RunEvent.WorkerJoined, 1);
    }

    @Test
    void itGoesOnWithAResultThatIsReady() {
        assertRight(event -> event instanceof RunEvent.StageFinished s && s.stage() == 3, 1);
    }

    @Test
    void aRunThatBeginsWhileTheCoordinatorIsAwayWaitsForItAndSaysSo() {
        coordinator.destroyForcibly();
        TestCluster.await("the end of the coordinator", () -> !coordinator.isAlive());
        assertRight(
                event -> event instanceof RunEvent.Warning w && w.message().contains("waiting for the coordinator"), 1);
    }

    @Test
    void whatIsWrittenIsWrittenOnce() throws IOException {
        Path out = folder.resolve("out");
        WriteSpec spec = new WriteSpec(
                StorePath.of(out), new Formats().byName("csv"), FormatOptions.DEFAULTS, List.of(), WriteMode.FAIL);
        DatasetSink sink = new DatasetSink(spec, scans().schema(), "written");
        PhysicalPlan plan = TestCluster.writing("select parcel, depot from scans", Map.of("scans", scans()), sink);
        run(
                plan,
                "written",
                3,
                event -> event instanceof RunEvent.AttemptFinished || event instanceof RunEvent.StageFinished);
        long lines = 0;
        for (var file : new DatasetFolder(StorePath.of(out)).list()) {
            lines += Files.readAllLines(Path.of(file.toString())).size() - 1;
        }
        assertEquals((long) SPLITS * ROWS, lines);
        try (Stream<Path> left = Files.list(out.resolve("_unimeros").resolve("staging"))) {
            assertEquals(List.of(), left.toList());
        }
    }

    /** Writes a line for every file that comes, until there is one called {@code end}. */
    public static final class Talkative {
        private Talkative() {}

        public static void main(String[] args) throws InterruptedException {
            Path folder = Path.of(args[0]);
            for (int i = 0; !Files.exists(folder.resolve("end")); i++) {
                while (!Files.exists(folder.resolve("line-" + i)) && !Files.exists(folder.resolve("end"))) {
                    Thread.sleep(5);
                }
                System.out.println("line " + i);
            }
        }
    }

    @Test
    void aJobThatIsSubmittedWhileTheCoordinatorIsAwayWaitsForItAndSaysSo() throws IOException {
        coordinator.destroyForcibly();
        TestCluster.await("the end of the coordinator", () -> !coordinator.isAlive());
        Files.createFile(folder.resolve("end"));
        JobRequest job = new JobRequest(
                "early",
                null,
                Talkative.class.getName(),
                List.of(folder.toString()),
                List.of(),
                Map.of(),
                null,
                64 << 20,
                true);
        List<String> told = new ArrayList<>();
        CoordinatorClient client = new CoordinatorClient(url, KEY);
        client.submit(job, new JobPack(), line -> {
            told.add(line);
            startCoordinator();
        });
        assertEquals(1, told.size());
        assertTrue(told.get(0).contains("does not answer") && told.get(0).contains("up to 60 s"), told.get(0));
        TestCluster.await(
                "the end of the job",
                () -> client.job("early").orElseThrow().state().isEnded());
    }

    @Test
    void jobsGoOnWithAllTheirLinesAndThoseThatWaitAreLaunched() throws IOException {
        CoordinatorClient client = new CoordinatorClient(url, KEY);
        for (int i = 1; i <= 3; i++) {
            JobRequest job = new JobRequest(
                    "restarted-" + i,
                    null,
                    Talkative.class.getName(),
                    List.of(folder.toString()),
                    List.of(),
                    Map.of(),
                    null,
                    64 << 20,
                    true);
            client.submit(job, new JobPack(), waiting -> {});
        }
        assertEquals(JobState.QUEUED, client.job("restarted-3").orElseThrow().state(), "each worker takes one");
        for (int i = 0; i < 10; i++) {
            if (i % 3 == 1) {
                restart();
            }
            Files.createFile(folder.resolve("line-" + i));
        }
        for (int i = 1; i <= 2; i++) {
            int job = i;
            TestCluster.await("the last line", () -> lines(client, job).contains("line 9"));
        }
        Files.createFile(folder.resolve("end"));
        for (int i = 1; i <= 3; i++) {
            String id = "restarted-" + i;
            TestCluster.await(
                    "the end of " + id,
                    () -> client.job(id).orElseThrow().state().isEnded());
            assertEquals(JobState.DONE, client.job(id).orElseThrow().state());
        }
        List<String> expected =
                IntStream.rangeClosed(0, 10).mapToObj(i -> "line " + i).toList();
        assertEquals(expected, lines(client, 1));
        assertEquals(expected, lines(client, 2));
    }

    private static List<String> lines(CoordinatorClient client, int job) {
        return client.log("restarted-" + job, 0, 0).lines().stream()
                .filter(line -> !line.error())
                .map(LogLine::text)
                .toList();
    }

    @Test
    void aSecondCoordinatorDoesNotGetTheJournal() throws IOException {
        Process second =
                process(CoordinatorProcess.class, "0", shared.resolve("journal").toString());
        try (BufferedReader out =
                new BufferedReader(new InputStreamReader(second.getInputStream(), StandardCharsets.UTF_8))) {
            assertEquals(null, out.readLine());
        }
        assertEquals(2, new CoordinatorClient(url, KEY).workers().size());
    }
}
