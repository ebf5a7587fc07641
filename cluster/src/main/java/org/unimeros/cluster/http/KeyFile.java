package org.unimeros.cluster.http;

import static java.nio.charset.StandardCharsets.US_ASCII;

import java.io.IOException;
import java.nio.file.FileAlreadyExistsException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.nio.file.attribute.PosixFilePermission;
import java.util.EnumSet;
import java.util.Map;
import java.util.Set;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.storage.scratch.OwnerOnly;

/**
 * The key that the processes of one user on one machine share when none is set: {@code .unimeros/cluster-key} in the home folder, which only its
 * owner may read. Whoever starts a cluster makes it; it is used for addresses of this machine only.
 */
final class KeyFile {

    private static final Set<PosixFilePermission> OTHERS = EnumSet.of(
            PosixFilePermission.GROUP_READ,
            PosixFilePermission.GROUP_WRITE,
            PosixFilePermission.OTHERS_READ,
            PosixFilePermission.OTHERS_WRITE);

    private final Path file;

    KeyFile(Map<String, String> environment) {
        String home = environment.get("HOME");
        this.file = Path.of(home == null || home.isBlank() ? System.getProperty("user.home") : home, ".unimeros")
                .resolve("cluster-key");
    }

    /** The key; null when there is none yet. */
    String read() {
        try {
            if (!Files.exists(file)) {
                return null;
            }
            requireOwnerOnly();
            String key = Files.readString(file, US_ASCII).strip();
            if (key.length() < ClusterAccess.LEAST_LENGTH) {
                // Taken for no key, it would leave the cluster open.
                throw new UserMistake("the cluster key in " + file + " has fewer than " + ClusterAccess.LEAST_LENGTH
                        + " characters; delete the file, so that a new one is made");
            }
            return key;
        } catch (IOException e) {
            throw failure("read", e);
        }
    }

    private void requireOwnerOnly() throws IOException {
        boolean hasOwners = file.getFileSystem().supportedFileAttributeViews().contains("posix");
        if (hasOwners && Files.getPosixFilePermissions(file).stream().anyMatch(OTHERS::contains)) {
            throw new UserMistake("the cluster key in " + file + " can be read by others; delete the file, so that a"
                    + " new one is made, or keep others out with: chmod 600 " + file);
        }
    }

    /** The key, which is made where there is none. */
    String readOrMake() {
        String known = read();
        return known == null ? make() : known;
    }

    private String make() {
        String key = ClusterAccess.newKey();
        Path written =
                file.resolveSibling("cluster-key." + ProcessHandle.current().pid());
        try {
            OwnerOnly.createFolders(file.getParent());
            Files.deleteIfExists(written);
            Files.newByteChannel(
                            written,
                            EnumSet.of(StandardOpenOption.CREATE_NEW, StandardOpenOption.WRITE),
                            OwnerOnly.fileAttributes(written))
                    .close();
            Files.writeString(written, key + "\n", US_ASCII);
            // Of two processes that start at the same time one is first; both have its key then.
            Files.createLink(file, written);
            return key;
        } catch (FileAlreadyExistsException e) {
            return read();
        } catch (IOException e) {
            throw failure("write", e);
        } finally {
            delete(written);
        }
    }

    private static void delete(Path path) {
        try {
            Files.deleteIfExists(path);
        } catch (IOException e) {
            throw new ResourceFailure("cannot delete " + path + ": " + e.getMessage(), e);
        }
    }

    private ResourceFailure failure(String what, IOException e) {
        String why = e.getMessage() == null ? e.getClass().getSimpleName() : e.getMessage();
        return new ResourceFailure(
                "cannot " + what + " the cluster key in " + file + ": " + why + "; set " + ClusterAccess.KEY_VARIABLE
                        + ", or HOME to a folder of yours",
                e);
    }

    Path path() {
        return file;
    }
}
