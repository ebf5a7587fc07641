package org.unimeros.cli;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import java.io.IOException;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse.BodyHandlers;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.InstantSource;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.cli.Commands.Result;
import org.unimeros.cluster.coordinator.Coordinator;
import org.unimeros.cluster.coordinator.RunPages;
import org.unimeros.cluster.http.ClusterAccess;
import org.unimeros.cluster.worker.Worker;

/** Commands that ask a coordinator, as a person calls them. */
class ClusterCommandTest {

    private static final String KEY = "a key of this test only";

    @TempDir
    static Path root;

    private static Coordinator coordinator;
    private static Worker worker;
    private static String url;

    @BeforeAll
    static void start() throws IOException {
        Files.writeString(root.resolve("depots.csv"), "depot,city\n1,Rübenfeld\n2,Lindental\n3,Rübenfeld\n");
        coordinator = new Coordinator(new Coordinator.Config(null, 0, ClusterAccess.of(KEY)), InstantSource.system());
        url = coordinator.start();
        worker = new Worker(
                new Worker.Config(url, null, null, 0, 2, 2, 100 << 20, root.resolve("scratch"), ClusterAccess.of(KEY)));
        worker.start();
    }

    @AfterAll
    static void end() {
        worker.close();
        coordinator.close();
    }

    private static Result run(String... args) {
        return Commands.run(
                Terminal.NONE,
                Map.of(
                        "UNIMEROS_RUNS_FOLDER",
                        root.resolve("runs").toString(),
                        "UNIMEROS_CLUSTER_KEY",
                        KEY,
                        "UNIMEROS_COORDINATOR",
                        url),
                args);
    }

    @Test
    void workersAndRunsAreListed() {
        Result workers = run("workers");
        assertEquals(0, workers.code(), workers.err());
        assertTrue(workers.out().contains("0 of 2"), workers.out());
        assertTrue(run("workers", "--json")
                .out()
                .startsWith("{\"worker\":\"w1\",\"state\":\"ready\",\"running\":0,\"slots\":2"));
        Result runs = run("runs");
        assertEquals(0, runs.code());
        assertEquals("", runs.out());
        assertEquals("no run is under way, and none was in the last hour\n", runs.err());
        assertEquals("", run("runs", "--json").out());
    }

    @Test
    void aBrowserSeesTheRunsOfACoordinator() throws Exception {
        String query =
                "select city, count(*) as depots from dataset('" + root.resolve("depots.csv") + "') group by city";
        Path records = root.resolve("pages");
        RunPages pages = new RecordedRuns(records, complaint -> assertEquals("", complaint));
        Coordinator.Config config = new Coordinator.Config(null, 0, ClusterAccess.NONE).withPages(pages);
        try (Coordinator open = new Coordinator(config, InstantSource.system())) {
            String address = open.start();
            try (Worker one = new Worker(new Worker.Config(
                    address, null, null, 0, 1, 1, 100 << 20, root.resolve("scratch2"), ClusterAccess.NONE))) {
                one.start();
                Result ran = run("query", "--coordinator", address, query);
                assertEquals(0, ran.code(), ran.err());
                Result link = run("page", "--coordinator", address);
                assertEquals(address + "/\n", link.out(), link.err());
                HttpClient browser = HttpClient.newHttpClient();
                assertTrue(get(browser, link.out().strip()).contains("data-cluster"));
                JsonNode cluster = new ObjectMapper().readTree(get(browser, address + "/cluster"));
                assertEquals("w1", cluster.at("/workers/0/worker").asText());
                JsonNode runs = new ObjectMapper().readTree(get(browser, address + "/runs"));
                assertEquals(1, runs.size());
                assertEquals("done", runs.at("/0/state").asText());
                assertTrue(runs.at("/0/title").asText().startsWith("select city"), runs.toString());
                String run = runs.at("/0/run").asText();
                assertTrue(get(browser, address + "/run/" + run).contains("data-live=\"" + run + "/data\""));
                JsonNode data = new ObjectMapper().readTree(get(browser, address + "/run/" + run + "/data"));
                assertEquals(2, data.at("/rows").asInt());
                assertTrue(run("diagnose", records.resolve(run + ".jsonl").toString())
                        .out()
                        .contains("rows"));
            }
        }
    }

    @Test
    void aLinkToPagesIsMadeForWhoHasTheKey() {
        Result none = run("page", "--coordinator", url);
        assertEquals(ExitCode.USER_MISTAKE, none.code());
        assertTrue(none.err().contains("this coordinator shows no pages"), none.err());
        Result both = run("page", "last", "--coordinator", url);
        assertEquals(ExitCode.USER_MISTAKE, both.code());
        assertTrue(both.err().contains("give --coordinator alone"), both.err());
    }

