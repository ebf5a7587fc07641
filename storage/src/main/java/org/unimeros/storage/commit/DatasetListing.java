package org.unimeros.storage.commit;

import java.io.IOException;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashSet;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.function.Predicate;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.storage.format.DataFile;
import org.unimeros.storage.format.Io;
import org.unimeros.storage.store.StorePath;
import org.unimeros.storage.store.StoredFile;

/** Lists the data files of a dataset as of one moment, also while somebody publishes. */
final class DatasetListing {

    private static final int LISTINGS = 200;
    private static final int SAME_LISTINGS = 5;
    private static final int WAITS = 20;
    private static final long PAUSE_MILLIS = 10;

    private final DatasetPaths paths;

    DatasetListing(DatasetPaths paths) {
        this.paths = paths;
    }

    /**
     * All data files, by path; names that begin with a dot or an underscore are none. A listing during which a publication began or ended is made
     * again.
     *
     * @param wanted whether files below a folder are asked for, by its path in the dataset; others are not looked into
     */
    List<DataFile> list(Predicate<String> wanted) {
        State last = null;
        int same = 0;
        for (int attempt = 0; attempt < LISTINGS; attempt++) {
            State before = settledState();
            Optional<List<DataFile>> files = list(before, wanted);
            boolean settled = before.equals(state());
            if (files.isPresent() && settled) {
                return files.get();
            }
            same = settled && before.equals(last) ? same + 1 : 0;
            last = before;
            if (same == SAME_LISTINGS) {
                throw PublicationSteps.missing(paths, before.underWay.orElseThrow());
            }
            pause();
        }
        throw new ResourceFailure(
                paths.root() + " is changed all the time, so that its files cannot be listed; try again later");
    }

    /** What tells publications apart: the one under way, and the last one that was completed. */
    private record State(Optional<Publication> underWay, String lastRun) {}

    private State state() {
        Optional<Publication> underWay = Publication.read(paths.record());
        try {
            return new State(underWay, PublicationSteps.lastRun(paths));
        } catch (IOException e) {
            throw Io.failure("read", paths.generation(), e);
        }
    }

    /** The state after a publication under way has had a moment to end; one of a dead process never does. */
    private State settledState() {
        State state = state();
        for (int i = 0; i < WAITS && state.underWay.isPresent(); i++) {
            pause();
            state = state();
        }
        return state;
    }

    private static void pause() {
        try {
            Thread.sleep(PAUSE_MILLIS);
        } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
            throw new ResourceFailure("interrupted while listing files", e);
        }
    }

    /** The files in a state; empty when they are no longer where that state has them. */
    private Optional<List<DataFile>> list(State state, Predicate<String> wanted) {
        List<DataFile> files = new ArrayList<>(all(wanted));
        if (state.underWay.isPresent() && !apply(state.underWay.get(), files)) {
            return Optional.empty();
        }
        files.sort(Comparator.comparing(DataFile::toString));
        return Optional.of(files);
    }

    private List<DataFile> all(Predicate<String> wanted) {
        StorePath root = paths.root();
        List<DataFile> files = new ArrayList<>();
        try {
            Optional<StoredFile> file = root.find();
            if (file.isPresent()) {
                return List.of(DataFile.of(root, file.get()));
            }
            root.store().list(root.path(), folder -> !isHidden(folder) && wanted.test(folder), found -> {
                if (!isHidden(found.path())) {
                    files.add(DataFile.of(root, found));
                }
            });
        } catch (IOException e) {
            throw Io.failure("list", root, e);
        }
        return files;
    }

    private static boolean isHidden(String path) {
        int name = path.lastIndexOf('/') + 1;
        return path.startsWith(".", name) || path.startsWith("_", name);
    }

    /**
     * What is moved in counts as there, wherever it is now; what is removed counts as gone. Files move from staging to
     * their place and never back, so they are looked for in this order.
     */
    private boolean apply(Publication publication, List<DataFile> files) {
        Set<StorePath> changed = new HashSet<>();
        publication.removed().forEach(path -> changed.add(paths.root().resolve(path)));
        publication.added().forEach(path -> changed.add(paths.root().resolve(path)));
        files.removeIf(f -> changed.contains(f.path()));
        StorePath stagedRoot = paths.stagingOf(publication.run());
        for (String added : publication.added()) {
            Optional<DataFile> file = dataFile(stagedRoot.resolve(added))
                    .or(() -> dataFile(paths.root().resolve(added)));
            if (file.isEmpty()) {
                return false;
            }
            files.add(file.get());
        }
        return true;
    }

    private static Optional<DataFile> dataFile(StorePath path) {
        try {
            return path.find().map(found -> DataFile.of(path, found));
        } catch (IOException e) {
            throw Io.failure("read", path, e);
        }
    }
}
