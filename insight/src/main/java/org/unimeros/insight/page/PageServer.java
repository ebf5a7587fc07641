package org.unimeros.insight.page;

import com.fasterxml.jackson.core.JsonFactory;
import com.fasterxml.jackson.core.JsonGenerator;
import com.sun.net.httpserver.HttpExchange;
import com.sun.net.httpserver.HttpServer;
import java.io.IOException;
import java.io.OutputStream;
import java.io.StringWriter;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.SecureRandom;
import java.util.HexFormat;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.concurrent.ConcurrentHashMap;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UnimerosException;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.insight.RecordTail;
import org.unimeros.insight.RunFolder;
import org.unimeros.insight.diagnosis.RunHistory;
import org.unimeros.insight.diagnosis.RunSummary;

/**
 * Shows the runs of a folder of records to browsers of this machine: a list of them, and the page of each, which follows its run while that goes on.
 * It listens on the loopback address, and answers only to who knows the secret in its address. Thread-safe.
 */
public final class PageServer implements AutoCloseable {

    private static final int NEWEST = 100;

    /** Runs that are kept read; of others the record is read again. */
    private static final int KEPT = 4;

    private static final Pattern RUN = Pattern.compile("run/([\\w.-]+?)(/data)?");
    private static final JsonFactory JSON = new JsonFactory();

    private final RunFolder folder;
    private final Map<String, String> defaults;
    private final HttpServer server;
    private final ExecutorService threads = Executors.newVirtualThreadPerTaskExecutor();
    private final String secret = secret();
    private final Map<String, Followed> followed = new LinkedHashMap<>(16, 0.75f, true) {
        @Override
        protected boolean removeEldestEntry(Map.Entry<String, Followed> eldest) {
            return size() > KEPT;
        }
    };
    private final Map<Path, Listed> listed = new ConcurrentHashMap<>();

    /** A record in the list, as it was when it was written last. */
    private record Listed(long modified, RunSummary run) {}

    /** A run that somebody looks at. */
    private final class Followed {
        private final Path record;
        private final RecordTail tail;
        private final RunHistory history = new RunHistory();
        private final PageLog log = new PageLog();
        private boolean wasWritten;

        Followed(Path record) {
            this.record = record;
            tail = new RecordTail(record);
        }

        /** The run as it is known now; null when that is what was seen already. */
        synchronized String data(long seen) {
            tail.more(event -> {
                history.happened(event);
                log.happened(event);
            });
            if (tail.lines() == 0) {
                throw new BadData("nothing is recorded of this run yet");
            }
            boolean isWritten =
                    RunFolder.isWritten(record) && !history.progress().isEnded();
            if (isWritten) {
                history.goesOnUntil(System.currentTimeMillis());
            }
            boolean isNew = tail.lines() != seen || isWritten || wasWritten;
            wasWritten = isWritten;
            return isNew ? new PageData(history, log, defaults, !isWritten).json(tail.lines()) : null;
        }
    }

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
        this.folder = folder;
        this.defaults = Map.copyOf(defaults);
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
            try {
                answer(call, path.substring(secret.length() + 2));
            } catch (UnimerosException e) {
                send(call, 500, "text/plain", e.getMessage() + "\n");
            }
        }
    }

    private void answer(HttpExchange call, String what) throws IOException {
        Matcher run = RUN.matcher(what);
        if (what.isEmpty()) {
            send(call, 200, "text/html", RunPage.list());
        } else if (what.equals("runs")) {
            send(call, 200, "application/json", runs());
        } else if (!run.matches() || !Files.isRegularFile(RunFolder.place(folder.folder(), run.group(1)))) {
            send(call, 404, "text/plain", "there is no record of such a run\n");
        } else if (run.group(2) == null) {
            send(call, 200, "text/html", RunPage.live(follow(run.group(1)).data(-1), run.group(1)));
        } else {
            String seen = String.valueOf(call.getRequestURI().getQuery()).replaceFirst("^seen=", "");
            String data = follow(run.group(1)).data(seen.matches("\\d{1,15}") ? Long.parseLong(seen) : -1);
            send(call, data == null ? 204 : 200, "application/json", data == null ? "" : data);
        }
    }

    private Followed follow(String run) {
        synchronized (followed) {
            return followed.computeIfAbsent(run, name -> new Followed(RunFolder.place(folder.folder(), name)));
        }
    }

    /** The newest runs; one whose record cannot be read does not hide the others. */
    private String runs() throws IOException {
        StringWriter text = new StringWriter();
        try (JsonGenerator out = JSON.createGenerator(text)) {
            out.writeStartArray();
            for (Path record : folder.newest(NEWEST)) {
                try {
                    write(out, RunFolder.nameOf(record), summary(record));
                } catch (UnimerosException e) {
                    out.writeStartObject();
                    out.writeStringField("run", RunFolder.nameOf(record));
                    out.writeStringField("wrong", e.getMessage());
                    out.writeEndObject();
                }
            }
            out.writeEndArray();
        }
        return text.toString();
    }

    private RunSummary summary(Path record) {
        long modified = record.toFile().lastModified();
        Listed known = listed.get(record);
        if (known == null || known.modified != modified || !known.run.run().isEnded()) {
            known = new Listed(modified, RunSummary.of(record));
            listed.put(record, known);
        }
        return known.run;
    }

    private static void write(JsonGenerator out, String name, RunSummary run) throws IOException {
        out.writeStartObject();
        out.writeStringField("run", name);
        out.writeStringField("title", run.run().title());
        out.writeStringField("state", run.state());
        out.writeNumberField("start", run.started());
        out.writeNumberField("millis", run.millis());
        out.writeNumberField("rows", run.run().rows());
        out.writeNumberField("tasks", run.tasks());
        if (run.worst().isPresent()) {
            out.writeStringField("finding", run.worst().get().what());
        }
        out.writeEndObject();
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
