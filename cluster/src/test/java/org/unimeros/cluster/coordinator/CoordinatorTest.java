package org.unimeros.cluster.coordinator;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import java.io.IOException;
import java.io.OutputStream;
import java.net.Socket;
import java.net.URI;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.MessageDigest;
import java.time.InstantSource;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.HexFormat;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeSet;
import java.util.stream.IntStream;
import java.util.stream.Stream;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.cluster.files.FileRef;
import org.unimeros.cluster.http.ClusterAccess;
import org.unimeros.cluster.http.HttpClient;
import org.unimeros.cluster.http.HttpProblem;
import org.unimeros.cluster.wire.JobMessages.JobEnd;
import org.unimeros.cluster.wire.JobMessages.JobRequest;
import org.unimeros.cluster.wire.JobMessages.JobState;
import org.unimeros.cluster.wire.JobMessages.JobView;
import org.unimeros.cluster.wire.JobMessages.LogLine;
import org.unimeros.cluster.wire.JobMessages.LogPart;
import org.unimeros.cluster.wire.JobMessages.LogPiece;
import org.unimeros.cluster.wire.Messages.Accepted;
import org.unimeros.cluster.wire.Messages.Offer;
import org.unimeros.cluster.wire.Messages.Orders;
import org.unimeros.cluster.wire.Messages.Outcome;
import org.unimeros.cluster.wire.Messages.Report;
import org.unimeros.cluster.wire.Messages.RunView;
import org.unimeros.cluster.wire.Messages.Submission;
import org.unimeros.cluster.wire.Order;
import org.unimeros.cluster.wire.PlanCodec;
import org.unimeros.cluster.wire.RunPlan;
import org.unimeros.cluster.wire.Version;
import org.unimeros.engine.error.Failure;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.run.RunSettings;
import org.unimeros.engine.run.RunSettings.BadRecordPolicy;
import org.unimeros.engine.schedule.AttemptId;
import org.unimeros.engine.stage.PlanSettings;
import org.unimeros.engine.stage.StagePlanner;
import org.unimeros.sql.SqlQuery;

/** What a coordinator answers, to those who know the key and to those who do not. */
class CoordinatorTest {

    private static final ClusterAccess KEY = ClusterAccess.of("a key of this test only");

    private Coordinator coordinator;
    private HttpClient http;

    @BeforeEach
    void start() {
        coordinator = new Coordinator(new Coordinator.Config(null, 0, KEY), InstantSource.system());
        http = new HttpClient(coordinator.start(), KEY, 10_000);
    }

    @AfterEach
    void end() {
        // Made-up workers never say that they have stopped.
        coordinator.workerViews().forEach(w -> http.delete("/v1/workers/" + w.worker()));
        coordinator.close();
    }

    private static Submission submission(String id) {
        RunPlan plan = new RunPlan(
                StagePlanner.forResult(
                        SqlQuery.plan("select 1 as parcels", name -> null), new PlanSettings(1 << 20, 1 << 20, 4)),
                new RunSettings(1, 3, 1 << 20, 1 << 28, BadRecordPolicy.FAIL, 0),
                "bad.txt",
                List.of());
        return new Submission(id, "a test", Map.of(), PlanCodec.write(plan), null);
    }

    private static JobRequest job(String id, boolean onCluster) {
        return new JobRequest(
                id, "totals", "network.DailyTotals", List.of("7"), List.of(), Map.of(), null, 0, onCluster);
    }

    private JobView view(String job) {
        return http.get("/v1/jobs/" + job, JobView.class);
    }

    private static LogPart part(String launcher, long from, String... lines) {
        return new LogPart(
                launcher,
                from,
                Stream.of(lines).map(text -> new LogLine(1, false, text)).toList());
    }

    private List<String> log(String job) {
        return http.get("/v1/jobs/" + job + "/log", LogPiece.class).lines().stream()
                .map(LogLine::text)
                .toList();
    }

