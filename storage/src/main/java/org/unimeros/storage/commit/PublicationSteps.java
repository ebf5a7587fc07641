package org.unimeros.storage.commit;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.util.HashSet;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Stream;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.error.ResourceFailure;

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
        String file = publication.added().stream()
                .filter(added -> !isThere(paths, publication, added))
                .findFirst()
                .orElse("a file");
        return new BadData("the publication of run " + publication.run() + " to " + paths.root() + " lacks " + file
                + ", which is neither in staging nor in its place; bring it back, or delete " + paths.record()
                + " to keep the dataset as it is");
    }

    private static boolean isThere(DatasetPaths paths, Publication publication, String added) {
        return Files.exists(paths.stagingOf(publication.run()).resolve(added))
                || Files.exists(paths.root().resolve(added));
    }

    /** Fails when files that a run wrote are gone, since to publish it without them would lose what they replace. */
    void requireStaged(String run, List<String> added) {
        for (String file : added) {
            if (!Files.exists(paths.stagingOf(run).resolve(file))) {
                throw new ResourceFailure("run " + run + " cannot be published to " + paths.root() + ": its file "
                        + file + " is not there any more; nothing was changed, run it again");
            }
        }
    }

    /** Whether a run was published, be it last or long ago. */
    boolean isPublished(String run) throws IOException {
        boolean wasLast = Files.exists(paths.generation())
                && Files.readString(paths.generation()).equals(run);
        return wasLast || paths.published().has(run);
    }

    /** Records a publication, which is the step that counts: from now on it will be carried out, by whoever comes next. */
    void record(Publication publication) throws IOException {
        publication.write(paths.record());
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
        Path stagedRoot = paths.stagingOf(publication.run());
        if (publication.added().stream().anyMatch(added -> !isThere(paths, publication, added))) {
            throw missing(paths, publication);
        }
        ReplacedFiles replaced = new ReplacedFiles(paths.root());
        for (String removed : publication.removed()) {
            if (keepReplacedMillis == 0) {
                Files.deleteIfExists(paths.root().resolve(removed));
            } else {
                replaced.keep(publication.run(), removed);
            }
        }
        for (String added : publication.added()) {
            Path staged = stagedRoot.resolve(added);
            Path target = paths.root().resolve(added);
            if (Files.exists(staged)) {
                Files.createDirectories(target.getParent());
                Files.move(staged, target);
            }
        }
        removeEmptyFolders(publication.removed());
        if (!paths.published().has(publication.run())) {
            paths.published().add(new PublishedRuns.Entry(publication.run(), publication.folders()));
        }
        Path written = paths.generation().resolveSibling("generation." + publication.run());
        Files.writeString(written, publication.run());
        Files.move(written, paths.generation(), StandardCopyOption.ATOMIC_MOVE);
        Files.deleteIfExists(paths.record());
    }

    void removeReplaced() throws IOException {
        new ReplacedFiles(paths.root()).deleteBefore(System.currentTimeMillis() - keepReplacedMillis);
    }

    private void removeEmptyFolders(List<String> removed) throws IOException {
        Set<Path> folders = new HashSet<>();
        removed.forEach(r -> folders.add(paths.root().resolve(r).getParent()));
        for (Path start : folders) {
            Path folder = start;
            while (!folder.equals(paths.root()) && Files.isDirectory(folder) && isEmpty(folder)) {
                Files.delete(folder);
                folder = folder.getParent();
            }
        }
    }

    private static boolean isEmpty(Path folder) throws IOException {
        try (Stream<Path> entries = Files.list(folder)) {
            return entries.findAny().isEmpty();
        }
    }
}
