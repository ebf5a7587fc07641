package org.unimeros.insight.page;

import com.sun.net.httpserver.HttpExchange;
import com.sun.net.httpserver.HttpServer;
import java.io.IOException;
import java.io.OutputStream;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.nio.charset.StandardCharsets;
import java.security.SecureRandom;
import java.util.HexFormat;
import java.util.Map;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.insight.RunFolder;

/**
 * Shows the runs of a folder of records to browsers of this machine: a list of them, and the page of each, which follows its run while that goes on.
 * It listens on the loopback address, and answers only to who knows the secret in its address. Thread-safe.
 */
public final class PageServer implements AutoCloseable {

    private final PageSite site;
    private final HttpServer server;
    private final ExecutorService threads = Executors.newVirtualThreadPerTaskExecutor();
    private final String secret = secret();
    /**
     * Begins to listen.
     *
     * @param defaults of settings; pages show those that differ
     * @param port 0 for one that is free
     * @throws UserMistake when there is no such port
     * @throws ResourceFailure when the port is taken
     */
    public PageServer(RunFolder folder, Map<String, String> defaults, int port) {
        if (port < 0 || port > 65_535) {
            throw new UserMistake("there is no port " + port + "; ports are 1 to 65535, and 0 is one that is free");
        }
        this.site = new PageSite(folder, defaults, false);
        try {
            server = HttpServer.create(new InetSocketAddress(InetAddress.getLoopbackAddress(), port), 0);
        } catch (IOException e) {
            throw new ResourceFailure("cannot listen on port " + port + ": " + e.getMessage(), e);
        }
        server.setExecutor(threads);
        server.createContext("/", this::answer);
        server.start();
    }

    private static String secret() {
        byte[] bytes = new byte[16];
        new SecureRandom().nextBytes(bytes);
        return HexFormat.of().formatHex(bytes);
    }

    /** Where the list of runs is; whoever knows it can see them. */
    public String url() {
        return "http://127.0.0.1:" + server.getAddress().getPort() + "/" + secret + "/";
    }

    /** Where the page of a run is. */
    public String url(String run) {
        return url() + "run/" + run;
    }

    private void answer(HttpExchange call) throws IOException {
        try (call) {
            String host = call.getRequestHeaders().getFirst("Host");
            String path = call.getRequestURI().getPath();
            boolean isHere = host != null && host.matches("(127\\.0\\.0\\.1|localhost):\\d+");
            if (!isHere || !path.startsWith("/" + secret + "/")) {
                // A page of somewhere else that has a name for this address knows neither.
                send(call, 404, "text/plain", "nothing is here; open the address that was printed\n");
                return;
            }
            PageSite.Answer answer = site.get(
                    path.substring(secret.length() + 2), call.getRequestURI().getQuery());
            send(call, answer.status(), answer.type(), answer.text());
        }
    }

    private static void send(HttpExchange call, int status, String type, String text) throws IOException {
        byte[] body = text.getBytes(StandardCharsets.UTF_8);
        call.getResponseHeaders().set("Content-Type", type + "; charset=utf-8");
        call.getResponseHeaders().set("Cache-Control", "no-store");
        call.getResponseHeaders().set("Referrer-Policy", "no-referrer");
        call.getResponseHeaders().set("X-Content-Type-Options", "nosniff");
        call.sendResponseHeaders(status, body.length == 0 ? -1 : body.length);
        if (body.length > 0) {
            try (OutputStream out = call.getResponseBody()) {
                out.write(body);
            }
        }
    }

    /** Stops to listen. */
    @Override
    public void close() {
        server.stop(0);
        threads.shutdownNow();
    }
}
