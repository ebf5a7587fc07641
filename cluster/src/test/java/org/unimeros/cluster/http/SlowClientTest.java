package org.unimeros.cluster.http;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.ByteArrayInputStream;
import java.io.IOException;
import java.io.InputStream;
import java.net.Socket;
import java.net.SocketException;
import java.net.URI;
import java.nio.charset.StandardCharsets;
import java.util.concurrent.atomic.AtomicLong;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;

/** Clients that send so slowly that they would hold what others need. */
@Timeout(60)
class SlowClientTest {

    private static HttpService service(long patienceMillis) {
        HttpService service = new HttpService(null, 0, ClusterAccess.NONE, patienceMillis);
        service.on("POST", "/v1/parcels", call -> call.answer("text/plain", call.body()));
        service.open("GET", "/v1/health", call -> call.answer("text/plain", new byte[] {'w'}));
        return service;
    }

    private static Socket connect(String url) throws IOException {
        URI uri = URI.create(url);
        return new Socket(uri.getHost(), uri.getPort());
    }

    /** Whether the other side has closed, when it is read until then. */
    private static boolean isClosed(Socket socket) throws IOException {
        try {
            return socket.getInputStream().read() < 0;
        } catch (SocketException e) {
            return true;
        }
    }

    @Test
    void aRequestThatDoesNotArriveIsNotWaitedForForEver() throws IOException {
        try (HttpService service = service(200)) {
            String url = service.start();
            try (Socket slow = connect(url)) {
                slow.getOutputStream().write("GET /v1/hea".getBytes(StandardCharsets.US_ASCII));
                assertTrue(isClosed(slow));
            }
            // Whoever asked in time keeps the connection.
            HttpClient client = new HttpClient(url, ClusterAccess.NONE, 10_000);
            assertArrayEquals(new byte[] {'w'}, client.getBytes("/v1/health"));
        }
    }

    @Test
    void aBodyThatTricklesInIsRefused() throws IOException, InterruptedException {
        try (HttpService service = service(100)) {
            try (Socket slow = connect(service.start())) {
                slow.getOutputStream()
                        .write(
                                "POST /v1/parcels HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: application/json\r\nContent-Length: 1000\r\n\r\n"
                                        .getBytes(StandardCharsets.US_ASCII));
                byte[] answer = new byte[12];
                for (int i = 0; i < 100 && slow.getInputStream().available() < answer.length; i++) {
                    slow.getOutputStream().write('1');
                    Thread.sleep(20);
                }
                assertEquals(answer.length, slow.getInputStream().readNBytes(answer, 0, answer.length));
                assertEquals("HTTP/1.1 408", new String(answer, StandardCharsets.US_ASCII));
            }
        }
    }

    @Test
    void theRateCountsFromTheBeginning() throws IOException {
        AtomicLong nanos = new AtomicLong();
        try (InputStream in = new NotTooSlow(new ByteArrayInputStream(new byte[10_000]), nanos::get, 1_000, 1_000)) {
            assertEquals(4_000, in.readNBytes(4_000).length);
            nanos.set(3_900_000_000L);
            assertEquals(100, in.readNBytes(100).length);
            nanos.set(9_000_000_000L);
            HttpProblem slow = assertThrows(HttpProblem.class, in::read);
            assertEquals(408, slow.status());
        }
    }
}
