package org.unimeros.storage.commit;

import java.io.IOException;
import java.io.Serializable;
import java.util.List;
import java.util.concurrent.atomic.AtomicReference;
import java.util.function.Predicate;
import org.unimeros.storage.commit.StagingAreas.StagingArea;
import org.unimeros.storage.format.DataFile;
import org.unimeros.storage.format.Io;
import org.unimeros.storage.store.StorePath;

/** The folder of a dataset, as readers and writers must see it. */
public final class DatasetFolder implements Serializable {

    private final DatasetPaths paths;
    private final long keepReplacedMillis;

    public DatasetFolder(StorePath root) {
        this(root, WriteSpec.KEEP_REPLACED_MILLIS);
    }

    /** @param keepReplacedMillis how long replaced files stay for readers that have listed them; 0 deletes them at once */
    DatasetFolder(StorePath root, long keepReplacedMillis) {
        this.paths = new DatasetPaths(root);
        this.keepReplacedMillis = keepReplacedMillis;
    }

    /** All data files, as of one moment; {@link DatasetListing} says how. */
    public List<DataFile> list() {
        return list(folder -> true);
    }

    /**
     * The same.
     *
     * @param wanted whether files below a folder are asked for, by its path in the dataset; others are not looked into
     */
    public List<DataFile> list(Predicate<String> wanted) {
        return new DatasetListing(paths).list(wanted);
    }

    /** The path of a data file relative to the dataset, also while it is still in staging. */
    public String relative(DataFile file) {
        return paths.relative(file);
    }

    DatasetPaths paths() {
        return paths;
    }

    PublicationSteps steps() {
        return new PublicationSteps(paths, keepReplacedMillis);
    }

    /**
     * Prepares a place for the files of a run: completes what a process that died left behind, and holds a lock that
     * shows that the run is alive.
     */
    StagingArea begin(String run) {
        try {
            paths.root().store().makeFolder(paths.staging().path());
        } catch (IOException e) {
            throw Io.failure("write to", paths.root(), e);
        }
        StagingAreas areas = new StagingAreas(paths);
        AtomicReference<StagingArea> area = new AtomicReference<>();
        // Whoever sweeps holds the same lock, so that nobody takes a lock file for a dead one before it is locked.
        areas.underLock("write to", () -> {
            StagingArea locked = areas.lock(run);
            try {
                // With the lock held, what this very run has left behind before its process started again stays.
                sweep(areas);
                locked.sawPublished(paths.published().end());
                area.set(locked);
            } finally {
                if (area.get() == null) {
                    locked.release(true);
                }
            }
        });
        return area.get();
    }

    /** Completes a publication that was recorded, and deletes the staging of runs that nobody writes any more. */
    public void completeLeftovers() {
        try {
            if (!paths.root().store().isFolder(paths.own().path())) {
                return;
            }
        } catch (IOException e) {
            throw Io.failure("look into", paths.root(), e);
        }
        StagingAreas areas = new StagingAreas(paths);
        areas.underLock("publish to", () -> sweep(areas));
    }

    private void sweep(StagingAreas areas) throws IOException {
        PublicationSteps steps = steps();
        steps.completeRecorded();
        areas.removeDead();
        steps.removeReplaced();
    }

    /** Publishes while nobody else may change the dataset. */
    void publishing(StagingAreas.Work work) {
        new StagingAreas(paths).underLock("publish to", work);
    }

    /** What other runs published since a run began. */
    List<PublishedRuns.Entry> publishedSince(StagingArea area) throws IOException {
        return paths.published().since(area.seen());
    }
}
