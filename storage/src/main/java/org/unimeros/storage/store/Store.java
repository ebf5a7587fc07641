package org.unimeros.storage.store;

import java.io.IOException;
import java.io.OutputStream;
import java.io.Serializable;
import java.util.List;
import java.util.Optional;
import java.util.function.Consumer;
import java.util.function.Predicate;

/**
 * A place that holds files. Paths are texts with slashes; {@link StorePath} is a path with its store. Implementations are thread-safe, and travel to
 * workers with what they need to find the same files there, without secrets.
 *
 * <p>Methods fail with an {@link IOException} that says why; {@link java.nio.file.NoSuchFileException} where a file is not there that must be.
 */
public interface Store extends Serializable {

    /**
     * Hands over the files below a folder, in any order; none where there is no such folder. Files that come or go meanwhile may be handed over or not.
     *
     * @param wanted whether files below a folder are asked for, by its path in the folder; others are not looked into
     */
    void list(String folder, Predicate<String> wanted, Consumer<StoredFile> files) throws IOException;

    /** The names of what is directly in a folder; empty where there is no such folder. */
    List<String> children(String folder) throws IOException;

    /** What is known of a file; empty where there is none. */
    Optional<StoredFile> find(String path) throws IOException;

    /** Whether there is such a folder. */
    boolean isFolder(String path) throws IOException;

    /** Opens a file. */
    ReadableFile open(String path) throws IOException;

    /** Creates a file, in place of one that is there, with the folders above it. It is whole when the stream is closed. */
    OutputStream create(String path) throws IOException;

    /**
     * A small file, as it is at one moment.
     *
     * @param version differs whenever the content does
     */
    record Content(byte[] bytes, String version) {}

    /** Reads a small file; empty where there is none. */
    Optional<Content> read(String path) throws IOException;

    /**
     * Replaces a small file as a whole, if nobody has changed it. Whoever reads it sees the old content or the new one; once this has returned, the new
     * one outlasts a failure of the machine.
     *
     * @param unchanged the version that was read; empty when there was no file
     * @return whether it was done; false when the file is another one meanwhile
     */
    boolean publish(String path, byte[] bytes, Optional<String> unchanged) throws IOException;

    /** Moves a file, in place of one that is there, with the folders above its new place. */
    void move(String from, String to) throws IOException;

    /** Deletes a file, if it is there. */
    void delete(String path) throws IOException;

    /** Makes a folder, so that it is there without files; nothing is done where folders are what files have in their paths. */
    void makeFolder(String folder) throws IOException;

    /** Deletes a folder and all that is below it, if it is there. */
    void deleteFolder(String folder) throws IOException;

    /** Deletes a folder if nothing is in it; whether it is gone. */
    boolean deleteIfEmpty(String folder) throws IOException;

    /** Takes a lock; empty when somebody holds it, in this process or another one. The lock has a file of its own at the path. */
    Optional<StoreLock> tryLock(String path) throws IOException;

    /** Takes a lock as soon as nobody else holds it. */
    StoreLock lock(String path) throws IOException;

    /** The path by which other processes find the same file. */
    String absolute(String path);
}
