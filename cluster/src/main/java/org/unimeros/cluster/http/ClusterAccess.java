package org.unimeros.cluster.http;

import java.net.URI;
import java.net.URISyntaxException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.security.GeneralSecurityException;
import java.security.MessageDigest;
import java.security.SecureRandom;
import java.util.HexFormat;
import java.util.Map;
import java.util.regex.Pattern;
import javax.crypto.Mac;
import javax.crypto.spec.SecretKeySpec;
import org.unimeros.engine.error.InternalFault;
import org.unimeros.engine.error.UserMistake;

/**
 * How the processes of a cluster know one another: the secret that they share, or none, never printed; and the certificates with which what they say
 * is encrypted, or none. Immutable.
 */
public final class ClusterAccess {

    /** The environment variable that holds the secret. */
    public static final String KEY_VARIABLE = "UNIMEROS_CLUSTER_KEY";

    public static final ClusterAccess NONE = new ClusterAccess(null, Tls.NONE);

    static final int LEAST_LENGTH = 16;
    private static final String SCHEME = "Bearer ";
    private static final String SIGNATURE = "HmacSHA256";
    private static final Pattern PASS = Pattern.compile("[0-9a-f]{1,15}\\.[0-9a-f]{64}");

    private final String key;
    private final Tls tls;

    private ClusterAccess(String key, Tls tls) {
        this.key = key;
        this.tls = tls;
    }

    /**
     * Access by a key, without encryption.
     *
     * @throws UserMistake when it is too short to keep anyone out
     */
    public static ClusterAccess of(String key) {
        if (key == null || key.isBlank()) {
            return NONE;
        }
        if (key.strip().length() < LEAST_LENGTH) {
            throw new UserMistake("a cluster key needs at least " + LEAST_LENGTH
                    + " characters; make one, for example, with: openssl rand -hex 24");
        }
        return new ClusterAccess(key.strip(), Tls.NONE);
    }

    /**
     * What the variables of an environment say: {@value #KEY_VARIABLE} and those of {@link Tls}.
     *
     * @throws UserMistake when the key is too short, or a file of a certificate cannot be read
     */
    public static ClusterAccess from(Map<String, String> environment) {
        return of(environment.get(KEY_VARIABLE)).with(Tls.from(environment));
    }

    /**
     * What a client or worker needs to talk to a process: the key of the environment or, for an address of this machine, the one that whoever
     * started the process made for this user, if there is one.
     *
     * @throws UserMistake when the key is too short or can be read by others, or a file of a certificate cannot be read
     */
    public static ClusterAccess to(String url, Map<String, String> environment) {
        ClusterAccess given = from(environment);
        if (given.hasKey() || !isHere(url)) {
            return given;
        }
        String key = new KeyFile(environment).read();
        return key == null ? given : of(key).with(given.tls);
    }

    /**
     * What a process needs that is the first of a cluster: the key of the environment or, where it listens to this machine only, one that is kept in
     * a file of this user, and made where there is none.
     *
     * @param host the address it listens on, by whichever name; null for this machine only
     */
    public static ClusterAccess forCluster(String host, Map<String, String> environment) {
        ClusterAccess given = from(environment);
        return given.hasKey() || !listensHere(host)
                ? given
                : of(new KeyFile(environment).readOrMake()).with(given.tls);
    }

    /** Whether a process that listens on an address, or on none that is named, is reached from this machine only. */
    public static boolean listensHere(String host) {
        return host == null || LoopbackGuard.isLoopback(host);
    }

    /** Where the key is that {@link #forCluster} makes. */
    public static Path keyFile(Map<String, String> environment) {
        return new KeyFile(environment).path();
    }

    /** Whether a URL leads to this machine. */
    public static boolean isHere(String url) {
        try {
            return LoopbackGuard.isLoopback(new URI(url).getHost());
        } catch (URISyntaxException e) {
            // Whoever connects says what is wrong with the address.
            return false;
        }
    }

    public static ClusterAccess random() {
        return new ClusterAccess(newKey(), Tls.NONE);
    }

    static String newKey() {
        byte[] bytes = new byte[24];
        new SecureRandom().nextBytes(bytes);
        return HexFormat.of().formatHex(bytes);
    }

    /** The same key with certificates. */
    public ClusterAccess with(Tls certificates) {
        return new ClusterAccess(key, certificates);
    }

    /** Puts into the environment of a process that is started what it needs to be of the same cluster. */
    public void passOn(Map<String, String> environment) {
        if (key != null) {
            environment.put(KEY_VARIABLE, key);
        }
        tls.passOn(environment);
    }

    public boolean hasKey() {
        return key != null;
    }

    Tls tls() {
        return tls;
    }

    /** The value of the header that carries the key; null when there is none. */
    public String header() {
        return key == null ? null : SCHEME + key;
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

    /** A pass for pages, which counts until a time; it does not tell the key. */
    public String pass(long untilMillis) {
        return Long.toHexString(untilMillis) + "." + HexFormat.of().formatHex(sign("pages until " + untilMillis));
    }

    /** Whether a pass counts at a time; where there is no key, everybody needs none. */
    public boolean admits(String pass, long nowMillis) {
        if (key == null) {
            return true;
        }
        if (pass == null || !PASS.matcher(pass).matches()) {
            return false;
        }
        long until = Long.parseLong(pass.substring(0, pass.indexOf('.')), 16);
        return until > nowMillis
                && MessageDigest.isEqual(
                        pass.getBytes(StandardCharsets.UTF_8), pass(until).getBytes(StandardCharsets.UTF_8));
    }

    private byte[] sign(String text) {
        try {
            Mac mac = Mac.getInstance(SIGNATURE);
            mac.init(new SecretKeySpec(key.getBytes(StandardCharsets.UTF_8), SIGNATURE));
            return mac.doFinal(text.getBytes(StandardCharsets.UTF_8));
        } catch (GeneralSecurityException e) {
            throw new InternalFault("every JDK has " + SIGNATURE, e);
        }
    }

    @Override
    public String toString() {
        return (key == null ? "no cluster key" : "a cluster key") + (tls == Tls.NONE ? "" : " and certificates");
    }
}
