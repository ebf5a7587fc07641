package org.unimeros.insight.page;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.fasterxml.jackson.databind.node.ObjectNode;
import java.io.File;
import java.io.IOException;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse.BodyHandlers;
import java.net.http.WebSocket;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Collections;
import java.util.Comparator;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.CompletionStage;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.TimeUnit;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.stream.Stream;

/** A browser without a window, driven over its debugging protocol, with one page. */
final class Browser implements AutoCloseable {

    private static final ObjectMapper JSON = new ObjectMapper();
    private static final long PATIENCE_SECONDS = 180;

    private final Process process;
    private final Path profile;
    private final WebSocket socket;
    private final AtomicInteger calls = new AtomicInteger();
    private final Map<Integer, CompletableFuture<JsonNode>> answers = new ConcurrentHashMap<>();
    private final List<String> problems = Collections.synchronizedList(new ArrayList<>());

    /** The browser of this machine, if it has one. */
    static Optional<Path> installed() {
        return Stream.of("chromium", "chromium-browser", "google-chrome")
                .flatMap(name -> Stream.of(System.getenv("PATH").split(File.pathSeparator))
                        .map(folder -> Path.of(folder, name)))
                .filter(Files::isExecutable)
                .findFirst();
    }

    Browser(Path program) throws Exception {
        profile = Files.createTempDirectory("browser");
        process = new ProcessBuilder(
                        program.toString(),
                        "--headless",
                        "--no-sandbox",
                        "--disable-gpu",
                        "--disable-background-networking",
                        "--disable-dev-shm-usage",
                        "--no-first-run",
                        "--window-size=1280,800",
                        "--remote-debugging-port=0",
                        "--user-data-dir=" + profile,
                        "about:blank")
                .redirectErrorStream(true)
                .redirectOutput(ProcessBuilder.Redirect.DISCARD)
                .start();
        HttpClient client = HttpClient.newHttpClient();
        String port = port();
        HttpRequest pages = HttpRequest.newBuilder(URI.create("http://127.0.0.1:" + port + "/json/list"))
                .build();
        JsonNode page = null;
        while (page == null) {
            JsonNode all =
                    JSON.readTree(client.send(pages, BodyHandlers.ofString()).body());
            for (JsonNode one : all) {
                page = one.get("type").asText().equals("page") ? one : page;
            }
            Thread.sleep(50);
        }
        socket = client.newWebSocketBuilder()
                .buildAsync(URI.create(page.get("webSocketDebuggerUrl").asText()), new Listener())
                .get(PATIENCE_SECONDS, TimeUnit.SECONDS);
        call("Runtime.enable", Map.of());
        call("Log.enable", Map.of());
        call("Page.enable", Map.of());
    }

    private String port() throws Exception {
        Path file = profile.resolve("DevToolsActivePort");
        long until = System.nanoTime() + TimeUnit.SECONDS.toNanos(PATIENCE_SECONDS);
        while (System.nanoTime() < until && process.isAlive()) {
            if (Files.exists(file) && Files.readAllLines(file).size() > 1) {
                return Files.readAllLines(file).get(0);
            }
            Thread.sleep(50);
        }
        throw new IOException("the browser did not start");
    }

    private final class Listener implements WebSocket.Listener {
        private final StringBuilder text = new StringBuilder();

        @Override
        public CompletionStage<?> onText(WebSocket from, CharSequence data, boolean last) {
            text.append(data);
            if (last) {
                String whole = text.toString();
                text.setLength(0);
                try {
                    took(JSON.readTree(whole));
                } catch (IOException e) {
                    problems.add(e.toString());
                }
            }
            from.request(1);
            return null;
        }
    }

    private void took(JsonNode message) {
        if (message.has("id")) {
            answers.remove(message.get("id").asInt()).complete(message);
            return;
        }
        String method = message.path("method").asText();
        JsonNode said = message.path("params");
        boolean isError = method.equals("Runtime.exceptionThrown")
                || method.equals("Log.entryAdded")
                        && said.path("entry").path("level").asText().equals("error")
                || method.equals("Runtime.consoleAPICalled")
                        && said.path("type").asText().matches("error|warning|assert");
        if (isError) {
            problems.add(said.toString());
        }
    }

