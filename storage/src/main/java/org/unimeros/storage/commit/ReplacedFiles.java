package org.unimeros.storage.commit;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.attribute.FileTime;
import java.util.List;
import java.util.Optional;
import java.util.stream.Stream;
import org.unimeros.storage.format.DataFile;
import org.unimeros.storage.format.Io;

/**
 * Files that a publication replaced, kept for readers that had listed them before: {@code _unimeros/replaced/RUN/PATH}. Whoever writes next
 * deletes those that have been there longer than readers may take.
 */
public final class ReplacedFiles {

    private final Path dataset;

    ReplacedFiles(Path dataset) {
        this.dataset = dataset;
    }

    private static Path folder(Path dataset) {
        return dataset.resolve(DatasetPaths.OWN).resolve("replaced");
    }

    /** Moves a file out of the way of those who list the dataset, if it is still there. */
    void keep(String run, String path) throws IOException {
        Path kept = folder(dataset).resolve(run).resolve(path);
        if (!Files.exists(dataset.resolve(path))) {
            return;
        }
        Files.createDirectories(kept.getParent());
        Files.move(dataset.resolve(path), kept, StandardCopyOption.REPLACE_EXISTING);
        // A folder made long before by another process that did not end would look old.
        Files.setLastModifiedTime(folder(dataset).resolve(run), FileTime.fromMillis(System.currentTimeMillis()));
    }

    /** Deletes what was replaced before a moment. */
    void deleteBefore(long millis) throws IOException {
        for (Path run : runs(dataset)) {
            if (Files.getLastModifiedTime(run).toMillis() < millis) {
                StagingAreas.delete(run);
            }
        }
    }

    private static List<Path> runs(Path dataset) throws IOException {
        if (!Files.isDirectory(folder(dataset))) {
            return List.of();
        }
        try (Stream<Path> runs = Files.list(folder(dataset))) {
            return runs.toList();
        }
    }

    /**
     * Where a file is now that was listed in a dataset, be it in staging, and moved or replaced since; empty when it is not there any
     * more.
     */
    public static Optional<DataFile> find(DataFile file) {
        try {
            Optional<Path> published = DatasetPaths.placeOfStaged(file.path());
            if (published.isPresent()) {
                return published.filter(Files::exists).map(file::at);
            }
            for (Path root = file.path().getParent(); root != null; root = root.getParent()) {
                for (Path run : runs(root)) {
                    Path kept = run.resolve(root.relativize(file.path()));
                    if (Files.exists(kept)) {
                        return Optional.of(file.at(kept));
                    }
                }
            }
            return Optional.empty();
        } catch (NoSuchFileException e) {
            return Optional.empty();
        } catch (IOException e) {
            throw Io.failure("read", file.path(), e);
        }
    }
}
