package org.unimeros.storage.dataset;

import java.nio.file.Path;
import java.util.List;
import java.util.Optional;
import java.util.stream.Collectors;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.storage.format.ColumnSpec;
import org.unimeros.storage.format.FormatOptions;

/**
 * What is said of a dataset, by a declaration or by the options of a read; all else is found out by looking at it.
 *
 * @param name what it is called in plans and messages
 * @param locations where its files are, at least one place
 * @param columns the columns of its files, in place of those that would be inferred
 * @param partitionColumns names and types of partition columns, in place of inferred types
 */
public record DatasetSpec(
        String name,
        List<Location> locations,
        Optional<String> format,
        FormatOptions options,
        Optional<List<ColumnSpec>> columns,
        List<Field> partitionColumns) {

    public DatasetSpec {
        locations = List.copyOf(locations);
        columns = columns.map(List::copyOf);
        partitionColumns = List.copyOf(partitionColumns);
    }

    /** The same with other options of the format. */
    DatasetSpec with(FormatOptions other) {
        return new DatasetSpec(name, locations, format, other, columns, partitionColumns);
    }

    /** The places where its files are. */
    public String location() {
        return locations.stream().map(Location::toString).collect(Collectors.joining(", "));
    }

    /** The same with something more said of it: another format, changed options, columns. */
    public DatasetSpec with(
            Optional<String> otherFormat,
            FormatOptions changed,
            Optional<List<ColumnSpec>> otherColumns,
            List<Field> partitions) {
        return new DatasetSpec(
                name,
                locations,
                otherFormat.or(() -> format),
                changed,
                otherColumns.or(() -> columns),
                partitions.isEmpty() ? partitionColumns : partitions);
    }

    /**
     * The files of several datasets as one, all as the first one says.
     *
     * @throws UserMistake when another one says something else, which would be left out
     */
    static DatasetSpec together(String name, List<DatasetSpec> several) {
        DatasetSpec first = several.get(0);
        for (DatasetSpec other : several) {
            boolean saysNothing = other.equals(of(other.name, other.locations));
            boolean saysTheSame = other.equals(new DatasetSpec(
                    other.name, other.locations, first.format, first.options, first.columns, first.partitionColumns));
            if (!saysNothing && !saysTheSame) {
                throw new UserMistake("datasets " + first.name + " and " + other.name
                        + " are declared otherwise; read them one by one, and put their rows together by union all");
            }
        }
        List<Location> all = several.stream().flatMap(s -> s.locations.stream()).toList();
        return new DatasetSpec(name, all, first.format, first.options, first.columns, first.partitionColumns);
    }

    public static DatasetSpec of(String name, Path location) {
        return of(name, List.of(Location.of(location)));
    }

    static DatasetSpec of(String name, List<Location> locations) {
        return new DatasetSpec(name, locations, Optional.empty(), FormatOptions.DEFAULTS, Optional.empty(), List.of());
    }
}
