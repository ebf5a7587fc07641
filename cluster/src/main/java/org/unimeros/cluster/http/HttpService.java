package org.unimeros.cluster.http;

import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.net.InetAddress;
import java.net.UnknownHostException;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.Executors;
import java.util.logging.Level;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.eclipse.jetty.http.HttpCookie;
import org.eclipse.jetty.http.HttpHeader;
import org.eclipse.jetty.http.HttpVersion;
import org.eclipse.jetty.io.Content;
import org.eclipse.jetty.server.Handler;
import org.eclipse.jetty.server.HttpConfiguration;
import org.eclipse.jetty.server.HttpConnectionFactory;
import org.eclipse.jetty.server.NetworkConnectionLimit;
import org.eclipse.jetty.server.Request;
import org.eclipse.jetty.server.Response;
import org.eclipse.jetty.server.Server;
import org.eclipse.jetty.server.ServerConnector;
import org.eclipse.jetty.server.SslConnectionFactory;
import org.eclipse.jetty.util.Callback;
import org.eclipse.jetty.util.ssl.SslContextFactory;
import org.eclipse.jetty.util.thread.QueuedThreadPool;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.unimeros.cluster.wire.Json;
import org.unimeros.cluster.wire.Messages.Problem;
import org.unimeros.engine.error.Failure;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UnimerosException;
import org.unimeros.engine.error.UserMistake;

/**
 * The one port of a process: routes with JSON or binary bodies. Handlers run on virtual threads and may block. Without a cluster key
 * it listens on the loopback address only; with one, every request must carry it, except for the question whether the process is well.
 */
public final class HttpService implements AutoCloseable {

    private static final Logger LOG = LoggerFactory.getLogger(HttpService.class);
    /** Held, so that its level stays: what the library says of its own start is of no interest. */
    private static final java.util.logging.Logger LIBRARY_LOG = java.util.logging.Logger.getLogger("org.eclipse.jetty");

    private static final long MOST_BODY = 256L << 20;
    /** All bodies together take at most one part in so many of the memory. */
    private static final int BODY_SHARE = 6;
    /** The largest file of a job. */
    public static final long MOST_FILE = 8L << 30;

    private static final int MOST_WRITE = 256 << 10;
    private static final long IDLE_MILLIS = 60_000;
    private static final int MOST_CONNECTIONS = 4_096;
    /** In this time a first request must be there, and from then on a body must come at this rate. */
    private static final long PATIENCE_MILLIS = 20_000;

    private static final long LEAST_BYTES_PER_SECOND = 1_000;
    private static final int MOST_HEADER = 16 << 10;
    private static final String LOOPBACK = "127.0.0.1";

    private final ClusterAccess access;
    private final boolean isHere;
    private final BodyBudget bodies;
    private final List<Route> routes = new ArrayList<>();
    private final Server server;
    private final ServerConnector connector;
    private final long patienceMillis;

    /** Answers requests of one method and path. */
    public interface Action {
        void answer(Call call) throws IOException;
    }

    private record Route(String method, String template, Pattern path, Action action, boolean open, long mostBody) {}

    /**
     * @param host the address to listen on; null for the loopback address
     * @param port 0 for any that is free
     */
    public HttpService(String host, int port, ClusterAccess access) {
        this(host, port, access, PATIENCE_MILLIS);
    }

    /** @param patienceMillis for whoever sends a request slowly */
    HttpService(String host, int port, ClusterAccess access, long patienceMillis) {
        this.patienceMillis = patienceMillis;
        LIBRARY_LOG.setLevel(Level.WARNING);
        this.access = access;
        this.isHere = ClusterAccess.listensHere(host);
        this.bodies =
                new BodyBudget(Math.min(MOST_BODY, Runtime.getRuntime().maxMemory() / BODY_SHARE), patienceMillis);
        if (!isHere && !access.hasKey()) {
            throw new UserMistake("without a cluster key only this machine may connect; set "
                    + ClusterAccess.KEY_VARIABLE + " in all processes of the cluster to listen on " + host);
        }
        QueuedThreadPool pool = new QueuedThreadPool(16, 2);
        pool.setDaemon(true);
        pool.setName("unimeros-http");
        pool.setVirtualThreadsExecutor(Executors.newVirtualThreadPerTaskExecutor());
        this.server = new Server(pool);
        HttpConfiguration configuration = new HttpConfiguration();
        configuration.setSendServerVersion(false);
        configuration.setSendDateHeader(false);
        HttpConnectionFactory protocol = new HttpConnectionFactory(configuration);
        this.connector = access.tls().server() == null
                ? new ServerConnector(server, 1, 1, protocol)
                : new ServerConnector(server, 1, 1, encryption(), protocol);
        connector.setHost(host == null ? LOOPBACK : host);
        connector.setPort(port);
        connector.setIdleTimeout(IDLE_MILLIS);
        connector.setAcceptQueueSize(MOST_CONNECTIONS);
        connector.addBean(new SlowStarts(connector, patienceMillis));
        configuration.setRequestHeaderSize(MOST_HEADER);
        server.addBean(new NetworkConnectionLimit(MOST_CONNECTIONS, connector));
        server.addConnector(connector);
        server.setHandler(new Dispatcher());
    }

