package org.unimeros.cluster.http;

import java.util.Locale;
import java.util.Set;
import org.eclipse.jetty.http.HttpFields;
import org.eclipse.jetty.http.HttpHeader;

/**
 * Keeps pages of other places out, which a browser on this machine shows: they can send requests here, and read answers once a name of theirs
 * points here. No program of a cluster sends what is refused here.
 */
final class LoopbackGuard {

    private static final Set<String> LOOPBACK = Set.of("127.0.0.1", "localhost", "::1", "[::1]");
    private static final Set<String> BODIES = Set.of("application/json", "application/octet-stream");

    private LoopbackGuard() {}

    static boolean isLoopback(String host) {
        return host != null && LOOPBACK.contains(host.toLowerCase(Locale.ROOT));
    }

    /**
     * Fails for a request that a page of another place can have made.
     *
     * @param here whether the process listens to this machine only, so that every right request names this machine
     * @param hasBody whether the request has a body
     */
    static void check(HttpFields headers, String hostName, boolean here, boolean hasBody) {
        if (here && !isLoopback(hostName)) {
            throw new HttpProblem(403, "this process answers to names of this machine only, such as 127.0.0.1");
        }
        String origin = headers.get(HttpHeader.ORIGIN);
        String host = headers.get(HttpHeader.HOST);
        boolean own = origin == null || origin.equals("http://" + host) || origin.equals("https://" + host);
        String site = headers.get("Sec-Fetch-Site");
        if (!own || "cross-site".equals(site)) {
            throw new HttpProblem(403, "requests from pages of other places are not answered");
        }
        String type = headers.get(HttpHeader.CONTENT_TYPE);
        if (hasBody
                && (type == null || !BODIES.contains(type.split(";")[0].strip().toLowerCase(Locale.ROOT)))) {
            throw new HttpProblem(
                    415,
                    "a body is application/json or application/octet-stream, but this one is "
                            + (type == null ? "of no type" : "of another type"));
        }
    }
}