    private Accepted worker(String url) {
        return http.post("/v1/workers", new Offer(url, 1, 1, Version.current(), "here", 1), Accepted.class);
    }

    @Test
    void theDocumentDescribesWhatIsAnswered() throws IOException {
        JsonNode document = new ObjectMapper().readTree(http.getBytes("/v1/openapi.json"));
        Set<String> described = new TreeSet<>();
        document.get("paths")
                .properties()
                .forEach(path -> path.getValue()
                        .fieldNames()
                        .forEachRemaining(method -> described.add(method.toUpperCase() + " " + path.getKey())));
        assertEquals(new TreeSet<>(coordinator.routeNames()), described);

        worker("http://127.0.0.1:1");
        http.post("/v1/runs", submission("described"), RunView.class);
        http.post("/v1/jobs", job("described", false), JobView.class);
        for (String path : List.of(
                "/v1/health",
                "/v1/workers",
                "/v1/runs",
                "/v1/runs/described",
                "/v1/runs/described/events",
                "/v1/jobs",
                "/v1/jobs/described",
                "/v1/jobs/described/log")) {
            JsonNode answer = new ObjectMapper().readTree(http.getBytes(path));
            String template = path.replace("runs/described", "runs/{run}").replace("jobs/described", "jobs/{job}");
            JsonNode schema = document.get("paths")
                    .get(template)
                    .get("get")
                    .get("responses")
                    .get("200")
                    .get("content")
                    .get("application/json")
                    .get("schema");
            boolean isList = schema.has("items");
            JsonNode reference = isList ? schema.get("items") : schema;
            String name = reference.get("$ref").asText().replaceAll(".*/", "");
            Set<String> known = new HashSet<>();
            document.get("components")
                    .get("schemas")
                    .get(name)
                    .get("properties")
                    .fieldNames()
                    .forEachRemaining(known::add);
            List<String> members = new ArrayList<>();
            (isList ? answer.get(0) : answer).fieldNames().forEachRemaining(members::add);
            assertTrue(known.containsAll(members), path + " answers " + members + ", described are " + known);
        }
    }

    @Test
    void nobodyWithoutTheKeyGetsIn() {
        HttpClient stranger = new HttpClient(coordinator.url(), ClusterAccess.NONE, 10_000);
        HttpClient other = new HttpClient(coordinator.url(), ClusterAccess.of("a key of another cluster"), 10_000);
        for (HttpClient client : List.of(stranger, other)) {
            for (String path : List.of("/v1/workers", "/v1/runs", "/metrics", "/v1/runs/x/plan")) {
                HttpProblem refused = assertThrows(HttpProblem.class, () -> client.getBytes(path));
                assertEquals(401, refused.status());
                assertFalse(refused.getMessage().contains("a key of"), refused.getMessage());
            }
            HttpProblem refused =
                    assertThrows(HttpProblem.class, () -> client.post("/v1/runs", submission("x"), RunView.class));
            assertEquals(401, refused.status());
        }
        assertTrue(new String(stranger.getBytes("/v1/health"), StandardCharsets.UTF_8).contains("\"coordinator\""));
        assertEquals("a cluster key", KEY.toString());
    }

    @Test
    void otherMachinesMayConnectOnlyWithAKey() {
        UserMistake mistake = assertThrows(
                UserMistake.class,
                () -> new Coordinator(
                        new Coordinator.Config("0.0.0.0", 0, ClusterAccess.NONE), InstantSource.system()));
        assertTrue(mistake.getMessage().contains(ClusterAccess.KEY_VARIABLE), mistake.getMessage());
        assertThrows(UserMistake.class, () -> ClusterAccess.of("short"));
    }

