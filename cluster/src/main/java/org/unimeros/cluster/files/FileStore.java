package org.unimeros.cluster.files;

import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.util.Comparator;
import java.util.HexFormat;
import java.util.Optional;
import java.util.UUID;
import java.util.stream.Stream;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.unimeros.engine.error.InternalFault;
import org.unimeros.engine.error.ResourceFailure;

/** Files by the hash of their content, in a folder. A file is there whole or not at all. Thread-safe. */
public final class FileStore {

    private static final Logger LOG = LoggerFactory.getLogger(FileStore.class);
    private static final int PIECE = 1 << 16;

    private final Path folder;

    /** Files will be kept in this folder, which is made when the first one comes. */
    public FileStore(Path folder) {
        this.folder = folder;
    }

    /** Where a file is, if it is there. */
    public Optional<Path> find(String hash) {
        Path path = folder.resolve(hash);
        return FileRef.isHash(hash) && Files.isRegularFile(path) ? Optional.of(path) : Optional.empty();
    }

    /**
     * Takes a file in.
     *
     * @param mostBytes it must not be larger
     * @throws ResourceFailure when its content does not have the hash, or it cannot be kept
     */
    public Path add(String hash, InputStream content, long mostBytes) throws IOException {
        Files.createDirectories(folder);
        Path incoming = folder.resolve("incoming-" + UUID.randomUUID());
        try {
            String found = copy(content, incoming, mostBytes);
            if (!found.equals(hash)) {
                throw new ResourceFailure("a file came with other content than was announced; send it again");
            }
            Path path = folder.resolve(hash);
            Files.move(incoming, path, StandardCopyOption.ATOMIC_MOVE, StandardCopyOption.REPLACE_EXISTING);
            return path;
        } finally {
            Files.deleteIfExists(incoming);
        }
    }

    /** Removes the folder with all that is in it. */
    public void delete() {
        if (!Files.isDirectory(folder)) {
            return;
        }
        try (Stream<Path> walk = Files.walk(folder)) {
            for (Path path : walk.sorted(Comparator.reverseOrder()).toList()) {
                Files.deleteIfExists(path);
            }
        } catch (IOException e) {
            LOG.warn("cannot remove {}", folder, e);
        }
    }

    private static String copy(InputStream content, Path to, long mostBytes) throws IOException {
        MessageDigest digest = sha256();
        byte[] piece = new byte[PIECE];
        long bytes = 0;
        try (OutputStream out = Files.newOutputStream(to)) {
            for (int n = content.read(piece); n >= 0; n = content.read(piece)) {
                bytes += n;
                if (bytes > mostBytes) {
                    throw new ResourceFailure("a file of a job is larger than " + mostBytes + " bytes");
                }
                digest.update(piece, 0, n);
                out.write(piece, 0, n);
            }
        }
        return HexFormat.of().formatHex(digest.digest());
    }

    /** The hash of a file. */
    public static String hash(Path file) throws IOException {
        MessageDigest digest = sha256();
        byte[] piece = new byte[PIECE];
        try (InputStream in = Files.newInputStream(file)) {
            for (int n = in.read(piece); n >= 0; n = in.read(piece)) {
                digest.update(piece, 0, n);
            }
        }
        return HexFormat.of().formatHex(digest.digest());
    }

    private static MessageDigest sha256() {
        try {
            return MessageDigest.getInstance("SHA-256");
        } catch (NoSuchAlgorithmException e) {
            throw new InternalFault("every Java platform has SHA-256", e);
        }
    }
}
