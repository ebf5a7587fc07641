package org.unimeros.storage.dataset;

import java.nio.file.Path;
import java.util.List;
import java.util.Optional;
import org.unimeros.engine.data.Field;
import org.unimeros.storage.format.ColumnSpec;
import org.unimeros.storage.format.FormatOptions;

/**
 * What is said of a dataset, by a declaration or by the options of a read; all else is found out by looking at it.
 *
 * @param name what it is called in plans and messages
 * @param columns the columns of its files, in place of those that would be inferred
 * @param partitionColumns names and types of partition columns, in place of inferred types
 */
public record DatasetSpec(
        String name,
        Path location,
        Optional<String> format,
        FormatOptions options,
        Optional<List<ColumnSpec>> columns,
        List<Field> partitionColumns) {

    public DatasetSpec {
        columns = columns.map(List::copyOf);
        partitionColumns = List.copyOf(partitionColumns);
    }

    /** The same with other options of the format. */
    DatasetSpec with(FormatOptions other) {
        return new DatasetSpec(name, location, format, other, columns, partitionColumns);
    }

    public static DatasetSpec of(String name, Path location) {
        return new DatasetSpec(name, location, Optional.empty(), FormatOptions.DEFAULTS, Optional.empty(), List.of());
    }
}