    @Test
    void rubbishIsRefusedWithALine() {
        for (String body : List.of("", "rubbish", "[]", "{\"id\":\"../../x\",\"plan\":\"AAAA\"}", "{\"id\":\"x\"}")) {
            HttpProblem refused = assertThrows(
                    HttpProblem.class,
                    () -> http.call(
                            "POST", "/v1/runs", body.getBytes(StandardCharsets.UTF_8), in -> in.readAllBytes()));
            assertEquals(400, refused.status(), body);
            assertFalse(refused.getMessage().contains("\n"), refused.getMessage());
        }
        byte[] damaged = submission("x").plan();
        damaged[damaged.length / 2]++;
        HttpProblem refused = assertThrows(
                HttpProblem.class,
                () -> http.post("/v1/runs", new Submission("x", "t", Map.of(), damaged, null), RunView.class));
        assertEquals("a message of another process came damaged", refused.getMessage());
        assertEquals(
                404,
                assertThrows(HttpProblem.class, () -> http.getBytes("/v1/runs/../../etc/passwd"))
                        .status());
        assertEquals(
                405,
                assertThrows(HttpProblem.class, () -> http.delete("/v1/runs")).status());
        assertEquals(
                400,
                assertThrows(HttpProblem.class, () -> http.getBytes("/v1/runs/x/events?after=-1"))
                        .status());
        assertEquals(List.of(), coordinator.runViews());
    }

    @Test
    void aBodyThatIsTooLargeIsRefusedBeforeItIsRead() throws IOException {
        URI uri = URI.create(coordinator.url());
        try (Socket socket = new Socket(uri.getHost(), uri.getPort())) {
            OutputStream out = socket.getOutputStream();
            out.write(("POST /v1/runs HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: application/json\r\nAuthorization: "
                            + KEY.header() + "\r\nContent-Length: 99999999999\r\n\r\n{")
                    .getBytes(StandardCharsets.US_ASCII));
            out.flush();
            byte[] answer = new byte[64];
            int n = socket.getInputStream().read(answer);
            assertTrue(
                    new String(answer, 0, n, StandardCharsets.US_ASCII).startsWith("HTTP/1.1 413"),
                    new String(answer, 0, n, StandardCharsets.US_ASCII));
        }
    }

    @Test
    void aWorkerOfAnotherVersionIsNotTaken() {
        Offer old = new Offer("http://127.0.0.1:1", 1, 1, "0.0.1", "here", 1);
        HttpProblem refused = assertThrows(HttpProblem.class, () -> http.post("/v1/workers", old, Accepted.class));
        assertEquals(409, refused.status());
        assertTrue(refused.getMessage().contains("0.0.1"), refused.getMessage());
    }

    @Test
    void ordersAreGivenUntilTheyAreTakenAndReportsCountOnce() {
        Accepted worker = worker("http://127.0.0.1:1");
        http.post("/v1/runs", submission("orders"), RunView.class);
        // A submission that is repeated because its answer was lost is the same run.
        http.post("/v1/runs", submission("orders"), RunView.class);
        assertEquals(1, coordinator.runViews().size());

        String orders = "/v1/workers/" + worker.worker() + "/orders?wait=5000&after=";
        Orders first = http.get(orders + 0, Orders.class);
        assertEquals(first, sameOrders(http.get(orders + 0, Orders.class), first));
        AttemptId attempt = ((Order.Launch) first.orders().get(0)).attempt();
        assertEquals(1, first.last());

        Report failed = new Report(
                "orders",
                attempt,
                Outcome.FAILED,
                null,
                new Failure(Failure.Kind.RESOURCE, "the disk is full"),
                true,
                null,
                List.of());
        String reports = "/v1/workers/" + worker.worker() + "/reports";
        for (int i = 0; i < 5; i++) {
            http.post(reports, List.of(failed));
        }
        Orders second = http.get(orders + 1, Orders.class);
        assertEquals(1, second.orders().size());
        assertEquals(1, ((Order.Launch) second.orders().get(0)).attempt().attempt());
    }

