package org.unimeros.insight;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Comparator;
import java.util.List;
import java.util.stream.Stream;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UserMistake;

/**
 * The records of the runs that were asked for from a folder.
 *
 * @param folder what the setting {@code runs.folder} names; there need not be one, and an empty path is none
 */
public record RunFolder(Path folder) {

    private static final String ENDING = ".jsonl";

    /** A record that has not been touched for so long belongs to a process that is gone, or stopped. */
    private static final long GONE_MILLIS = 5_000;

    /** Where the record of a run is. */
    public static Path place(Path folder, String run) {
        return folder.resolve(run + ENDING);
    }

    /** The name of the run that a record is of. */
    public static String nameOf(Path record) {
        String file = record.getFileName().toString();
        return file.endsWith(ENDING) ? file.substring(0, file.length() - ENDING.length()) : file;
    }

    /** Where the page of a run is made, beside its record. */
    public static Path pageOf(Path record) {
        return record.resolveSibling(nameOf(record) + ".html");
    }

    /** Whether somebody has this record open, as far as its time tells: it is touched twice a second. */
    public static boolean isWritten(Path record) {
        return System.currentTimeMillis() - record.toFile().lastModified() < GONE_MILLIS;
    }

    /**
     * The record that is meant by the path of a file, the name of a run, or {@code last}.
     *
     * @throws UserMistake when there is none
     */
    public Path find(String name) {
        if (Files.isRegularFile(Path.of(name))) {
            return Path.of(name);
        }
        if (isNone()) {
            throw new UserMistake("runs keep no records, since runs.folder is empty; name a file");
        }
        if (name.equals("last")) {
            return newest(1).stream()
                    .findFirst()
                    .orElseThrow(() -> new UserMistake("there are no run records in " + folder));
        }
        Path named = place(folder, name);
        if (!Files.isRegularFile(named)) {
            throw new UserMistake("there is no run record " + named + ", and no file " + name);
        }
        return named;
    }

    private boolean isNone() {
        return folder.toString().isEmpty();
    }

    /** The records that were written last, the newest first. */
    public List<Path> newest(int most) {
        if (isNone() || !Files.isDirectory(folder)) {
            return List.of();
        }
        try (Stream<Path> files = Files.list(folder)) {
            return files.filter(file -> file.toString().endsWith(ENDING))
                    .sorted(Comparator.comparingLong(
                                    (Path file) -> file.toFile().lastModified())
                            .thenComparing(Comparator.naturalOrder())
                            .reversed())
                    .limit(most)
                    .toList();
        } catch (IOException e) {
            throw new ResourceFailure("cannot list " + folder + ": " + e.getMessage(), e);
        }
    }
}
