package org.unimeros.cluster;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.io.InputStream;
import java.net.InetAddress;
import java.net.Socket;
import java.net.URI;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.time.InstantSource;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.cluster.coordinator.Coordinator;
import org.unimeros.cluster.coordinator.RunPages;
import org.unimeros.cluster.http.ClusterAccess;
import org.unimeros.cluster.worker.Worker;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.run.RunListener;

/** What others than the programs of a cluster send: pages in a browser of the same machine, and whoever sends rubbish. */
class HostileRequestsTest {

    private static final String KEY = "a key of this test only";
    private static final String AUTHORISED = "Authorization: Bearer " + KEY + "\r\n";
    private static final String JSON = "Content-Type: application/json\r\n";

    @TempDir
    Path folder;

    private Coordinator coordinator;
    private String url;
    private Worker worker;

    @BeforeEach
    void start() {
        coordinator = new Coordinator(
                new Coordinator.Config(null, 0, ClusterAccess.of(KEY))
                        .withJournal(folder.resolve("journal"))
                        .withPages(new NoPages()),
                InstantSource.system());
        url = coordinator.start();
        worker = new Worker(new Worker.Config(
                url, null, null, 0, 1, 1, 64 << 20, folder.resolve("scratch"), ClusterAccess.of(KEY)));
        worker.start();
    }

    @AfterEach
    void stop() {
        worker.close();
        coordinator.close();
    }

    private static final class NoPages implements RunPages {
        @Override
        public RunListener recorder(String run, boolean goesOn) {
            return event -> {
                // nothing is kept
            };
        }

        @Override
        public Shown show(String path, String query) {
            return new Shown(200, "text/html", path);
        }
    }

    /** The status line's number, as somebody sees it who writes the request by hand. */
    private static int status(String url, String method, String path, String headers, String body) throws IOException {
        URI uri = URI.create(url);
        try (Socket socket = new Socket(InetAddress.getLoopbackAddress(), uri.getPort())) {
            socket.setSoTimeout(20_000);
            String host = headers.contains("Host:") ? "" : "Host: 127.0.0.1:" + uri.getPort() + "\r\n";
            String length =
                    body == null ? "" : "Content-Length: " + body.getBytes(StandardCharsets.UTF_8).length + "\r\n";
            String text = method + " " + path + " HTTP/1.1\r\n" + host + headers + length + "Connection: close\r\n\r\n"
                    + (body == null ? "" : body);
            socket.getOutputStream().write(text.getBytes(StandardCharsets.UTF_8));
            InputStream in = socket.getInputStream();
            String answer = new String(in.readAllBytes(), StandardCharsets.UTF_8);
            return answer.length() < 12 ? 0 : Integer.parseInt(answer.substring(9, 12));
        }
    }

    @Test
    void pagesOfOtherPlacesAreNotAnswered() throws IOException {
        int port = URI.create(url).getPort();
        String get = "GET";
        assertEquals(200, status(url, get, "/v1/runs", AUTHORISED, null));
        assertEquals(200, status(url, get, "/v1/runs", AUTHORISED + "Host: localhost:" + port + "\r\n", null));
        assertEquals(200, status(url, get, "/v1/runs", AUTHORISED + "Origin: http://127.0.0.1:" + port + "\r\n", null));
        for (String foreign : List.of(
                "Host: parcels.example\r\n",
                "Host: parcels.example:" + port + "\r\n",
                "Origin: http://parcels.example\r\n",
                "Origin: null\r\n",
                "Origin: http://127.0.0.1:1\r\n",
                "Sec-Fetch-Site: cross-site\r\n")) {
            for (String address : List.of(url, worker.url())) {
                assertEquals(403, status(address, get, "/v1/health", AUTHORISED + foreign, null), foreign);
            }
        }
    }

    @Test
    void aBodyThatAPageCanSendUnaskedIsRefused() throws IOException {
        for (String type : List.of(
                "",
                "Content-Type: text/plain\r\n",
                "Content-Type: application/x-www-form-urlencoded\r\n",
                "Content-Type: multipart/form-data; boundary=x\r\n")) {
            assertEquals(415, status(url, "POST", "/v1/jobs", AUTHORISED + type, "{}"), type);
            assertEquals(415, status(worker.url(), "POST", "/v1/blocks", AUTHORISED + type, "{}"), type);
        }
    }

    @Test
    void nothingButTheHealthAndTheDocumentIsAnsweredWithoutTheKey() throws IOException {
        List<String> answered = new ArrayList<>();
        for (String route : coordinator.routeNames()) {
            String[] parts = filled(route).split(" ");
            for (String headers : List.of(JSON, JSON + "Authorization: Bearer another key of others\r\n")) {
                int status = status(url, parts[0], parts[1], headers, parts[0].equals("GET") ? null : "{}");
                if (status != 401) {
                    answered.add(route + ": " + status);
                }
            }
        }
        assertEquals(
                List.of(
                        "GET /v1/health: 200",
                        "GET /v1/health: 200",
                        "GET /v1/openapi.json: 200",
                        "GET /v1/openapi.json: 200"),
                answered);
    }

