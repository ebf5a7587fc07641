package org.unimeros.cluster.wire;

import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.net.URISyntaxException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.CodeSource;
import java.security.DigestInputStream;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.util.HexFormat;
import java.util.List;
import java.util.Optional;
import java.util.stream.Collectors;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.unimeros.engine.error.InternalFault;
import org.unimeros.engine.plan.Plan;
import org.unimeros.storage.dataset.Dataset;

/**
 * The version of this program, which all processes of a cluster must share: its number, and what its jars hold, since plans are
 * understood by the very code that made them only.
 */
public final class Version {

    private static final Logger LOG = LoggerFactory.getLogger(Version.class);
    private static final int SHOWN = 4;
    private static final String CURRENT = find();

    private Version() {}

    public static String current() {
        return CURRENT;
    }

    private static String find() {
        String number = Optional.ofNullable(Plan.class.getPackage().getImplementationVersion())
                .orElse("development");
        return number
                + List.of(Plan.class, Dataset.class, Version.class).stream()
                        .map(Version::digest)
                        .collect(Collectors.joining("-", "-", ""));
    }

    /** The beginning of the digest of the jar that a class is in. */
    private static String digest(Class<?> type) {
        CodeSource source = type.getProtectionDomain().getCodeSource();
        try {
            Path jar = Path.of(source.getLocation().toURI());
            if (!Files.isRegularFile(jar)) {
                return "folder";
            }
            MessageDigest sha = MessageDigest.getInstance("SHA-256");
            try (InputStream in = new DigestInputStream(Files.newInputStream(jar), sha)) {
                in.transferTo(OutputStream.nullOutputStream());
            }
            return HexFormat.of().formatHex(sha.digest(), 0, SHOWN);
        } catch (IOException | URISyntaxException e) {
            LOG.warn("cannot read what {} is in", type, e);
            return "unknown";
        } catch (NoSuchAlgorithmException e) {
            throw new InternalFault("the platform has no SHA-256", e);
        }
    }
}
