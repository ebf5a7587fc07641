package org.unimeros.storage.dataset;

import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Parse;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.expr.Types;
import org.unimeros.storage.commit.PartitionPath;

/** Finds partition columns and their values in the folder names of files. */
final class Partitions {

    private Partitions() {}

    /** The folder names between a dataset and a file that are partitions: keys and values as text. */
    static Map<String, String> of(String relativePath) {
        if (relativePath.indexOf('/') < 0) {
            return Map.of();
        }
        Map<String, String> values = new LinkedHashMap<>();
        String[] steps = relativePath.split("/");
        for (int i = 0; i < steps.length - 1; i++) {
            String step = steps[i];
            PartitionPath.key(step).ifPresent(key -> values.put(key, PartitionPath.value(step)));
        }
        return values;
    }

    /**
     * The partition columns of some files.
     *
     * @param files the files by their paths in the dataset
     * @param valuesOfFiles what {@link #of} found for each
     * @param declared types that are known already
     * @throws BadData when not all files have the same keys
     */
    static List<Field> fields(
            String dataset, List<String> files, List<Map<String, String>> valuesOfFiles, List<Field> declared) {
        Map<String, DataType> types = new LinkedHashMap<>();
        valuesOfFiles.get(0).keySet().forEach(k -> types.put(k, DataType.NULL));
        for (int i = 0; i < files.size(); i++) {
            Map<String, String> values = valuesOfFiles.get(i);
            if (!values.keySet().equals(types.keySet())) {
                throw new BadData("dataset " + dataset + " mixes partition layouts: " + files.get(0) + " has "
                        + types.keySet() + ", " + files.get(i) + " has " + values.keySet()
                        + "; move the files that do not belong");
            }
            values.forEach((k, v) -> types.merge(k, guess(v), Partitions::meet));
        }
        List<Field> fields = new ArrayList<>();
        types.forEach((name, type) -> fields.add(Field.of(name, declaredType(name, declared, type))));
        return fields;
    }

    private static DataType declaredType(String name, List<Field> declared, DataType found) {
        return declared.stream()
                .filter(f -> f.name().equalsIgnoreCase(name))
                .map(Field::type)
                .findFirst()
                .orElse(found == DataType.NULL ? DataType.TEXT : found);
    }

    private static DataType guess(String value) {
        if (value == null) {
            return DataType.NULL;
        }
        // A postcode such as 01067 is not the number 1067, but the hour 06 is 6.
        if (value.matches("[+-]?0[0-9]{2,}|[+-]0.*|[+].*")) {
            return DataType.TEXT;
        }
        for (DataType type : List.of(DataType.INT, DataType.LONG, DataType.DATE)) {
            if (Parse.value(value, type).isPresent()) {
                return type;
            }
        }
        return DataType.TEXT;
    }

    private static DataType meet(DataType a, DataType b) {
        return Types.common(a, b).filter(t -> t != DataType.TIMESTAMP).orElse(DataType.TEXT);
    }

    /** A value of a partition column; null for a null. */
    static Object value(String dataset, Field field, String text) {
        if (text == null) {
            return null;
        }
        return Parse.value(text, field.type())
                .orElseThrow(() -> new BadData("dataset " + dataset + ": partition " + field.name() + "=" + text
                        + " is not " + field.type() + "; declare another type, or rename the folder"));
    }
}
