package org.unimeros;

import java.nio.file.Path;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import org.unimeros.storage.commit.WriteMode;
import org.unimeros.storage.commit.WriteSpec;
import org.unimeros.storage.dataset.Formats;
import org.unimeros.storage.format.FormatOptions;

/**
 * How rows are written. Unless said otherwise: Parquet, without partitions, and an error when there is data already.
 * Immutable: each call gives options with something more.
 */
public final class WriteOptions {

    private final String format;
    private final Map<String, String> formatOptions;
    private final List<String> partitionColumns;
    private final WriteMode mode;

    WriteOptions() {
        this("parquet", Map.of(), List.of(), WriteMode.FAIL);
    }

    private WriteOptions(
            String format, Map<String, String> formatOptions, List<String> partitionColumns, WriteMode mode) {
        this.format = format;
        this.formatOptions = formatOptions;
        this.partitionColumns = partitionColumns;
        this.mode = mode;
    }

    public WriteOptions parquet() {
        return format("parquet");
    }

    public WriteOptions csv() {
        return format("csv");
    }

    public WriteOptions json() {
        return format("json");
    }

    /** The format by its name: parquet, csv, json or text. */
    public WriteOptions format(String name) {
        return new WriteOptions(name, formatOptions, partitionColumns, mode);
    }

    /** The compression of Parquet files: zstd unless given, snappy or none. */
    public WriteOptions compression(String name) {
        Map<String, String> more = new HashMap<>(formatOptions);
        more.put("compression", name);
        return new WriteOptions(format, more, partitionColumns, mode);
    }

    /** Makes a folder for each value of a column, and within it for each value of the next. */
    public WriteOptions partitionedBy(String... columns) {
        return new WriteOptions(format, formatOptions, List.of(columns), mode);
    }

    /** Adds files beside those that are there. */
    public WriteOptions appending() {
        return mode("append");
    }

    /** Replaces the partitions that get new rows, and no others. */
    public WriteOptions replacingPartitions() {
        return mode("replace-partitions");
    }

    /** Replaces all that is there. */
    public WriteOptions replacing() {
        return mode("replace");
    }

    /** What becomes of data that is there: fail, append, replace-partitions or replace. */
    public WriteOptions mode(String name) {
        return new WriteOptions(format, formatOptions, partitionColumns, WriteMode.parse(name));
    }

    WriteSpec spec(String location, Formats formats, Settings settings) {
        return new WriteSpec(
                Path.of(location),
                formats.byName(format),
                FormatOptions.of(formatOptions),
                partitionColumns,
                mode,
                settings.replacesOnTop(),
                settings.keepReplacedMillis());
    }
}
