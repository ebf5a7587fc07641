package org.unimeros.cluster.http;

import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.net.HttpURLConnection;
import java.net.MalformedURLException;
import java.net.URI;
import java.net.URISyntaxException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.GeneralSecurityException;
import javax.net.ssl.HttpsURLConnection;
import javax.net.ssl.SSLException;
import org.unimeros.cluster.wire.Json;
import org.unimeros.cluster.wire.Messages.Problem;
import org.unimeros.engine.error.Failure;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UserMistake;

/**
 * Requests to another process. Thread-safe. A request that gets no answer fails with {@link Unreachable}; whether it was carried out is
 * not known then, so that every request is made in a way that it can be repeated.
 */
public final class HttpClient {

    private static final int CONNECT_MILLIS = 5_000;
    private static final int MOST_ERROR = 64 << 10;

    static {
        // A request that was broken off must not be sent again behind our back.
        System.setProperty("sun.net.http.retryPost", "false");
        System.setProperty("http.maxConnections", "32");
    }

    private final String base;
    private final ClusterAccess access;
    private final int readMillis;

    /** No answer came. */
    @SuppressWarnings("serial")
    public static final class Unreachable extends RuntimeException {
        Unreachable(String message, Throwable cause) {
            super(message, cause);
        }
    }

    /** Reads the body of an answer. */
    public interface Reader<T> {
        T read(InputStream in) throws IOException;
    }

    /**
     * @param base such as {@code http://depot-3:7420}
     * @param readMillis for so long an answer is waited for
     */
    public HttpClient(String base, ClusterAccess access, int readMillis) {
        this.base = checked(base);
        this.access = access;
        this.readMillis = readMillis;
    }

    private static String checked(String base) {
        try {
            URI uri = new URI(base);
            boolean isBase = ("http".equals(uri.getScheme()) || "https".equals(uri.getScheme()))
                    && uri.getHost() != null
                    && uri.getPort() > 0;
            if (isBase) {
                return base.endsWith("/") ? base.substring(0, base.length() - 1) : base;
            }
        } catch (URISyntaxException e) {
            throw new UserMistake("not an address: " + base + "; it is written as http://host:port, or https://", e);
        }
        throw new UserMistake("not an address: " + base + "; it is written as http://host:port, or https://");
    }

    public String base() {
        return base;
    }

    public ClusterAccess access() {
        return access;
    }

    public <T> T get(String path, Class<T> type) {
        return call("GET", path, null, in -> Json.read(in.readAllBytes(), type));
    }

    public byte[] getBytes(String path) {
        return call("GET", path, null, InputStream::readAllBytes);
    }

    public <T> T post(String path, Object message, Class<T> type) {
        return call("POST", path, Json.write(message), in -> Json.read(in.readAllBytes(), type));
    }

    public void post(String path, Object message) {
        call("POST", path, Json.write(message), InputStream::readAllBytes);
    }

    public void delete(String path) {
        call("DELETE", path, null, InputStream::readAllBytes);
    }

    /**
     * Any request.
     *
     * @throws Unreachable when no answer came, or only a part of it
     * @throws HttpProblem when the request was refused
     */
    public <T> T call(String method, String path, byte[] body, Reader<T> reader) {
        return exchange(
                method,
                path,
                body == null ? null : new Body("application/json", body.length, out -> out.write(body)),
                reader);
    }

    /** Whether there is something at a path. */
    public boolean has(String path) {
        try {
            exchange("HEAD", path, null, InputStream::readAllBytes);
            return true;
        } catch (HttpProblem e) {
            if (e.status() == 404) {
                return false;
            }
            throw e;
        }
    }

    /** Sends a file. */
    public void put(String path, Path file) {
        long bytes;
        try {
            bytes = Files.size(file);
        } catch (IOException e) {
            throw new UserMistake("cannot read " + file + ": " + e.getMessage(), e);
        }
        exchange(
                "PUT",
                path,
                new Body("application/octet-stream", bytes, out -> Files.copy(file, out)),
                InputStream::readAllBytes);
    }

    private record Body(String type, long bytes, Writer writer) {}

    private interface Writer {
        void write(OutputStream out) throws IOException;
    }

    private <T> T exchange(String method, String path, Body body, Reader<T> reader) {
        try {
            HttpURLConnection connection =
                    (HttpURLConnection) URI.create(base + path).toURL().openConnection();
            if (connection instanceof HttpsURLConnection encrypted
                    && access.tls().client() != null) {
                encrypted.setSSLSocketFactory(access.tls().client());
            }
            connection.setConnectTimeout(CONNECT_MILLIS);
            connection.setReadTimeout(readMillis);
            connection.setRequestMethod(method);
            connection.setUseCaches(false);
            connection.setInstanceFollowRedirects(false);
            if (access.hasKey()) {
                connection.setRequestProperty("Authorization", access.header());
            }
            if (body != null) {
                connection.setDoOutput(true);
                connection.setRequestProperty("Content-Type", body.type);
                connection.setFixedLengthStreamingMode(body.bytes);
                try (OutputStream out = connection.getOutputStream()) {
                    body.writer.write(out);
                }
            }
            int status = connection.getResponseCode();
            if (status >= 300) {
                throw problem(status, connection);
            }
            try (InputStream in = connection.getInputStream()) {
                return reader.read(in);
            }
        } catch (MalformedURLException e) {
            throw new UserMistake("not an address: " + base, e);
        } catch (SSLException e) {
            throw untrusted(e);
        } catch (IOException e) {
            String why = e.getMessage() == null ? e.getClass().getSimpleName() : e.getMessage();
            throw new Unreachable("no answer from " + base + ": " + why, e);
        }
    }

    /** A connection that was broken off can be tried again; one with somebody who is not believed cannot. */
    private RuntimeException untrusted(SSLException e) {
        for (Throwable cause = e; cause != null; cause = cause.getCause()) {
            if (cause instanceof GeneralSecurityException) {
                return new UserMistake(
                        "the certificate of " + base + " is not believed: " + cause.getMessage()
                                + "; name the file with the certificate of its authority in "
                                + Tls.AUTHORITIES_VARIABLE,
                        e);
            }
        }
        if (String.valueOf(e.getMessage()).contains("Unsupported or unrecognized SSL message")) {
            return new UserMistake(base + " does not encrypt; write it with http:// instead of https://", e);
        }
        return new Unreachable("no answer from " + base + ": " + e.getMessage(), e);
    }

    private static HttpProblem problem(int status, HttpURLConnection connection) throws IOException {
        try (InputStream in = connection.getErrorStream()) {
            byte[] body = in == null ? new byte[0] : in.readNBytes(MOST_ERROR);
            return new HttpProblem(status, message(status, body));
        }
    }

    private static String message(int status, byte[] body) {
        try {
            Failure failure = Json.read(body, Problem.class).error();
            if (failure != null && failure.message() != null) {
                return failure.message();
            }
        } catch (ResourceFailure e) {
            return "answered with status " + status + ", and not as a process of a cluster does";
        }
        return "answered with status " + status;
    }
}
