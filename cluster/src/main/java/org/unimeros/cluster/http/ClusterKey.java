package org.unimeros.cluster.http;

import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.SecureRandom;
import java.util.HexFormat;
import org.unimeros.engine.error.UserMistake;

/** The secret that all processes of a cluster share, or none. Never printed. */
public final class ClusterKey {

    /** The environment variable that holds it. */
    public static final String VARIABLE = "UNIMEROS_CLUSTER_KEY";

    public static final ClusterKey NONE = new ClusterKey(null);

    private static final int LEAST_LENGTH = 16;
    private static final String SCHEME = "Bearer ";

    private final String key;

    private ClusterKey(String key) {
        this.key = key;
    }

    /**
     * A key.
     *
     * @throws UserMistake when it is too short to keep anyone out
     */
    public static ClusterKey of(String key) {
        if (key == null || key.isBlank()) {
            return NONE;
        }
        if (key.strip().length() < LEAST_LENGTH) {
            throw new UserMistake("a cluster key needs at least " + LEAST_LENGTH
                    + " characters; make one, for example, with: openssl rand -hex 24");
        }
        return new ClusterKey(key.strip());
    }

    public static ClusterKey fromEnvironment() {
        return of(System.getenv(VARIABLE));
    }

    public static ClusterKey random() {
        byte[] bytes = new byte[24];
        new SecureRandom().nextBytes(bytes);
        return new ClusterKey(HexFormat.of().formatHex(bytes));
    }

    public boolean isSet() {
        return key != null;
    }

    /** The value of the header that carries it; null when there is none. */
    public String header() {
        return key == null ? null : SCHEME + key;
    }

    /** For the environment of a process that is started. */
    public String secret() {
        return key;
    }

    /** Whether a header carries this key, compared in a time that does not depend on where they differ. */
    boolean matches(String header) {
        if (key == null) {
            return true;
        }
        if (header == null) {
            return false;
        }
        return MessageDigest.isEqual(
                header.getBytes(StandardCharsets.UTF_8), (SCHEME + key).getBytes(StandardCharsets.UTF_8));
    }

    @Override
    public String toString() {
        return key == null ? "no cluster key" : "a cluster key";
    }
}
