package org.unimeros.storage.commit;

import static java.nio.charset.StandardCharsets.US_ASCII;

import java.io.IOException;
import java.util.List;
import java.util.Optional;
import org.unimeros.storage.format.DataFile;
import org.unimeros.storage.format.Io;
import org.unimeros.storage.store.Store;
import org.unimeros.storage.store.StorePath;

/**
 * Files that a publication replaced, kept for readers that had listed them before: {@code _unimeros/replaced/RUN/PATH}, and since when in
 * {@code _since} beside them. Whoever writes next deletes those that have been there longer than readers may take.
 */
public final class ReplacedFiles {

    private static final String SINCE = "_since";

    private final StorePath dataset;

    ReplacedFiles(StorePath dataset) {
        this.dataset = dataset;
    }

    private static StorePath folder(StorePath dataset) {
        return dataset.resolve(DatasetPaths.OWN).resolve("replaced");
    }

    /** Notes when a run replaces files, before the first of them is kept. */
    void begin(String run) throws IOException {
        note(folder(dataset).resolve(run));
    }

    private static void note(StorePath run) throws IOException {
        run.resolve(SINCE).replace(Long.toString(System.currentTimeMillis()).getBytes(US_ASCII));
    }

    /** Moves a file out of the way of those who list the dataset, if it is still there. */
    void keep(String run, String path) throws IOException {
        StorePath file = dataset.resolve(path);
        if (file.find().isPresent()) {
            dataset.store()
                    .move(
                            file.path(),
                            folder(dataset).resolve(run).resolve(path).path());
        }
    }

    /** Deletes what was replaced before a moment. */
    void deleteBefore(long millis) throws IOException {
        for (StorePath run : runs(dataset)) {
            Optional<Long> since = run.resolve(SINCE).read().map(ReplacedFiles::millis);
            if (since.isEmpty()) {
                // From now on it has its time.
                note(run);
            } else if (since.get() < millis) {
                run.store().deleteFolder(run.path());
            }
        }
    }

    private static long millis(Store.Content note) {
        return Long.parseLong(new String(note.bytes(), US_ASCII).strip());
    }

    private static List<StorePath> runs(StorePath dataset) throws IOException {
        StorePath folder = folder(dataset);
        return folder.store().children(folder.path()).stream()
                .map(folder::resolve)
                .toList();
    }

    /**
     * Where a file is now that was listed in a dataset, be it in staging, and moved or replaced since; empty when it is not there any
     * more.
     */
    public static Optional<DataFile> find(DataFile file) {
        StorePath path = file.path();
        try {
            Optional<StorePath> published = DatasetPaths.placeOfStaged(path);
            if (published.isPresent()) {
                return published.get().find().map(found -> file.at(published.get()));
            }
            for (Optional<StorePath> root = path.parent();
                    root.isPresent();
                    root = root.get().parent()) {
                String relative = root.get().relative(path.path()).orElseThrow();
                for (StorePath run : runs(root.get())) {
                    StorePath kept = run.resolve(relative);
                    if (kept.find().isPresent()) {
                        return Optional.of(file.at(kept));
                    }
                }
            }
            return Optional.empty();
        } catch (IOException e) {
            throw Io.failure("read", path, e);
        }
    }
}