    private SslConnectionFactory encryption() {
        SslContextFactory.Server certificates = new SslContextFactory.Server();
        certificates.setSslContext(access.tls().server());
        certificates.setIncludeProtocols("TLSv1.3", "TLSv1.2");
        return new SslConnectionFactory(certificates, HttpVersion.HTTP_1_1.asString());
    }

    /** How addresses of this process begin. */
    private String scheme() {
        return access.tls().server() == null ? "http://" : "https://";
    }

    /** @param path segments, of which {@code {name}} are parameters */
    public HttpService on(String method, String path, Action action) {
        return on(method, path, action, false, MOST_BODY);
    }

    /** A route whose body is a file, which is read as it comes. */
    public HttpService onFile(String method, String path, Action action) {
        return on(method, path, action, false, MOST_FILE);
    }

    /** A route that needs no key, or asks for it by itself. */
    public HttpService open(String method, String path, Action action) {
        return on(method, path, action, true, MOST_BODY);
    }

    private HttpService on(String method, String path, Action action, boolean open, long mostBody) {
        Pattern pattern = Pattern.compile(path.replaceAll("\\{([a-zA-Z]+)}", "(?<$1>[A-Za-z0-9._-]+)"));
        routes.add(new Route(method, path, pattern, action, open, mostBody));
        return this;
    }

    /** The routes, as {@code METHOD /path}. */
    public List<String> routes() {
        return routes.stream().map(r -> r.method + " " + r.template).toList();
    }

    /** Starts to listen, and returns the address by which this machine reaches it. */
    public String start() {
        return start(null);
    }

    /**
     * Starts to listen, and returns the address by which others reach it.
     *
     * @param advertised their name for this machine; null for the address it listens on, or its own name where that is all of them
     */
    public String start(String advertised) {
        try {
            server.start();
        } catch (Exception e) {
            Throwable cause = e.getCause() == null ? e : e.getCause();
            throw new ResourceFailure(
                    "cannot listen on " + connector.getHost() + ":" + connector.getPort() + ": " + cause.getMessage()
                            + "; choose another port",
                    e);
        }
        String name = advertised != null ? advertised : isEvery(connector.getHost()) ? hostName() : connector.getHost();
        return scheme() + (name.contains(":") ? "[" + name + "]" : name) + ":" + connector.getLocalPort();
    }

    private static boolean isEvery(String host) {
        return host.equals("0.0.0.0") || host.equals("::");
    }

    /** What this machine calls itself. */
    public static String hostName() {
        try {
            return InetAddress.getLocalHost().getHostName();
        } catch (UnknownHostException e) {
            return LOOPBACK;
        }
    }

    public int port() {
        return connector.getLocalPort();
    }

    @Override
    public void close() {
        try {
            server.stop();
        } catch (Exception e) {
            LOG.warn("could not stop listening", e);
        }
    }

    /** One request and its answer. */
    public static final class Call {
        private final Request request;
        private final Response response;
        private final Map<String, String> parameters;
        private final long patienceMillis;
        private final BodyBudget.Share memory;
        private final ClusterAccess access;

        private Call(
                Request request,
                Response response,
                Map<String, String> parameters,
                long patienceMillis,
                BodyBudget.Share memory,
                ClusterAccess access) {
            this.access = access;
            this.memory = memory;
            this.patienceMillis = patienceMillis;
            this.request = request;
            this.response = response;
            this.parameters = parameters;
        }

        /** A part of the path. */
        public String path(String name) {
            return parameters.get(name);
        }

