package org.unimeros.storage.commit;

import java.io.Serializable;
import java.util.Optional;
import org.unimeros.storage.format.DataFile;
import org.unimeros.storage.store.StorePath;

/**
 * Where the files of a dataset are that are not its data.
 *
 * @param root the folder of the dataset
 */
record DatasetPaths(StorePath root) implements Serializable {

    /** The folder of what belongs to the dataset and is no data. */
    static final String OWN = "_unimeros";

    private static final String STAGING = "staging";

    StorePath own() {
        return root.resolve(OWN);
    }

    StorePath staging() {
        return own().resolve(STAGING);
    }

    /** Where the files of a run are until they are published. */
    StorePath stagingOf(String run) {
        return staging().resolve(run);
    }

    /** The file that names the run that was published last. */
    StorePath generation() {
        return own().resolve("generation");
    }

    /** The file that says what is to be published. */
    StorePath record() {
        return own().resolve("publication.json");
    }

    /** The file that is locked by whoever changes the dataset. */
    StorePath publishLock() {
        return own().resolve("publish.lock");
    }

    PublishedRuns published() {
        return new PublishedRuns(own().resolve("published"));
    }

    /** Where a file in staging is once it is published; empty for a file that is not in staging. */
    static Optional<StorePath> placeOfStaged(StorePath file) {
        String staging = "/" + OWN + "/" + STAGING + "/";
        String path = file.path();
        int at = ("/" + path).lastIndexOf(staging);
        int run = at + staging.length() - 1;
        int rest = at < 0 ? -1 : path.indexOf('/', run);
        return rest < 0
                ? Optional.empty()
                : Optional.of(new StorePath(file.store(), path.substring(0, at) + path.substring(rest + 1)));
    }

    /** The path of a data file relative to the dataset, also while it is still in staging. */
    String relative(DataFile file) {
        String path = file.toString();
        Optional<String> staged = staging().relative(path);
        // Behind the staging folder stands the run.
        return staged.map(p -> p.substring(p.indexOf('/') + 1))
                .or(() -> root.relative(path))
                .orElse("");
    }
}
