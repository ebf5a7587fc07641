package org.unimeros.storage.commit;

import static java.nio.charset.StandardCharsets.US_ASCII;

import java.io.IOException;
import java.util.Set;
import java.util.TreeSet;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.storage.format.Io;
import org.unimeros.storage.store.Store;
import org.unimeros.storage.store.StoreLock;
import org.unimeros.storage.store.StorePath;

/** The places where runs put their files before they publish them, each locked while its run is alive; and the lock of the whole dataset. */
final class StagingAreas {

    private static final String LOCK = ".lock";

    private final DatasetPaths paths;
    private final Store store;

    StagingAreas(DatasetPaths paths) {
        this.paths = paths;
        this.store = paths.root().store();
    }

    /** Locks the place for the files of a run; fails when somebody writes the same run. */
    StagingArea lock(String run) throws IOException {
        StoreLock lock = store.tryLock(lockFile(run))
                .orElseThrow(() -> new ResourceFailure("run " + run + " is being written to " + paths.root()
                        + " already, by this process or another one; wait for it, or end it"));
        return new StagingArea(paths.stagingOf(run), lock);
    }

    private String lockFile(String run) {
        return paths.staging().resolve(run + LOCK).path();
    }

    /** A folder for the files of one run, and the lock that keeps others from removing it. */
    record StagingArea(StorePath folder, StoreLock lock) {

        /** Notes how many publications the run has seen, unless it has before it started again. */
        void sawPublished(long end) throws IOException {
            if (seenNote().find().isEmpty()) {
                seenNote().replace(Long.toString(end).getBytes(US_ASCII));
            }
        }

        /** The place behind the publications that there were when the run began. */
        long seen() throws IOException {
            Store.Content note = seenNote()
                    .read()
                    .orElseThrow(() -> new IOException("the files of the run are not in " + folder + " any more"));
            return Long.parseLong(new String(note.bytes(), US_ASCII));
        }

        private StorePath seenNote() {
            return folder.resolve("_seen");
        }

        void release(boolean keepFiles) throws IOException {
            try {
                if (!keepFiles) {
                    folder.store().deleteFolder(folder.path());
                }
            } finally {
                lock.remove();
            }
        }
    }

    /** Deletes the files of runs that nobody writes any more. */
    void removeDead() throws IOException {
        // A process can die before it has made its folder, or when it has just removed it, and leave its lock alone.
        Set<String> runs = new TreeSet<>();
        for (String name : store.children(paths.staging().path())) {
            boolean isLock = name.endsWith(LOCK);
            boolean isRun = isLock || store.isFolder(paths.stagingOf(name).path());
            if (isRun) {
                runs.add(isLock ? name.substring(0, name.length() - LOCK.length()) : name);
            }
        }
        for (String run : runs) {
            removeIfDead(run);
        }
    }

    private void removeIfDead(String run) throws IOException {
        StoreLock lock = store.tryLock(lockFile(run)).orElse(null);
        if (lock != null) {
            new StagingArea(paths.stagingOf(run), lock).release(false);
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
        try {
            StoreLock lock = store.lock(paths.publishLock().path());
            try {
                work.run();
            } finally {
                lock.close();
            }
        } catch (IOException e) {
            throw Io.failure(doing, paths.root(), e);
        }
    }
}