    /** Byte arrays in orders are not compared by what they hold. */
    private static Orders sameOrders(Orders again, Orders first) {
        return again.last() == first.last()
                        && again.orders().size() == first.orders().size()
                ? first
                : again;
    }

    @Test
    void aJobWaitsForAWorkerThatHasRoomAndRunsOnce() {
        http.post("/v1/jobs", job("first", true), JobView.class);
        // A request that is repeated because its answer was lost is the same job.
        http.post("/v1/jobs", job("first", true), JobView.class);
        http.post("/v1/jobs", job("second", true), JobView.class);
        assertEquals("there is no worker", view("first").message());
        assertEquals(2, coordinator.jobViews().size());

        Accepted worker = worker("http://127.0.0.1:1");
        String orders = "/v1/workers/" + worker.worker() + "/orders?wait=5000&after=0";
        Order.StartJob start =
                (Order.StartJob) http.get(orders, Orders.class).orders().get(0);
        assertEquals(view("first").arguments(), start.job().arguments());
        assertEquals(JobState.RUNNING, view("first").state());
        assertEquals(JobState.QUEUED, view("second").state());
        assertEquals(
                "all workers have as many main programs as they take",
                view("second").message());

        http.post("/v1/jobs/first/end", new JobEnd(worker.worker(), 0, null));
        assertEquals(JobState.DONE, view("first").state());
        assertEquals(JobState.RUNNING, view("second").state(), "its turn has come");
        http.delete("/v1/workers/" + worker.worker());
        assertEquals(JobState.FAILED, view("second").state());
        assertTrue(view("second").message().contains("was lost"), view("second").message());
    }

    @Test
    void linesOfAJobAreKeptOnceAndOnlyFromItsLauncher() {
        http.post("/v1/jobs", job("logged", false), JobView.class);
        http.post("/v1/jobs/logged/log", part("client", 0, "one", "two"));
        http.post("/v1/jobs/logged/log", part("client", 1, "two", "three"));
        http.post("/v1/jobs/logged/log", part("client", 0, "one", "two"));
        assertEquals(List.of("one", "two", "three"), log("logged"));
        String endless = "x".repeat(100_000);
        HttpProblem tooLong =
                assertThrows(HttpProblem.class, () -> http.post("/v1/jobs/logged/log", part("client", 3, endless)));
        assertEquals(400, tooLong.status());
        HttpProblem stranger =
                assertThrows(HttpProblem.class, () -> http.post("/v1/jobs/logged/log", part("w1", 3, "four")));
        assertEquals(410, stranger.status());

        http.post("/v1/jobs/logged/cancel", Map.of());
        assertEquals(
                410,
                assertThrows(HttpProblem.class, () -> http.post("/v1/jobs/logged/log", part("client", 3, "four")))
                        .status());
        assertEquals(
                410,
                assertThrows(HttpProblem.class, () -> http.post("/v1/jobs/logged/end", new JobEnd("client", 0, null)))
                        .status());
        assertEquals(JobState.CANCELLED, view("logged").state());
        assertEquals(List.of("one", "two", "three"), log("logged"));
    }

    @Test
    void aLongLogIsReadPieceByPiece() {
        http.post("/v1/jobs", job("long", false), JobView.class);
        String text = "a parcel ".repeat(1000);
        for (int i = 0; i < 100; i++) {
            http.post("/v1/jobs/long/log", part("client", i, i + " " + text));
        }
        List<String> found = new ArrayList<>();
        int pieces = 0;
        LogPiece piece = http.get("/v1/jobs/long/log", LogPiece.class);
        for (; !piece.lines().isEmpty(); pieces++) {
            piece.lines().forEach(line -> found.add(line.text().split(" ")[0]));
            piece = http.get("/v1/jobs/long/log?after=" + piece.next(), LogPiece.class);
        }
        assertEquals(IntStream.range(0, 100).mapToObj(String::valueOf).toList(), found);
        assertTrue(pieces > 2, pieces + " pieces");
    }

