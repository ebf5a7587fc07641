package org.unimeros.storage.dataset;

import java.io.IOException;
import java.io.InputStream;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.snakeyaml.engine.v2.api.Load;
import org.snakeyaml.engine.v2.api.LoadSettings;
import org.snakeyaml.engine.v2.api.lowlevel.Compose;
import org.snakeyaml.engine.v2.exceptions.MarkedYamlEngineException;
import org.snakeyaml.engine.v2.exceptions.YamlEngineException;
import org.snakeyaml.engine.v2.nodes.MappingNode;
import org.snakeyaml.engine.v2.nodes.Node;
import org.snakeyaml.engine.v2.nodes.NodeTuple;
import org.snakeyaml.engine.v2.nodes.ScalarNode;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.error.NameSuggestions;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.storage.format.ColumnSpec;
import org.unimeros.storage.format.FormatOptions;
import org.unimeros.storage.format.Io;

/**
 * Reads a file that declares datasets.
 *
 * <pre>
 * datasets:
 *   scans:
 *     location: scans              # relative to the folder of this file; a pattern such as scans/*.jsonl, or a list
 *     format: json
 *     options: {encoding: utf-16}
 *     columns:
 *       - {name: scan_id, type: long}
 *       - {name: model, type: text, path: device.model}
 *     partitions:
 *       - {name: day, type: date}
 * </pre>
 */
final class CatalogFile {

    private static final List<String> DATASET_KEYS = List.of("location", "format", "options", "columns", "partitions");
    private static final List<String> COLUMN_KEYS = List.of("name", "type", "path");

    private final Path file;

    private CatalogFile(Path file) {
        this.file = file;
    }

    /**
     * What a file declares. A mistake in one declaration is of that dataset alone.
     *
     * @throws UserMistake when the file as a whole cannot be read
     */
    static Declared read(Path file) {
        return new CatalogFile(file).datasets();
    }

    /** Datasets, and mistakes in declarations by the names of theirs. */
    record Declared(List<DatasetSpec> specs, Map<String, UserMistake> mistakes) {}

    private Declared datasets() {
        Map<String, Object> root = map(load(), "the file");
        requireKnown(root, List.of("datasets"), "the file");
        List<DatasetSpec> specs = new ArrayList<>();
        Map<String, UserMistake> mistakes = new LinkedHashMap<>();
        map(root.get("datasets"), "datasets").forEach((name, value) -> {
            try {
                specs.add(dataset(name, value));
            } catch (UserMistake e) {
                mistakes.put(name, new UserMistake(e.getMessage().replace(file + ":", file + line(name) + ":"), e));
            }
        });
        return new Declared(specs, mistakes);
    }

    /** Where the declaration of a dataset begins. */
    private String line(String dataset) {
        try (InputStream in = Files.newInputStream(file)) {
            Optional<Node> root = new Compose(LoadSettings.builder().build()).composeInputStream(in);
            return root.flatMap(r -> entry(r, "datasets"))
                    .flatMap(datasets -> entry(datasets.getValueNode(), dataset))
                    .flatMap(found -> found.getKeyNode().getStartMark())
                    .map(mark -> ":" + (mark.getLine() + 1))
                    .orElse("");
        } catch (IOException e) {
            throw Io.failure("read", file.toString(), e);
        }
    }

    private static Optional<NodeTuple> entry(Node node, String key) {
        return node instanceof MappingNode map
                ? map.getValue().stream()
                        .filter(e -> e.getKeyNode() instanceof ScalarNode s
                                && s.getValue().equals(key))
                        .findFirst()
                : Optional.empty();
    }

    private Object load() {
        try (InputStream in = Files.newInputStream(file)) {
            return new Load(LoadSettings.builder().setLabel(file.toString()).build()).loadFromInputStream(in);
        } catch (MarkedYamlEngineException e) {
            String place = e.getProblemMark()
                    .map(m -> ":" + (m.getLine() + 1) + ":" + (m.getColumn() + 1))
                    .orElse("");
            throw new UserMistake(file + place + ": " + e.getProblem(), e);
        } catch (YamlEngineException e) {
            throw new UserMistake(file + ": " + e.getMessage().split("\n")[0], e);
        } catch (IOException e) {
            throw Io.failure("read", file.toString(), e);
        }
    }

