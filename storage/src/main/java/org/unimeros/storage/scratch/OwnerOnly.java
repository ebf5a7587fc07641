package org.unimeros.storage.scratch;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.FileAttribute;
import java.nio.file.attribute.PosixFilePermissions;

/**
 * Folders and files that hold what other users of the machine must not read: rows, arguments of jobs, keys. Where the file system knows no owners,
 * they are like any others.
 */
public final class OwnerOnly {

    private static final FileAttribute<?>[] NONE = {};
    private static final FileAttribute<?>[] FOLDER = {
        PosixFilePermissions.asFileAttribute(PosixFilePermissions.fromString("rwx------"))
    };
    private static final FileAttribute<?>[] FILE = {
        PosixFilePermissions.asFileAttribute(PosixFilePermissions.fromString("rw-------"))
    };

    private OwnerOnly() {}

    /** Makes a folder and those above it where they are missing; one that is there stays as it is. */
    public static Path createFolders(Path folder) throws IOException {
        return Files.isDirectory(folder) ? folder : Files.createDirectories(folder, hasOwners(folder) ? FOLDER : NONE);
    }

    /** What a new file is made with. */
    public static FileAttribute<?>[] fileAttributes(Path file) {
        return hasOwners(file) ? FILE : NONE;
    }

    private static boolean hasOwners(Path path) {
        return path.getFileSystem().supportedFileAttributeViews().contains("posix");
    }
}
