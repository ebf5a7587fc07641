package org.unimeros;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.storage.dataset.DatasetSpec;
import org.unimeros.storage.format.ColumnSpec;

/** What is said of a dataset when it is read. Immutable: each call gives options with something more. */
public final class ReadOptions {

    private final DatasetSpec base;
    private final Optional<String> format;
    private final Map<String, String> formatOptions;
    private final List<ColumnSpec> columns;
    private final List<Field> partitions;

    ReadOptions(DatasetSpec base) {
        this(base, Optional.empty(), Map.of(), List.of(), List.of());
    }

    private ReadOptions(
            DatasetSpec base,
            Optional<String> format,
            Map<String, String> formatOptions,
            List<ColumnSpec> columns,
            List<Field> partitions) {
        this.base = base;
        this.format = format;
        this.formatOptions = formatOptions;
        this.columns = columns;
        this.partitions = partitions;
    }

    /** The format of the files: csv, json, parquet or text; else it follows from their endings. */
    public ReadOptions format(String name) {
        return new ReadOptions(base, Optional.of(name), formatOptions, columns, partitions);
    }

    /** The character between the fields of a CSV line; a comma unless given. */
    public ReadOptions delimiter(char delimiter) {
        return option("delimiter", String.valueOf(delimiter));
    }

    /** Whether the first line of a CSV file names its columns; if not they are column_1, column_2 and so on. */
    public ReadOptions header(boolean hasHeader) {
        return option("header", String.valueOf(hasHeader));
    }

    /** What stands for null in a CSV field without quotes, besides the empty field. */
    public ReadOptions nullText(String text) {
        return option("null", text);
    }

    private ReadOptions option(String name, String value) {
        Map<String, String> more = new HashMap<>(formatOptions);
        more.put(name, value);
        return new ReadOptions(base, format, more, columns, partitions);
    }

    /** Declares a column by name and SQL type; once one is declared, only declared ones are read. */
    public ReadOptions column(String name, String type) {
        return column(name, type, name);
    }

    /** Declares a column that stands elsewhere in a record: for JSON a path such as {@code device.battery}. */
    public ReadOptions column(String name, String type, String path) {
        List<ColumnSpec> more = new ArrayList<>(columns);
        more.add(new ColumnSpec(name, DataType.parse(type), path));
        return new ReadOptions(base, format, formatOptions, more, partitions);
    }

    /** Declares the type of a partition column. */
    public ReadOptions partition(String name, String type) {
        List<Field> more = new ArrayList<>(partitions);
        more.add(Field.of(name, DataType.parse(type)));
        return new ReadOptions(base, format, formatOptions, columns, more);
    }

    DatasetSpec spec() {
        return new DatasetSpec(
                base.name(),
                base.location(),
                format.or(base::format),
                base.options().with(formatOptions),
                columns.isEmpty() ? base.columns() : Optional.of(columns),
                partitions.isEmpty() ? base.partitionColumns() : partitions);
    }
}
