package org.unimeros.storage.commit;

import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.util.HashSet;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.storage.format.Io;
import org.unimeros.storage.store.Store;
import org.unimeros.storage.store.StorePath;

/**
 * The steps of a publication: it is recorded, which is what counts, and then carried out, by the process that recorded it or by whoever comes next.
 * Whoever does either holds the lock of {@link StagingAreas#underLock}.
 */
final class PublicationSteps {

    private final DatasetPaths paths;
    private final long keepReplacedMillis;

    /** @param keepReplacedMillis how long replaced files stay for readers that have listed them; 0 deletes them at once */
    PublicationSteps(DatasetPaths paths, long keepReplacedMillis) {
        this.paths = paths;
        this.keepReplacedMillis = keepReplacedMillis;
    }

    /** Nobody publishes, and still a file is neither in staging nor in its place. */
    static BadData missing(DatasetPaths paths, Publication publication) {
        String file;
        try {
            file = firstMissing(paths, publication).orElse("a file");
        } catch (IOException e) {
            throw Io.failure("read", paths.root(), e);
        }
        return new BadData("the publication of run " + publication.run() + " to " + paths.root() + " lacks " + file
                + ", which is neither in staging nor in its place; bring it back, or delete " + paths.record()
                + " to keep the dataset as it is");
    }

    private static Optional<String> firstMissing(DatasetPaths paths, Publication publication) throws IOException {
        StorePath staged = paths.stagingOf(publication.run());
        for (String added : publication.added()) {
            // Files move from the one place to the other and never back, so they are looked for in this order.
            boolean isThere = staged.resolve(added).find().isPresent()
                    || paths.root().resolve(added).find().isPresent();
            if (!isThere) {
                return Optional.of(added);
            }
        }
        return Optional.empty();
    }

    /**
     * Fails when files that a run wrote are gone, since to publish it without them would lose what they replace; and when there are others of their
     * names in the dataset, which they would replace unseen.
     */
    void requireStaged(String run, List<String> added) throws IOException {
        for (String file : added) {
            if (paths.stagingOf(run).resolve(file).find().isEmpty()) {
                throw new ResourceFailure("run " + run + " cannot be published to " + paths.root() + ": its file "
                        + file + " is not there any more; nothing was changed, run it again");
            }
            if (paths.root().resolve(file).find().isPresent()) {
                throw new ResourceFailure("run " + run + " cannot be published: there is a file "
                        + paths.root().resolve(file) + " already; nothing was changed, move it away and run it again");
            }
        }
    }

    /** Whether a run was published, be it last or long ago. */
    boolean isPublished(String run) throws IOException {
        return lastRun(paths).equals(run) || paths.published().has(run);
    }

    /** Records a publication, which is the step that counts: from now on it will be carried out, by whoever comes next. */
    void record(Publication publication) throws IOException {
        if (!paths.record().store().publish(paths.record().path(), publication.text(), Optional.empty())) {
            throw new ResourceFailure("another process publishes to " + paths.root()
                    + " at the same time, in spite of its lock; nothing was changed, run it again");
        }
    }

    /** The run that was published last; empty before the first. */
    static String lastRun(DatasetPaths paths) throws IOException {
        return paths.generation()
                .read()
                .map(content -> new String(content.bytes(), StandardCharsets.UTF_8))
                .orElse("");
    }

    /** Carries out a publication that a process recorded and did not complete. */
    void completeRecorded() throws IOException {
        Optional<Publication> leftover = Publication.read(paths.record());
        if (leftover.isPresent()) {
            carryOut(leftover.get());
        }
    }

    /** Every step can be done again, so that another process can take over at any point. */
    void carryOut(Publication publication) throws IOException {
        StorePath stagedRoot = paths.stagingOf(publication.run());
        if (firstMissing(paths, publication).isPresent()) {
            throw missing(paths, publication);
        }
        Store store = paths.root().store();
        ReplacedFiles replaced = new ReplacedFiles(paths.root());
        boolean keeps = keepReplacedMillis > 0;
        if (keeps && !publication.removed().isEmpty()) {
            replaced.begin(publication.run());
        }
        for (String removed : publication.removed()) {
            if (keeps) {
                replaced.keep(publication.run(), removed);
            } else {
                store.delete(paths.root().resolve(removed).path());
            }
        }
        for (String added : publication.added()) {
            StorePath staged = stagedRoot.resolve(added);
            if (staged.find().isPresent()) {
                store.move(staged.path(), paths.root().resolve(added).path());
            }
        }
        removeEmptyFolders(publication.removed());
        if (!paths.published().has(publication.run())) {
            paths.published().add(new PublishedRuns.Entry(publication.run(), publication.folders()));
        }
        paths.generation().replace(publication.run().getBytes(StandardCharsets.UTF_8));
        store.delete(paths.record().path());
    }

    void removeReplaced() throws IOException {
        new ReplacedFiles(paths.root()).deleteBefore(System.currentTimeMillis() - keepReplacedMillis);
    }

    private void removeEmptyFolders(List<String> removed) throws IOException {
        Set<String> folders = new HashSet<>();
        removed.forEach(r -> folders.add(Publication.folder(r)));
        for (String start : folders) {
            String folder = start;
            while (!folder.isEmpty()
                    && paths.root()
                            .store()
                            .deleteIfEmpty(paths.root().resolve(folder).path())) {
                folder = Publication.folder(folder);
            }
        }
    }
}
