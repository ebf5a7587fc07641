package org.unimeros.cluster.files;

import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.nio.channels.FileChannel;
import java.nio.channels.OverlappingFileLockException;
import java.nio.file.DirectoryStream;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.StandardOpenOption;
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
import org.unimeros.storage.scratch.OwnerOnly;

/**
 * Files by the hash of their content, in a folder. A file is there whole or not at all. While a process uses a folder it holds a lock in it, so that
 * what a process that died has left is told apart ({@link #sweep}). Thread-safe.
 */
public final class FileStore {

    private static final Logger LOG = LoggerFactory.getLogger(FileStore.class);
    private static final int PIECE = 1 << 16;

    private static final String LOCK = "in-use";

    private final Path folder;
    /** Holds the lock; null before the first file. Guarded by this. */
    private FileChannel lock;

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
        use();
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

    /** Makes the folder, and shows that it is in use. */
    private synchronized void use() throws IOException {
        OwnerOnly.createFolders(folder);
        if (lock == null) {
            FileChannel channel =
                    FileChannel.open(folder.resolve(LOCK), StandardOpenOption.CREATE, StandardOpenOption.WRITE);
            if (tryLock(channel)) {
                lock = channel;
            } else {
                // Another process uses the same folder, and shows it.
                channel.close();
            }
        }
    }

    private static boolean tryLock(FileChannel channel) throws IOException {
        try {
            return channel.tryLock() != null;
        } catch (OverlappingFileLockException e) {
            return false;
        }
    }

    /** Removes folders of this kind that no process uses any more, whose names begin alike. */
    public static void sweep(Path parent, String prefix) {
        try (DirectoryStream<Path> folders = Files.newDirectoryStream(parent, prefix + "*")) {
            for (Path folder : folders) {
                Path lock = folder.resolve(LOCK);
                if (!Files.isRegularFile(lock)) {
                    continue;
                }
                boolean isFree;
                try (FileChannel channel = FileChannel.open(lock, StandardOpenOption.WRITE)) {
                    isFree = tryLock(channel);
                }
                if (isFree) {
                    remove(folder);
                }
            }
        } catch (IOException e) {
            LOG.debug("cannot look for what was left in {}", parent, e);
        }
    }

    /** Removes the folder with all that is in it. */
    public synchronized void delete() {
        if (lock != null) {
            try {
                lock.close();
            } catch (IOException e) {
                LOG.warn("cannot give up {}", folder, e);
            }
            lock = null;
        }
        if (Files.isDirectory(folder)) {
            remove(folder);
        }
    }

    private static void remove(Path folder) {
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
