package org.unimeros.insight.page;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import java.io.InputStream;
import java.io.OutputStream;
import java.io.RandomAccessFile;
import java.net.Socket;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.net.http.HttpResponse.BodyHandlers;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.insight.RunFolder;

/** What the server of pages gives, and to whom. */
class PageServerTest {

    private static final ObjectMapper JSON = new ObjectMapper();

    @TempDir
    Path folder;

    private final HttpClient client = HttpClient.newHttpClient();
    private PageServer server;

    @BeforeEach
    void start() {
        server = new PageServer(new RunFolder(folder), Map.of(), 0);
    }

    @AfterEach
    void stop() {
        server.close();
    }

    private HttpResponse<String> get(String address) throws Exception {
        return client.send(HttpRequest.newBuilder(URI.create(address)).build(), BodyHandlers.ofString());
    }

    @Test
    void onlyWhoKnowsTheAddressSeesAnything() throws Exception {
        PageRuns.record(PageRuns.healthy(), true, folder.resolve("r-7.jsonl"));
        String root = server.url().replaceFirst("[0-9a-f]{32}/$", "");
        for (String other :
                List.of("", "runs", "run/r-7", "run/r-7/data", "0".repeat(32) + "/", "0".repeat(32) + "/runs")) {
            HttpResponse<String> answer = get(root + other);
            assertEquals(404, answer.statusCode(), other);
            assertFalse(answer.body().contains("made up"), other);
        }
        assertEquals(200, get(server.url() + "runs").statusCode());
        assertEquals(200, get(server.url("r-7")).statusCode());
    }

    /** A run in memory takes more than its record, and whoever serves pages may do more than that. */
    @Test
    void aRecordThatIsFarTooLargeIsNotRead() throws Exception {
        PageRuns.record(PageRuns.healthy(), true, folder.resolve("r-7.jsonl"));
        try (RandomAccessFile file =
                new RandomAccessFile(folder.resolve("r-8.jsonl").toFile(), "rw")) {
            // Without blocks on the disk.
            file.setLength(Runtime.getRuntime().maxMemory() / 8 + 1);
        }
        HttpResponse<String> answer = get(server.url("r-8"));
        assertEquals(500, answer.statusCode());
        assertTrue(answer.body().contains("too many for this process to show it; unimeros report"), answer.body());
        JsonNode runs = JSON.readTree(get(server.url() + "runs").body());
        assertEquals(2, runs.size());
        assertTrue(runs.findValue("wrong").asText().contains("too many"), runs.toString());
        assertEquals(200, get(server.url("r-7")).statusCode());
    }

    @Test
    void runsThatWereLookedAtLongestAgoAreForgottenWhereAllAreTooMany() throws Exception {
        for (String run : List.of("r-7", "r-8")) {
            PageRuns.record(PageRuns.healthy(), true, folder.resolve(run + ".jsonl"));
        }
        long bytes = Files.size(folder.resolve("r-7.jsonl"));
        PageSite roomForOne = new PageSite(new RunFolder(folder), Map.of(), false, bytes + 7);
        for (String run : List.of("r-7", "r-8", "r-7", "r-8")) {
            assertEquals(200, roomForOne.get("run/" + run, null).status(), run);
            assertEquals(200, roomForOne.get("run/" + run + "/data", "seen=1").status(), run);
        }
        PageSite roomForNone = new PageSite(new RunFolder(folder), Map.of(), false, bytes - 1);
        assertEquals(500, roomForNone.get("run/r-7", null).status());
    }

    /** A page of somewhere else can give this address a name of its own, but not say another one in its request. */
    @Test
    void aRequestForAnotherHostIsRefused() throws Exception {
        URI own = URI.create(server.url());
        try (Socket socket = new Socket("127.0.0.1", own.getPort())) {
            OutputStream out = socket.getOutputStream();
            out.write(("GET " + own.getPath() + "runs HTTP/1.1\r\nHost: parcels.example:" + own.getPort()
                            + "\r\nConnection: close\r\n\r\n")
                    .getBytes(StandardCharsets.US_ASCII));
            InputStream in = socket.getInputStream();
            String answer = new String(in.readAllBytes(), StandardCharsets.UTF_8);
            assertTrue(answer.startsWith("HTTP/1.1 404"), answer);
        }
    }

