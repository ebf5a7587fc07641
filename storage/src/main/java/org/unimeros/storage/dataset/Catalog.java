package org.unimeros.storage.dataset;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.InvalidPathException;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Stream;
import org.unimeros.engine.error.NameSuggestions;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.storage.format.DataFile;
import org.unimeros.storage.format.Io;
import org.unimeros.storage.store.StorePath;

/**
 * Datasets by name: those that a file declares, and those that are found in a folder, by the names of its sub-folders
 * and files. A name that is neither is taken as a path. Immutable.
 */
public final class Catalog {

    /** The declarations that are looked for in a folder of datasets. */
    public static final String FILE_NAME = "datasets.yaml";

    private final Map<String, DatasetSpec> byName;
    /** Of declarations, by names as they were written. */
    private final Map<String, UserMistake> mistakes;

    private final Optional<Path> folder;

    private Catalog(Map<String, DatasetSpec> byName, Map<String, UserMistake> mistakes, Optional<Path> folder) {
        this.byName = byName;
        this.mistakes = mistakes;
        this.folder = folder;
    }

    public static Catalog empty() {
        return new Catalog(Map.of(), Map.of(), Optional.empty());
    }

    /** The datasets of a folder; what its {@code datasets.yaml} says comes before what is found. */
    public static Catalog ofFolder(Path folder) {
        if (!Files.isDirectory(folder)) {
            throw new UserMistake("the folder of datasets " + folder + " does not exist; make it, or name another one");
        }
        Map<String, DatasetSpec> specs = new LinkedHashMap<>();
        try (Stream<Path> entries = Files.list(folder)) {
            for (Path entry : entries.sorted().toList()) {
                String name = entry.getFileName().toString();
                boolean hidden = name.startsWith(".") || name.startsWith("_") || name.equals(FILE_NAME);
                if (!hidden
                        && (Files.isDirectory(entry)
                                || new Formats().byEnding(file(entry)).isPresent())) {
                    String bare = bareName(name);
                    specs.putIfAbsent(key(bare), DatasetSpec.of(bare, entry));
                }
            }
        } catch (IOException e) {
            throw Io.failure("list", folder.toString(), e);
        }
        Path declarations = folder.resolve(FILE_NAME);
        if (Files.exists(declarations)) {
            CatalogFile.Declared declared = CatalogFile.read(declarations);
            declared.specs().forEach(s -> specs.put(key(s.name()), s));
            return new Catalog(specs, declared.mistakes(), Optional.of(folder));
        }
        return new Catalog(specs, Map.of(), Optional.of(folder));
    }

    /** The datasets that a file declares. */
    public static Catalog ofFile(Path file) {
        Map<String, DatasetSpec> specs = new LinkedHashMap<>();
        CatalogFile.Declared declared = CatalogFile.read(file);
        declared.specs().forEach(s -> specs.put(key(s.name()), s));
        return new Catalog(specs, declared.mistakes(), Optional.empty());
    }

    private static DataFile file(Path path) {
        return new DataFile(StorePath.of(path), 0, 0);
    }

    private static String bareName(String fileName) {
        int dot = fileName.indexOf('.');
        return dot > 0 ? fileName.substring(0, dot) : fileName;
    }

    private static String key(String name) {
        return name.toLowerCase(Locale.ROOT);
    }

    private void requireRight(String name) {
        mistakes.forEach((wrong, mistake) -> {
            if (wrong.equalsIgnoreCase(name)) {
                throw new UserMistake(mistake.getMessage(), mistake);
            }
        });
    }

    /** All names, sorted as they were found. */
    public List<String> names() {
        List<String> names =
                new ArrayList<>(byName.values().stream().map(DatasetSpec::name).toList());
        mistakes.keySet().stream().filter(name -> !names.contains(name)).forEach(names::add);
        return names;
    }

    /**
     * What a name or path means.
     *
     * @throws UserMistake when it is neither, with the near names
     */
    public DatasetSpec find(String nameOrPath) {
        requireRight(nameOrPath);
        DatasetSpec named = byName.get(key(nameOrPath));
        if (named != null) {
            return named;
        }
        Optional<Location> here = location(nameOrPath, Path.of(""));
        Optional<Location> inFolder = folder.flatMap(f -> location(nameOrPath, f));
        if (here.isPresent() && (inFolder.isEmpty() || here.get().hasFiles(nameOrPath))) {
            return DatasetSpec.of(nameOrPath, List.of(here.get()));
        }
        if (inFolder.isPresent()) {
            return DatasetSpec.of(nameOrPath, List.of(inFolder.get()));
        }
        throw new UserMistake("there is no dataset " + nameOrPath
                + (byName.isEmpty() ? ", and no such path" : NameSuggestions.hint(nameOrPath, names())));
    }

    /**
     * What several names or paths mean together.
     *
     * @throws UserMistake when one is neither
     */
    public DatasetSpec find(List<String> namesOrPaths) {
        if (namesOrPaths.isEmpty()) {
            throw new UserMistake("a dataset needs a name or a path");
        }
        return namesOrPaths.size() == 1
                ? find(namesOrPaths.get(0))
                : DatasetSpec.together(
                        namesOrPaths.get(0) + " and " + (namesOrPaths.size() - 1) + " more",
                        namesOrPaths.stream().map(this::find).toList());
    }

    /** The place that a text means, where there is something; a pattern counts when the folder in which it begins is there. */
    private static Optional<Location> location(String text, Path from) {
        try {
            return Optional.of(Location.of(text, from)).filter(Location::exists);
        } catch (InvalidPathException e) {
            return Optional.empty();
        }
    }

    /**
     * Where a dataset is, or would be made: a plain name stands for a folder beside the others.
     *
     * @throws UserMistake when it is in several places, or in those that fit a pattern
     */
    public StorePath location(String nameOrPath) {
        requireRight(nameOrPath);
        DatasetSpec named = byName.get(key(nameOrPath));
        if (named != null) {
            Location place = named.locations().get(0);
            if (named.locations().size() > 1 || place.pattern().isPresent()) {
                throw new UserMistake("dataset " + nameOrPath + " is declared in " + named.location()
                        + "; name the one folder that is to be written");
            }
            return place.base();
        }
        if (Location.isPattern(nameOrPath)) {
            throw new UserMistake("'" + nameOrPath + "' is a pattern; name the one folder that is to be written");
        }
        Path path = path(nameOrPath).orElseThrow(() -> new UserMistake("'" + nameOrPath + "' is no path"));
        return StorePath.of(
                path.getNameCount() == 1 && folder.isPresent() ? folder.get().resolve(path) : path);
    }

    private static Optional<Path> path(String text) {
        try {
            return Optional.of(Path.of(text));
        } catch (InvalidPathException e) {
            return Optional.empty();
        }
    }
}
