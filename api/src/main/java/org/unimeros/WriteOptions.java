package org.unimeros;

import java.nio.file.Path;
import java.util.List;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.storage.commit.WriteMode;
import org.unimeros.storage.commit.WriteSpec;
import org.unimeros.storage.dataset.Formats;
import org.unimeros.storage.format.FormatOptions;
import org.unimeros.storage.store.StorePath;

/**
 * How rows are written. Unless said otherwise: Parquet, without partitions, and an error when there is data already.
 * Immutable: each call gives options with something more.
 */
public final class WriteOptions {

    private final String format;
    private final FormatOptions options;
    private final List<String> partitionColumns;
    private final WriteMode mode;

    WriteOptions() {
        this("parquet", FormatOptions.DEFAULTS, List.of(), WriteMode.FAIL);
    }

    private WriteOptions(String format, FormatOptions options, List<String> partitionColumns, WriteMode mode) {
        this.format = format;
        this.options = options;
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
        return new WriteOptions(name, options, partitionColumns, mode);
    }

    /** The compression of Parquet files: zstd unless given, snappy or none. */
    public WriteOptions compression(String name) {
        return option("compression", name);
    }

    /**
     * How files are written, by name. CSV has delimiter, header, quote, null_text, encoding, decimal_mark, date_form and timestamp_form; Parquet has
     * compression.
     *
     * @param values one; several for null_text, of which the first is written
     * @throws UserMistake when there is no such option, or the value means nothing for it
     */
    public WriteOptions option(String name, String... values) {
        return options(options.with(name, List.of(values)));
    }

    WriteOptions options(FormatOptions all) {
        return new WriteOptions(format, all, partitionColumns, mode);
    }

    /** Makes a folder for each value of a column, and within it for each value of the next. */
    public WriteOptions partitionedBy(String... columns) {
        return new WriteOptions(format, options, List.of(columns), mode);
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
        return new WriteOptions(format, options, partitionColumns, WriteMode.parse(name));
    }

    WriteSpec spec(String location, Formats formats, Settings settings) {
        return new WriteSpec(
                StorePath.of(Path.of(location)),
                formats.byName(format),
                options,
                partitionColumns,
                mode,
                settings.replacesOnTop(),
                settings.keepReplacedMillis());
    }
}