    @Test
    void jobsThatMakeNoSenseAreRefused() {
        FileRef unknown = new FileRef("0".repeat(64), "jobs.jar", 5, FileRef.Role.CODE);
        FileRef outside = new FileRef("0".repeat(64), "../jobs.jar", 5, FileRef.Role.CODE);
        List<JobRequest> bad = List.of(
                new JobRequest("../x", null, "a.B", null, null, null, null, 0, false),
                new JobRequest("x", null, "a.B; rm", null, null, null, null, 0, false),
                new JobRequest("x", null, null, null, null, null, null, 0, false),
                new JobRequest("x", null, "a.B", null, null, Map.of("LD_PRELOAD", "x"), null, 0, false),
                new JobRequest("x", null, "a.B", null, List.of(outside), null, null, 0, false),
                new JobRequest("x", null, "a.B", null, List.of(unknown), null, null, 0, true));
        for (JobRequest request : bad) {
            HttpProblem refused = assertThrows(HttpProblem.class, () -> http.post("/v1/jobs", request, JobView.class));
            assertEquals(400, refused.status(), request.toString());
        }
        assertEquals(List.of(), coordinator.jobViews());
        HttpProblem over = assertThrows(
                HttpProblem.class,
                () -> http.post(
                        "/v1/runs",
                        new Submission("r", "t", Map.of(), submission("r").plan(), "nobody"),
                        RunView.class));
        assertEquals(404, over.status());
        assertEquals(List.of(), coordinator.runViews());
    }

    /** Its hash is what a file is asked for with, so that only those know it who have the file or the job. */
    @Test
    void noListingTellsTheHashesOfTheFilesOfOthers(@TempDir Path folder) throws Exception {
        Path file = Files.writeString(folder.resolve("postcodes.csv"), "4711,near\n");
        String hash =
                HexFormat.of().formatHex(MessageDigest.getInstance("SHA-256").digest(Files.readAllBytes(file)));
        http.put("/v1/files/" + hash, file);
        FileRef ref = new FileRef(hash, "postcodes.csv", Files.size(file), FileRef.Role.FILE);
        http.post(
                "/v1/jobs",
                new JobRequest("theirs", null, "a.B", null, List.of(ref), null, null, 0, true),
                JobView.class);
        for (String path :
                List.of("/v1/jobs", "/v1/jobs/theirs", "/v1/jobs/theirs/log", "/v1/runs", "/v1/workers", "/metrics")) {
            String answer = new String(http.getBytes(path), StandardCharsets.UTF_8);
            assertFalse(answer.contains(hash.substring(0, 12)), path + ": " + answer);
        }
        assertArrayEquals(Files.readAllBytes(file), http.getBytes("/v1/files/" + hash));
        assertFalse(http.has("/v1/files/" + "0".repeat(64)));
    }

    @Test
    void aWorkerThatStartsAnewTakesThePlaceOfTheOneItWas() {
        Accepted before = worker("http://127.0.0.1:1");
        Accepted after = worker("http://127.0.0.1:1");
        assertEquals(
                List.of(after.worker()),
                coordinator.workerViews().stream().map(w -> w.worker()).toList());
        HttpProblem gone = assertThrows(
                HttpProblem.class, () -> http.getBytes("/v1/workers/" + before.worker() + "/orders?after=0"));
        assertEquals(410, gone.status());
    }

    @Test
    void figuresCanBeRead() {
        worker("http://127.0.0.1:1");
        String metrics = new String(http.getBytes("/metrics"), StandardCharsets.UTF_8);
        for (String line : metrics.split("\n")) {
            assertTrue(line.matches("# TYPE unimeros_[a-z_]+ (gauge|counter)|unimeros_[a-z_]+ [0-9]+"), line);
        }
        assertTrue(metrics.contains("unimeros_workers 1\n"), metrics);
    }
}