        /** A whole number of the query, within bounds. */
        public long number(String name, long otherwise, long most) {
            String text = parameter(name);
            if (text == null) {
                return otherwise;
            }
            try {
                long value = Long.parseLong(text);
                if (value >= 0 && value <= most) {
                    return value;
                }
            } catch (NumberFormatException e) {
                LOG.debug("not a number: {}", text, e);
            }
            throw new HttpProblem(400, "parameter " + name + " is a whole number from 0 to " + most);
        }

        public boolean has(String name) {
            return parameter(name) != null;
        }

        /** A parameter of the query, or null. */
        public String parameter(String name) {
            try {
                return Request.extractQueryParameters(request).getValue(name);
            } catch (RuntimeException e) {
                throw new HttpProblem(400, "the parameters behind ? are not well formed: " + e.getMessage());
            }
        }

        /** What stands behind the question mark, or null. */
        public String query() {
            return request.getHttpURI().getQuery();
        }

        /** Whether the request carries the cluster key; without a key every one does. */
        public boolean hasKey() {
            return access.matches(request.getHeaders().get(HttpHeader.AUTHORIZATION));
        }

        /** The port that the request came to. */
        public int port() {
            return Request.getLocalPort(request);
        }

        /** The value of a cookie, or null. */
        public String cookie(String name) {
            return Request.getCookies(request).stream()
                    .filter(cookie -> cookie.getName().equals(name))
                    .map(HttpCookie::getValue)
                    .findFirst()
                    .orElse(null);
        }

        /** Has the browser send a value with what its user asks for here, and with nothing that pages of other places ask for. */
        public void setCookie(String name, String value, long seconds) {
            HttpCookie cookie = HttpCookie.build(name, value)
                    .path("/")
                    .maxAge(seconds)
                    .httpOnly(true)
                    .secure(request.isSecure())
                    .sameSite(HttpCookie.SameSite.STRICT)
                    .build();
            Response.addCookie(response, cookie);
        }

        /** Answers that what is wanted is at another path. */
        public void redirect(String path) {
            response.setStatus(303);
            response.getHeaders().put(HttpHeader.LOCATION, path);
            forBrowsers();
        }

        /** Answers a browser, which is to keep nothing and to tell nobody from where it comes. */
        public void page(int status, String type, String text) throws IOException {
            response.setStatus(status);
            forBrowsers();
            if (status != 204) {
                answer(type + "; charset=utf-8", text.getBytes(StandardCharsets.UTF_8));
            }
        }

        private void forBrowsers() {
            response.getHeaders().put(HttpHeader.CACHE_CONTROL, "no-store");
            response.getHeaders().put("Referrer-Policy", "no-referrer");
            response.getHeaders().put("X-Content-Type-Options", "nosniff");
            response.getHeaders().put("X-Frame-Options", "DENY");
        }

        /** The body, as far as it may be. */
        public byte[] body() throws IOException {
            try (InputStream in = stream()) {
                long said = request.getLength();
                memory.grow(Math.max(said, 0));
                byte[] bytes = new byte[(int) Math.max(0, said < 0 ? 1 << 16 : said)];
                int length = in.readNBytes(bytes, 0, bytes.length);
                // Without a length, room is made as the body comes.
                for (int next = said < 0 ? in.read() : -1; next >= 0; next = in.read()) {
                    if (length == bytes.length) {
                        memory.grow(2L * length);
                        bytes = Arrays.copyOf(bytes, 2 * length);
                    }
                    bytes[length++] = (byte) next;
                    length += in.readNBytes(bytes, length, bytes.length - length);
                }
                if (length > MOST_BODY) {
                    throw new HttpProblem(413, "the body is larger than " + MOST_BODY + " bytes");
                }
                return length == bytes.length ? bytes : Arrays.copyOf(bytes, length);
            }
        }

        /** The body as it comes; of whatever length. */
        public InputStream stream() {
            return new NotTooSlow(
                    Content.Source.asInputStream(request), System::nanoTime, patienceMillis, LEAST_BYTES_PER_SECOND);
        }

        /** Answers with a file. */
        public void answer(Path file) throws IOException {
            response.getHeaders().put(HttpHeader.CONTENT_TYPE, "application/octet-stream");
            response.getHeaders().put(HttpHeader.CONTENT_LENGTH, Files.size(file));
            try (OutputStream out = Content.Sink.asOutputStream(response)) {
                Files.copy(file, out);
            }
        }