    private JsonNode call(String method, Map<String, Object> parameters) throws Exception {
        int id = calls.incrementAndGet();
        CompletableFuture<JsonNode> answer = new CompletableFuture<>();
        answers.put(id, answer);
        ObjectNode message = JSON.createObjectNode().put("id", id).put("method", method);
        message.set("params", JSON.valueToTree(parameters));
        socket.sendText(message.toString(), true).get(PATIENCE_SECONDS, TimeUnit.SECONDS);
        JsonNode got = answer.get(PATIENCE_SECONDS, TimeUnit.SECONDS);
        if (got.has("error")) {
            throw new IOException(method + ": " + got.get("error"));
        }
        return got.get("result");
    }

    /** Opens a file and waits until it is drawn. */
    void open(Path file, String fragment) throws Exception {
        open(file.toUri() + fragment);
    }

    /** Opens an address and waits until it is drawn. */
    void open(String address) throws Exception {
        call("Page.navigate", Map.of("url", "about:blank"));
        call("Page.navigate", Map.of("url", address));
        await("document.readyState === 'complete' && location.protocol !== 'about:'");
        frame();
    }

    /** What an expression of the page's script gives, as text. */
    String eval(String expression) throws Exception {
        JsonNode result =
                call("Runtime.evaluate", Map.of("expression", expression, "awaitPromise", true, "returnByValue", true));
        if (result.has("exceptionDetails")) {
            throw new IOException(expression + ": " + result.get("exceptionDetails"));
        }
        return result.get("result").path("value").asText();
    }

    /** Waits until an expression is true, also on the page that one is led to; on the way there nothing can be asked. */
    void await(String expression) throws Exception {
        long until = System.nanoTime() + TimeUnit.SECONDS.toNanos(PATIENCE_SECONDS);
        IOException last = null;
        while (System.nanoTime() < until) {
            try {
                if (eval("String(Boolean(" + expression + "))").equals("true")) {
                    return;
                }
            } catch (IOException e) {
                last = e;
            }
            Thread.sleep(50);
        }
        throw new IOException("never true: " + expression, last);
    }

    /** The text of the first element that a selector names. */
    String text(String selector) throws Exception {
        return eval("document.querySelector(" + JSON.writeValueAsString(selector) + ").innerText");
    }

    /** Moves the mouse to a point of an element, from its left upper corner. */
    void point(String selector, double x, double y) throws Exception {
        mouse("mouseMoved", selector, x, y, Map.of());
    }

    void click(String selector, double x, double y) throws Exception {
        Map<String, Object> left = Map.of("button", "left", "clickCount", 1);
        mouse("mousePressed", selector, x, y, left);
        mouse("mouseReleased", selector, x, y, left);
    }

    void wheel(String selector, double x, double y, double by) throws Exception {
        mouse("mouseWheel", selector, x, y, Map.of("deltaX", 0, "deltaY", by));
    }

    private void mouse(String what, String selector, double x, double y, Map<String, Object> more) throws Exception {
        JsonNode box = JSON.readTree(eval("(() => { const e = document.querySelector("
                + JSON.writeValueAsString(selector)
                + "); if (e.getBoundingClientRect().top < 40 || e.getBoundingClientRect().bottom > innerHeight)"
                + " e.scrollIntoView({ block: 'center' });"
                + " const b = e.getBoundingClientRect(); return JSON.stringify([b.left, b.top]); })()"));
        Map<String, Object> event = new HashMap<>(more);
        event.put("type", what);
        event.put("x", box.get(0).asDouble() + x);
        event.put("y", box.get(1).asDouble() + y);
        call("Input.dispatchMouseEvent", event);
        frame();
    }

    void key(String key) throws Exception {
        for (String type : List.of("keyDown", "keyUp")) {
            Map<String, Object> event = key.length() == 1 && type.equals("keyDown")
                    ? Map.of("type", type, "key", key, "text", key)
                    : Map.of("type", type, "key", key);
            call("Input.dispatchKeyEvent", event);
        }
        frame();
    }

    /** Waits until what was asked for is drawn. */
    void frame() throws Exception {
        eval("new Promise(done => requestAnimationFrame(() => requestAnimationFrame(() => done(1))))");
    }

    /** Errors and warnings of the console since it was opened. */
    List<String> problems() {
        return List.copyOf(problems);
    }

    @Override
    public void close() throws IOException {
        socket.abort();
        process.descendants().forEach(ProcessHandle::destroyForcibly);
        process.destroyForcibly().onExit().join();
        try (Stream<Path> files = Files.walk(profile)) {
            files.sorted(Comparator.reverseOrder())
                    .forEach(file -> file.toFile().delete());
        }
    }
}
