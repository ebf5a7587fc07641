package org.unimeros;

import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.storage.dataset.DatasetSpec;
import org.unimeros.storage.format.ColumnSpec;
import org.unimeros.storage.format.FormatOptions;

/** What is said of a dataset when it is read. Immutable: each call gives options with something more. */
public final class ReadOptions {

    private final DatasetSpec base;
    private final Optional<String> format;
    private final FormatOptions options;
    private final List<ColumnSpec> columns;
    private final List<Field> partitions;

    ReadOptions(DatasetSpec base) {
        this(base, Optional.empty(), base.options(), List.of(), List.of());
    }

    private ReadOptions(
            DatasetSpec base,
            Optional<String> format,
            FormatOptions options,
            List<ColumnSpec> columns,
            List<Field> partitions) {
        this.base = base;
        this.format = format;
        this.options = options;
        this.columns = columns;
        this.partitions = partitions;
    }

    /** The format of the files: csv, json, parquet or text; else it follows from their endings. */
    public ReadOptions format(String name) {
        return new ReadOptions(base, Optional.of(name), options, columns, partitions);
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
    public ReadOptions nullText(String... texts) {
        return option("null_text", texts);
    }

    /** The character encoding of text files: UTF-8 unless given or shown by the mark at their beginning. */
    public ReadOptions encoding(String name) {
        return option("encoding", name);
    }

    /**
     * How text files are written, by the names that SQL and declarations have too: delimiter, header, quote, null_text, encoding,
     * decimal_mark, date_form, timestamp_form, comment.
     *
     * @param values one; several for null_text
     * @throws UserMistake when there is no such option, or the value means nothing for it
     */
    public ReadOptions option(String name, String... values) {
        return new ReadOptions(base, format, options.with(name, List.of(values)), columns, partitions);
    }

    /** Declares a column by name and SQL type; once one is declared, only declared ones are read. */
    public ReadOptions column(String name, String type) {
        return column(name, type, name);
    }

    /** Declares a column that stands elsewhere in a record: for JSON a path such as {@code device.battery}. */
    public ReadOptions column(String name, String type, String path) {
        List<ColumnSpec> more = new ArrayList<>(columns);
        more.add(new ColumnSpec(name, DataType.parse(type), path));
        return new ReadOptions(base, format, options, more, partitions);
    }

    /** Declares the type of a partition column. */
    public ReadOptions partition(String name, String type) {
        List<Field> more = new ArrayList<>(partitions);
        more.add(Field.of(name, DataType.parse(type)));
        return new ReadOptions(base, format, options, columns, more);
    }

    DatasetSpec spec() {
        return base.with(format, options, columns.isEmpty() ? Optional.empty() : Optional.of(columns), partitions);
    }

    /** With what the arguments of {@code dataset(…)} in SQL say: the format, columns, partitions, and options by their names. */
    ReadOptions with(Map<String, List<String>> said) {
        ReadOptions all = this;
        for (Map.Entry<String, List<String>> one : said.entrySet()) {
            all = switch (one.getKey()) {
                case "format" -> {
                    if (one.getValue().size() > 1) {
                        throw new UserMistake("files are read in one format, but found " + one.getValue());
                    }
                    yield all.format(one.getValue().get(0));
                }
                case "columns" -> {
                    List<ColumnSpec> declared = new ArrayList<>(all.columns);
                    one.getValue().forEach(text -> declared.addAll(ColumnSpec.parse(text)));
                    yield new ReadOptions(base, all.format, all.options, declared, all.partitions);
                }
                case "partitions" -> {
                    List<Field> declared = new ArrayList<>(all.partitions);
                    one.getValue()
                            .forEach(text ->
                                    ColumnSpec.parse(text).forEach(c -> declared.add(Field.of(c.name(), c.type()))));
                    yield new ReadOptions(base, all.format, all.options, all.columns, declared);
                }
                default -> all.option(one.getKey(), one.getValue().toArray(String[]::new));
            };
        }
        return all;
    }
}
