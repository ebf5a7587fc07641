package org.unimeros.storage.commit;

import static java.nio.charset.StandardCharsets.US_ASCII;

import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.channels.FileChannel;
import java.nio.channels.FileLock;
import java.nio.channels.OverlappingFileLockException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.Comparator;
import java.util.List;
import java.util.Set;
import java.util.TreeSet;
import java.util.concurrent.ConcurrentHashMap;
import java.util.stream.Stream;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.storage.format.Io;

/** The places where runs put their files before they publish them, each locked while its run is alive; and the lock of the whole dataset. */
final class StagingAreas {

    /** File locks hold between processes only; within one, this does. */
    private static final Object IN_PROCESS = new Object();

    /**
     * Lock files that this process holds. It must not open them again: on closing a file, systems drop all locks that the process has on it,
     * whichever channel took them.
     */
    private static final Set<Path> ALIVE = ConcurrentHashMap.newKeySet();

    private static final String LOCK = ".lock";

    private final DatasetPaths paths;

    StagingAreas(DatasetPaths paths) {
        this.paths = paths;
    }

    /** Locks the place for the files of a run; fails when somebody writes the same run. */
    StagingArea lock(String run) throws IOException {
        Path lockFile = lockFile(run);
        if (!ALIVE.add(lockFile)) {
            throw new ResourceFailure("this process writes run " + run + " to " + paths.root() + " already");
        }
        StagingArea area = null;
        try {
            FileChannel channel = FileChannel.open(
                    lockFile, StandardOpenOption.CREATE, StandardOpenOption.READ, StandardOpenOption.WRITE);
            if (tryLock(channel) == null) {
                channel.close();
                throw new ResourceFailure("another process writes run " + run + " to " + paths.root());
            }
            area = new StagingArea(paths.stagingOf(run), lockFile, channel);
            return area;
        } finally {
            if (area == null) {
                ALIVE.remove(lockFile);
            }
        }
    }

    /** Null when somebody else holds the lock. */
    private static FileLock tryLock(FileChannel channel) throws IOException {
        try {
            return channel.tryLock();
        } catch (OverlappingFileLockException e) {
            // Another copy of this class in the process does not see what this one holds.
            return null;
        }
    }

    private Path lockFile(String run) throws IOException {
        return paths.staging().toRealPath().resolve(run + LOCK);
    }

    /** A folder for the files of one run, and the lock that keeps others from removing it. */
    record StagingArea(Path folder, Path lockFile, FileChannel lock) {
        /** Notes how many publications the run has seen, unless it has before it started again. */
        void sawPublished(long end) throws IOException {
            if (lock.size() == 0) {
                lock.write(ByteBuffer.wrap(Long.toString(end).getBytes(US_ASCII)), 0);
            }
        }

        /** The place behind the publications that there were when the run began. */
        long seen() throws IOException {
            ByteBuffer text = ByteBuffer.allocate(32);
            lock.read(text, 0);
            return Long.parseLong(new String(text.array(), 0, text.position(), US_ASCII));
        }

        void release(boolean keepFiles) throws IOException {
            try (lock) {
                if (!keepFiles) {
                    delete(folder);
                }
            } finally {
                ALIVE.remove(lockFile);
            }
            Files.deleteIfExists(lockFile);
        }
    }

    /** Deletes the files of runs that nobody writes any more. */
    void removeDead() throws IOException {
        if (!Files.isDirectory(paths.staging())) {
            return;
        }
        // A process can die before it has made its folder, or when it has just removed it, and leave its lock alone.
        Set<String> runs = new TreeSet<>();
        try (Stream<Path> all = Files.list(paths.staging())) {
            all.forEach(path -> {
                String name = path.getFileName().toString();
                if (name.endsWith(LOCK)) {
                    runs.add(name.substring(0, name.length() - LOCK.length()));
                } else if (Files.isDirectory(path)) {
                    runs.add(name);
                }
            });
        }
        for (String run : runs) {
            removeIfDead(run);
        }
    }

    private void removeIfDead(String run) throws IOException {
        Path lockFile = lockFile(run);
        if (ALIVE.contains(lockFile)) {
            return;
        }
        try (FileChannel channel = FileChannel.open(lockFile, StandardOpenOption.CREATE, StandardOpenOption.WRITE)) {
            if (tryLock(channel) != null) {
                delete(paths.stagingOf(run));
                Files.deleteIfExists(lockFile);
            }
        }
    }

    /** Work on files. */
    @FunctionalInterface
    interface Work {
        void run() throws IOException;
    }

    /**
     * Does work that only one process, and one thread in it, may do at a time.
     *
     * @param doing what is done to the dataset, for the message of a failure
     */
    void underLock(String doing, Work work) {
        synchronized (IN_PROCESS) {
            Path lockFile = paths.publishLock();
            try (FileChannel channel = FileChannel.open(lockFile, StandardOpenOption.CREATE, StandardOpenOption.WRITE);
                    FileLock lock = channel.lock()) {
                if (lock.isValid()) {
                    work.run();
                }
            } catch (IOException e) {
                throw Io.failure(doing, paths.root(), e);
            }
        }
    }

    static void delete(Path folder) throws IOException {
        if (!Files.exists(folder)) {
            return;
        }
        List<Path> all;
        try (Stream<Path> walk = Files.walk(folder)) {
            all = walk.sorted(Comparator.reverseOrder()).toList();
        }
        for (Path path : all) {
            Files.deleteIfExists(path);
        }
    }
}
