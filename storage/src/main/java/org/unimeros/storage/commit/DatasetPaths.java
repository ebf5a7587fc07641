package org.unimeros.storage.commit;

import java.io.Serializable;
import java.nio.file.Path;
import java.util.Optional;
import org.unimeros.storage.format.DataFile;

/**
 * Where the files of a dataset are that are not its data.
 *
 * @param root the folder of the dataset
 */
record DatasetPaths(Path root) implements Serializable {

    /** The folder of what belongs to the dataset and is no data. */
    static final String OWN = "_unimeros";

    private static final String STAGING = "staging";

    Path own() {
        return root.resolve(OWN);
    }

    Path staging() {
        return own().resolve(STAGING);
    }

    /** Where the files of a run are until they are published. */
    Path stagingOf(String run) {
        return staging().resolve(run);
    }

    /** The file that names the run that was published last. */
    Path generation() {
        return own().resolve("generation");
    }

    /** The file that says what is to be published. */
    Path record() {
        return own().resolve("publication.json");
    }

    /** The file that is locked by whoever changes the dataset. */
    Path publishLock() {
        return own().resolve("publish.lock");
    }

    PublishedRuns published() {
        return new PublishedRuns(own().resolve("published"));
    }

    /** Where a file in staging is once it is published; empty for a file that is not in staging. */
    static Optional<Path> placeOfStaged(Path file) {
        for (int i = file.getNameCount() - 3; i > 0; i--) {
            if (file.getName(i).toString().equals(OWN)
                    && file.getName(i + 1).toString().equals(STAGING)) {
                Path root = file.getRoot() == null
                        ? file.subpath(0, i)
                        : file.getRoot().resolve(file.subpath(0, i));
                return i + 3 < file.getNameCount()
                        ? Optional.of(root.resolve(file.subpath(i + 3, file.getNameCount())))
                        : Optional.empty();
            }
        }
        return Optional.empty();
    }

    /** The path of a data file relative to the dataset, also while it is still in staging. */
    String relative(DataFile file) {
        String start = root + root.getFileSystem().getSeparator();
        String path = file.toString();
        // Nearly all files are where their text says; taking many paths apart costs as much as reading small files.
        if (path.startsWith(start) && !path.startsWith(OWN, start.length())) {
            return path.substring(start.length()).replace('\\', '/');
        }
        Path inDataset = file.path().startsWith(staging())
                ? staging()
                        .relativize(file.path())
                        .subpath(1, staging().relativize(file.path()).getNameCount())
                : root.relativize(file.path());
        return inDataset.toString().replace('\\', '/');
    }
}