    @Test
    void namesThatLeaveTheFolderAreNoRuns() throws Exception {
        Files.writeString(folder.resolveSibling("secret.jsonl"), "{}\n");
        for (String name : List.of("..%2Fsecret", "../secret", "%2e%2e/secret", "never", "r-7/other")) {
            assertEquals(404, get(server.url(name)).statusCode(), name);
        }
    }

    @Test
    void runsAreListedAndOneThatIsBrokenDoesNotHideOthers() throws Exception {
        assertEquals("[]", get(server.url() + "runs").body());
        PageRuns.record(PageRuns.parcels("scans of shippers"), true, folder.resolve("r-7.jsonl"));
        Files.writeString(folder.resolve("broken.jsonl"), "parcels\nscans\n");
        JsonNode runs = JSON.readTree(get(server.url() + "runs").body());
        assertEquals(2, runs.size());
        JsonNode good = runs.get(0).has("wrong") ? runs.get(1) : runs.get(0);
        JsonNode broken = runs.get(0).has("wrong") ? runs.get(0) : runs.get(1);
        assertEquals("scans of shippers", good.get("title").asText());
        assertEquals(
                "one of 6 tasks of stage 3 took 8.0 s, the middle one 170 ms",
                good.get("finding").asText());
        assertTrue(broken.get("wrong").asText().contains("not a line of a run record"), broken.toString());
        Files.move(folder.resolve("r-7.jsonl"), folder.resolve("renamed.jsonl"));
        String renamed = get(server.url() + "runs").body();
        assertTrue(renamed.contains("\"run\":\"renamed\""), "a record is found by the name of its file: " + renamed);
        HttpResponse<String> page = get(server.url("broken"));
        assertEquals(500, page.statusCode());
        assertTrue(page.body().endsWith("broken.jsonl:1: not a line of a run record\n"), page.body());
    }

    @Test
    void aPageIsToldWhatIsNewAndNothingElse() throws Exception {
        Path record = folder.resolve("r-7.jsonl");
        PageRuns.record(PageRuns.parcels("scans of shippers"), false, record);
        List<String> lines = Files.readAllLines(record);
        Files.writeString(
                record,
                String.join("\n", lines.subList(0, 20)) + "\n" + lines.get(20).substring(0, 9));
        PageRuns.leave(record);
        JsonNode first = JSON.readTree(get(server.url("r-7") + "/data").body());
        assertEquals(20, first.get("seen").asInt(), "a line that is not whole is not read");
        assertTrue(first.get("gone").asBoolean());
        assertEquals(204, get(server.url("r-7") + "/data?seen=20").statusCode());
        Files.writeString(
                record,
                lines.get(20).substring(9) + "\n" + String.join("\n", lines.subList(21, lines.size())) + "\n",
                StandardOpenOption.APPEND);
        PageRuns.leave(record);
        JsonNode next = JSON.readTree(get(server.url("r-7") + "/data?seen=20").body());
        assertEquals(lines.size(), next.get("seen").asInt());
        assertEquals(17, next.get("attempts").get("count").asInt());
        assertEquals(204, get(server.url("r-7") + "/data?seen=" + lines.size()).statusCode());
        assertEquals(200, get(server.url("r-7") + "/data?seen=much").statusCode());
    }

    @Test
    void aRecordThatHasNotBegunIsSaid() throws Exception {
        Files.writeString(folder.resolve("new.jsonl"), "");
        HttpResponse<String> page = get(server.url("new"));
        assertEquals(500, page.statusCode());
        assertEquals("nothing is recorded of this run yet\n", page.body());
    }

    @Test
    void aPortThatIsTakenIsSaid() {
        int taken = URI.create(server.url()).getPort();
        ResourceFailure failure =
                assertThrows(ResourceFailure.class, () -> new PageServer(new RunFolder(folder), Map.of(), taken));
        assertTrue(failure.getMessage().startsWith("cannot listen on port " + taken), failure.getMessage());
        for (int none : List.of(-1, 65_536)) {
            assertThrows(UserMistake.class, () -> new PageServer(new RunFolder(folder), Map.of(), none));
        }
    }
}