    private DatasetSpec dataset(String name, Object value) {
        String where = "dataset " + name;
        Map<String, Object> entries = map(value, where);
        requireKnown(entries, DATASET_KEYS, where);
        Path base = file.getParent() == null ? Path.of("") : file.getParent();
        List<Location> locations = texts(entries.getOrDefault("location", name), where + ", location").stream()
                .map(location -> Location.of(location, base))
                .toList();
        return new DatasetSpec(
                name,
                locations,
                Optional.ofNullable(entries.get("format")).map(f -> text(f, where + ", format")),
                options(entries, where),
                Optional.ofNullable(entries.get("columns")).map(c -> columns(c, where)),
                entries.containsKey("partitions") ? fields(entries.get("partitions"), where) : List.of());
    }

    private FormatOptions options(Map<String, Object> entries, String where) {
        FormatOptions options = FormatOptions.DEFAULTS;
        Object said = entries.getOrDefault("options", Map.of());
        for (Map.Entry<String, Object> option : map(said, where + ", options").entrySet()) {
            List<String> values = texts(option.getValue(), where + ", option " + option.getKey());
            try {
                options = options.with(option.getKey(), values);
            } catch (UserMistake e) {
                throw new UserMistake(file + ": " + where + ": " + e.getMessage(), e);
            }
        }
        return options;
    }

    /** One text, or several. */
    private List<String> texts(Object value, String what) {
        if (!(value instanceof List<?> several) || several.isEmpty()) {
            return List.of(text(value, what));
        }
        return several.stream().map(one -> text(one, what)).toList();
    }

    private List<ColumnSpec> columns(Object value, String where) {
        List<ColumnSpec> columns = new ArrayList<>();
        for (Object item : list(value, where + ", columns")) {
            Map<String, Object> entry = map(item, where + ", a column");
            requireKnown(entry, COLUMN_KEYS, where + ", a column");
            String name = text(entry.get("name"), where + ", the name of a column");
            columns.add(new ColumnSpec(name, type(entry, where), text(entry.getOrDefault("path", name), where)));
        }
        return columns;
    }

    private List<Field> fields(Object value, String where) {
        List<Field> fields = new ArrayList<>();
        for (Object item : list(value, where + ", partitions")) {
            Map<String, Object> entry = map(item, where + ", a partition");
            requireKnown(entry, List.of("name", "type"), where + ", a partition");
            fields.add(Field.of(text(entry.get("name"), where + ", the name of a partition"), type(entry, where)));
        }
        return fields;
    }

    private DataType type(Map<String, Object> entry, String where) {
        try {
            return DataType.parse(text(entry.get("type"), where + ", the type of " + entry.get("name")));
        } catch (UserMistake e) {
            throw new UserMistake(file + ": " + where + ", column " + entry.get("name") + ": " + e.getMessage(), e);
        }
    }

    @SuppressWarnings("unchecked")
    private Map<String, Object> map(Object value, String what) {
        if (!(value instanceof Map<?, ?> map) || !map.keySet().stream().allMatch(String.class::isInstance)) {
            throw new UserMistake(file + ": " + what + " needs names with values, but found " + value);
        }
        return (Map<String, Object>) map;
    }

    private List<?> list(Object value, String what) {
        if (!(value instanceof List<?> list)) {
            throw new UserMistake(file + ": " + what + " needs a list, but found " + value);
        }
        return list;
    }

    private String text(Object value, String what) {
        if (value == null || value instanceof Map || value instanceof List) {
            throw new UserMistake(file + ": " + what + " needs a value, but found " + value);
        }
        return value.toString();
    }

    private void requireKnown(Map<String, Object> entries, List<String> known, String where) {
        for (String key : entries.keySet()) {
            if (!known.contains(key)) {
                throw new UserMistake(
                        file + ": " + where + " has an unknown entry " + key + NameSuggestions.hint(key, known));
            }
        }
    }
}