    private static String get(HttpClient browser, String address) throws Exception {
        var answer = browser.send(HttpRequest.newBuilder(URI.create(address)).build(), BodyHandlers.ofString());
        assertEquals(200, answer.statusCode(), answer.body());
        return answer.body();
    }

    @Test
    void aCoordinatorWithoutWorkersSaysSo() {
        try (Coordinator alone =
                new Coordinator(new Coordinator.Config(null, 0, ClusterAccess.NONE), InstantSource.system())) {
            Result result = Commands.run(Terminal.NONE, Map.of(), "workers", "--coordinator", alone.start());
            assertEquals(0, result.code());
            assertEquals("", result.out());
            assertEquals("no worker is there; start one with: unimeros worker --coordinator URL\n", result.err());
        }
    }

    @Test
    void aWrongKeyAMissingCoordinatorAndAnUnknownRunAreOneLineEach() {
        Result noKey = Commands.run(Terminal.NONE, Map.of(), "workers", "--coordinator", url);
        assertEquals(3, noKey.code());
        assertEquals(
                "unimeros: the coordinator at " + url + " refuses: the cluster key is missing or wrong; set"
                        + " UNIMEROS_CLUSTER_KEY\n",
                noKey.err());
        Result nowhere = Commands.run(Terminal.NONE, Map.of(), "runs", "--coordinator", "http://127.0.0.1:1");
        assertEquals(5, nowhere.code());
        assertTrue(
                nowhere.err().startsWith("unimeros: the coordinator does not answer: no answer from"), nowhere.err());
        Result unsaid = Commands.run(Terminal.NONE, Map.of(), "jobs");
        assertEquals(3, unsaid.code());
        assertTrue(unsaid.err().contains("--coordinator http://host:port"), unsaid.err());
        Result unknown = run("cancel", "nothing");
        assertEquals(3, unknown.code());
        assertEquals(
                "unimeros: there is no job or run nothing; `unimeros jobs` and `unimeros runs` list them\n",
                unknown.err());
        assertEquals(3, run("workers", "--coordinator", "depot-1").code());
    }

    @Test
    void aQueryWaitsForACoordinatorThatDoesNotAnswerAsLongAsItIsTold() {
        Result result = run(
                "query",
                "--coordinator",
                "http://127.0.0.1:1",
                "--set",
                "coordinator.wait=1s",
                "select count(*) as n from dataset('" + root + "/depots.csv')");
        assertEquals(5, result.code());
        String[] said = result.err().split("\n");
        assertEquals(
                "warning: no answer from http://127.0.0.1:1: Connection refused; waiting for the coordinator, up to 1 s",
                said[0]);
        assertTrue(
                said[1].startsWith("unimeros: the coordinator at http://127.0.0.1:1 does not answer:"), result.err());
    }

    @Test
    void aCoordinatorForEveryoneNeedsAKeyAndAClusterNeedsAWorker() {
        Result open =
                Commands.run(Terminal.NONE, Map.of(), "coordinator", "--host", "0.0.0.0", "--journal", root + "/j");
        assertEquals(3, open.code());
        assertTrue(open.err().contains("without a cluster key only this machine may connect"), open.err());
        assertEquals(3, run("cluster", "--workers", "0").code());
        Result taken = run("coordinator", "--port", url.replaceAll(".*:", ""), "--journal", root + "/k");
        assertEquals(5, taken.code());
        assertTrue(taken.err().contains("choose another port"), taken.err());
    }

    @Test
    void aJournalBelongsToOneCoordinator() {
        Coordinator.Config config = new Coordinator.Config(null, 0, ClusterAccess.NONE);
        try (Coordinator first = new Coordinator(config.withJournal(root.resolve("journal")), InstantSource.system())) {
            Result second =
                    Commands.run(Terminal.NONE, Map.of(), "coordinator", "--port", "0", "--journal", root + "/journal");
            assertEquals(3, second.code());
            assertTrue(second.err().contains(root + "/journal"), second.err());
            assertEquals(List.of(), first.runViews());
        }
    }

    @Test
    void aCertificateThatCannotBeReadIsOneLine() {
        Result result = Commands.run(
                Terminal.NONE,
                Map.of("UNIMEROS_TLS_AUTHORITIES", root + "/missing.pem"),
                "workers",
                "--coordinator",
                "https://127.0.0.1:1");
        assertEquals(3, result.code());
        assertEquals(1, result.err().lines().count(), result.err());
        assertTrue(result.err().contains(root + "/missing.pem"), result.err());
    }
}
