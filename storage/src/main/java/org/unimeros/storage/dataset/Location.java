package org.unimeros.storage.dataset;

import java.io.IOException;
import java.nio.file.FileSystems;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.PathMatcher;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import java.util.function.Predicate;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.storage.commit.DatasetFolder;
import org.unimeros.storage.commit.PartitionPath;
import org.unimeros.storage.format.DataFile;
import org.unimeros.storage.format.Io;
import org.unimeros.storage.store.StorePath;

/**
 * Where files are: a file, a folder with all that is below, or a pattern of paths, in which {@code *} stands for any characters but the
 * separator, {@code **} for any at all, {@code ?} for one, {@code [ab]} and {@code {ab,cd}} for one of several. A pattern that fits a folder means
 * all files below.
 *
 * @param base the file or folder; of a pattern, that in which it begins
 * @param pattern what fits paths below the folder; empty for all of them
 */
record Location(StorePath base, Optional<String> pattern) {

    /** The place of a path as it stands. */
    static Location of(Path path) {
        return new Location(StorePath.of(path), Optional.empty());
    }

    /** The place that a text means: a path, where that is there, or a pattern. */
    static Location of(String text, Path from) {
        if (!isPattern(text) || Files.exists(from.resolve(text))) {
            return of(from.resolve(text).normalize());
        }
        String plain = text.replace('\\', '/');
        int end = 0;
        for (int i = plain.indexOf('/'); i >= 0 && !isPattern(plain.substring(0, i)); i = plain.indexOf('/', i + 1)) {
            end = i + 1;
        }
        Path base = from.resolve(plain.substring(0, end)).normalize();
        String pattern = plain.substring(end);
        // Partitions that are named are columns as well as those that the pattern finds.
        while (base.getFileName() != null
                && PartitionPath.key(base.getFileName().toString()).isPresent()) {
            pattern = base.getFileName() + "/" + pattern;
            base = base.getParent() == null ? Path.of("") : base.getParent();
        }
        return new Location(StorePath.of(base), Optional.of(pattern));
    }

    static boolean isPattern(String text) {
        return text.chars().anyMatch(c -> c == '*' || c == '?' || c == '[' || c == '{');
    }

    boolean exists() {
        try {
            return base.exists();
        } catch (IOException e) {
            throw Io.failure("look at", base, e);
        }
    }

    boolean isFile() {
        try {
            return base.find().isPresent();
        } catch (IOException e) {
            throw Io.failure("look at", base, e);
        }
    }

    /**
     * The data files that are there.
     *
     * @throws ResourceFailure when the place itself is not there
     * @throws UserMistake when a pattern fits none
     */
    List<DataFile> list(String dataset) {
        if (!exists()) {
            throw new ResourceFailure("there is no dataset " + dataset + ": " + base + " does not exist");
        }
        DatasetFolder folder = new DatasetFolder(base);
        if (pattern.isEmpty()) {
            return folder.list();
        }
        List<DataFile> fitting = fitting(folder, pattern.get().replaceAll("/+$", ""));
        if (fitting.isEmpty()) {
            throw new UserMistake("dataset " + dataset + ": no file fits " + pattern.get() + " in "
                    + base.store().absolute(base.path())
                    + "; files and folders whose names begin with a dot or an underscore do not count");
        }
        return fitting;
    }

    private static List<DataFile> fitting(DatasetFolder folder, String pattern) {
        // Folders need not be looked into whose first steps fit none of the pattern's.
        String[] steps = pattern.contains("**") || pattern.contains("{") ? new String[0] : pattern.split("/");
        List<PathMatcher> beginnings = new ArrayList<>();
        for (int n = 1; n <= steps.length; n++) {
            beginnings.add(matcher(String.join("/", Arrays.copyOf(steps, n))));
        }
        Predicate<String> wanted = text -> {
            Path path = Path.of(text);
            int n = Math.min(path.getNameCount(), beginnings.size());
            return n == 0 || beginnings.get(n - 1).matches(path.subpath(0, n));
        };
        PathMatcher whole = matcher(pattern);
        return folder.list(wanted).stream()
                .filter(file -> fits(whole, Path.of(folder.relative(file))))
                .toList();
    }

    private static PathMatcher matcher(String pattern) {
        return FileSystems.getDefault().getPathMatcher("glob:" + pattern);
    }

    /** Whether a pattern fits a path, or a folder that it is in. */
    private static boolean fits(PathMatcher pattern, Path path) {
        for (int n = path.getNameCount(); n > 0; n--) {
            if (pattern.matches(path.subpath(0, n))) {
                return true;
            }
        }
        return false;
    }

    /** Whether there is something: the file or folder, or a file that the pattern fits. */
    boolean hasFiles(String dataset) {
        try {
            return exists() && (pattern.isEmpty() || !list(dataset).isEmpty());
        } catch (UserMistake e) {
            return false;
        }
    }

    /** The path of a listed file below the base, with slashes; empty where the base is the file. */
    String relative(DataFile file) {
        return new DatasetFolder(base).relative(file);
    }

    @Override
    public String toString() {
        return pattern.map(p -> base.resolve(p).toString()).orElse(base.toString());
    }
}