        public <T> T json(Class<T> type) throws IOException {
            T value;
            try {
                value = Json.read(body(), type);
            } catch (ResourceFailure e) {
                throw new HttpProblem(400, e.getMessage());
            }
            if (value == null) {
                throw new HttpProblem(400, "the body is null, but a message is needed");
            }
            return value;
        }

        public void answer(Object message) throws IOException {
            answer("application/json", Json.write(message));
        }

        public void answer(String type, byte[] bytes) throws IOException {
            response.getHeaders().put(HttpHeader.CONTENT_TYPE, type);
            response.getHeaders().put(HttpHeader.CONTENT_LENGTH, bytes.length);
            try (OutputStream out = Content.Sink.asOutputStream(response)) {
                // The platform copies what is left with every write to a socket, so that much at a time is copied
                // often.
                for (int i = 0; i < bytes.length; i += MOST_WRITE) {
                    out.write(bytes, i, Math.min(MOST_WRITE, bytes.length - i));
                }
            }
        }

        /** Answers with pieces one after the other, which are not put together before. */
        public void answer(String type, List<ByteBuffer> pieces) throws IOException {
            long bytes = pieces.stream().mapToLong(ByteBuffer::remaining).sum();
            response.getHeaders().put(HttpHeader.CONTENT_TYPE, type);
            response.getHeaders().put(HttpHeader.CONTENT_LENGTH, bytes);
            for (ByteBuffer piece : pieces) {
                int end = piece.limit();
                while (piece.position() < end) {
                    // As for an array, the platform copies what is left with every write.
                    piece.limit(Math.min(end, piece.position() + MOST_WRITE));
                    Content.Sink.write(response, false, piece);
                }
            }
            Content.Sink.write(response, true, ByteBuffer.allocate(0));
        }

        public void done() {
            response.setStatus(204);
        }

        private void problem(int status, Failure failure) throws IOException {
            if (response.isCommitted()) {
                throw new IOException(failure.message());
            }
            response.reset();
            response.setStatus(status);
            answer(new Problem(failure));
        }
    }

    private final class Dispatcher extends Handler.Abstract {

        @Override
        public boolean handle(Request request, Response response, Callback callback) {
            Map<String, String> parameters = new TreeMap<>();
            BodyBudget.Share memory = bodies.share();
            Call call = new Call(request, response, parameters, patienceMillis, memory, access);
            try {
                try {
                    boolean hasBody =
                            request.getLength() > 0 || request.getHeaders().contains(HttpHeader.TRANSFER_ENCODING);
                    LoopbackGuard.check(request.getHeaders(), Request.getServerName(request), isHere, hasBody);
                    Route route = find(request, parameters);
                    if (!route.open && !access.matches(request.getHeaders().get(HttpHeader.AUTHORIZATION))) {
                        throw new HttpProblem(
                                401, "the cluster key is missing or wrong; set " + ClusterAccess.KEY_VARIABLE);
                    }
                    if (request.getLength() > route.mostBody) {
                        throw new HttpProblem(413, "the body is larger than " + route.mostBody + " bytes");
                    }
                    route.action.answer(call);
                } catch (HttpProblem e) {
                    call.problem(e.status(), new Failure(Failure.Kind.REQUEST, e.getMessage()));
                } catch (UnimerosException e) {
                    call.problem(e instanceof UserMistake ? 400 : 500, Failure.of(e));
                } catch (RuntimeException e) {
                    LOG.error(
                            "unexpected failure in {} {}",
                            request.getMethod(),
                            request.getHttpURI().getPath(),
                            e);
                    call.problem(500, Failure.of(e));
                }
                callback.succeeded();
            } catch (IOException e) {
                LOG.debug("a request was broken off", e);
                callback.failed(e);
            } finally {
                memory.release();
            }
            return true;
        }

        private Route find(Request request, Map<String, String> parameters) {
            String path = request.getHttpURI().getPath();
            boolean isPath = false;
            for (Route route : routes) {
                Matcher matcher = route.path.matcher(path);
                if (matcher.matches()) {
                    isPath = true;
                    if (route.method.equals(request.getMethod().toUpperCase(Locale.ROOT))) {
                        matcher.namedGroups().forEach((name, group) -> parameters.put(name, matcher.group(group)));
                        return route;
                    }
                }
            }
            throw isPath
                    ? new HttpProblem(405, "the method is not one of this path")
                    : new HttpProblem(404, "there is nothing at this path; GET /v1/openapi.json says what there is");
        }
    }
}