    private static String filled(String route) {
        return route.replaceAll("\\{[a-z]+}", "x");
    }

    /** Whatever is sent, it is the sender's mistake, and the process goes on. */
    @Test
    void rubbishIsAMistakeOfTheSenderAndNeverOneOfOurs() throws IOException {
        List<String> bodies = List.of(
                "",
                "{",
                "null",
                "[]",
                "{}",
                "7",
                "\"x\"",
                "true",
                "[null]",
                "{\"x\": 1}",
                "{\"id\": null}",
                "{\"id\": 7}",
                "{\"name\": {}, \"slots\": -1}",
                "{\"run\": \"../x\"}",
                "{\"slots\": 99999999999999999999}",
                "[".repeat(20_000),
                "\u0000\u0001",
                "{\"id\": \"" + "x".repeat(100_000) + "\"}",
                "{\"reports\": [null]}",
                "{\"lines\": null}",
                "{\"copies\": [{}]}",
                "{\"files\": [\"x\"]}");
        List<String> wrong = new ArrayList<>();
        for (String route : coordinator.routeNames()) {
            String[] parts = filled(route).split(" ");
            for (String query : List.of("", "?after=x", "?after=-1", "?wait=99999999999", "?%zz", "?after=0&after=x")) {
                if (parts[0].equals("GET") && !route.contains("orders")) {
                    note(wrong, status(url, parts[0], parts[1] + query, AUTHORISED, null), route + query);
                }
            }
            if (!parts[0].equals("GET") && !parts[0].equals("HEAD")) {
                for (String body : bodies) {
                    String shown = body.substring(0, Math.min(40, body.length()));
                    note(wrong, status(url, parts[0], parts[1], AUTHORISED + JSON, body), route + " " + shown);
                }
            }
        }
        for (String body : bodies) {
            note(wrong, status(worker.url(), "POST", "/v1/blocks", AUTHORISED + JSON, body), "blocks " + body.length());
        }
        assertEquals("", String.join("\n", wrong));
        assertEquals(200, status(url, "GET", "/v1/runs", AUTHORISED, null));
        assertEquals(200, status(url, "GET", "/v1/workers", AUTHORISED, null));
    }

    private static void note(List<String> wrong, int status, String what) {
        if (status >= 500 || status == 0) {
            wrong.add(status + " for " + what);
        }
    }

    @Test
    void whatAClusterKeepsIsForItsOwnerOnly() throws IOException {
        assertEquals(
                "rwx------", PosixFilePermissions.toString(Files.getPosixFilePermissions(folder.resolve("journal"))));
        Map<String, String> environment = Map.of("HOME", folder.resolve("home").toString());
        ClusterAccess made = ClusterAccess.forCluster(null, environment);
        Path key = folder.resolve("home/.unimeros/cluster-key");
        assertEquals("rw-------", PosixFilePermissions.toString(Files.getPosixFilePermissions(key)));
        assertEquals("rwx------", PosixFilePermissions.toString(Files.getPosixFilePermissions(key.getParent())));
        assertTrue(made.hasKey());
        assertEquals(
                made.header(),
                ClusterAccess.forCluster("localhost", environment).header());
        assertEquals(
                made.header(),
                ClusterAccess.to("http://127.0.0.1:7420", environment).header());
        assertEquals(
                null,
                ClusterAccess.to("http://depot-3:7420", environment).header(),
                "a key of this machine stays here");
    }

    /** However this machine is named, and whatever became of the file, a cluster is not left open. */
    @Test
    void aClusterOfThisMachineAlwaysHasAKeyUnlessItIsSaidOtherwise() throws IOException {
        Map<String, String> environment = Map.of("HOME", folder.resolve("other").toString());
        for (String host : new String[] {null, "127.0.0.1", "localhost", "::1"}) {
            assertTrue(ClusterAccess.forCluster(host, environment).hasKey(), host);
        }
        Path key = folder.resolve("other/.unimeros/cluster-key");
        Files.writeString(key, "\n");
        UserMistake e = assertThrows(UserMistake.class, () -> ClusterAccess.forCluster(null, environment));
        assertTrue(e.getMessage().contains("has fewer than 16 characters"), e.getMessage());
        Files.writeString(key, "0123456789abcdef");
        Files.setPosixFilePermissions(key, PosixFilePermissions.fromString("rw-r--r--"));
        assertThrows(UserMistake.class, () -> ClusterAccess.to("http://127.0.0.1:7420", environment));
    }
}
