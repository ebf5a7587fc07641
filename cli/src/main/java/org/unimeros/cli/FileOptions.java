package org.unimeros.cli;

import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.stream.Stream;
import org.unimeros.ReadOptions;
import org.unimeros.WriteOptions;
import org.unimeros.engine.error.UserMistake;
import picocli.CommandLine.Option;

/** How text files are written, by the names that SQL and declarations have too. */
final class FileOptions {

    @Option(
            names = "--option",
            paramLabel = "NAME=VALUE",
            description = "How text files are written: delimiter, header, quote, null_text (several times for several),"
                    + " encoding, decimal_mark, date_form, timestamp_form, comment; compression of Parquet.")
    List<String> options = List.of();

    private Map<String, List<String>> values() {
        Map<String, List<String>> values = new TreeMap<>();
        for (String option : options) {
            int at = option.indexOf('=');
            if (at <= 0) {
                throw new UserMistake("--option needs NAME=VALUE, but found '" + option + "'");
            }
            values.merge(
                    option.substring(0, at),
                    List.of(option.substring(at + 1)),
                    (a, b) -> Stream.concat(a.stream(), b.stream()).toList());
        }
        return values;
    }

    ReadOptions apply(ReadOptions read) {
        ReadOptions all = read;
        for (Map.Entry<String, List<String>> option : values().entrySet()) {
            all = all.option(option.getKey(), option.getValue().toArray(String[]::new));
        }
        return all;
    }

    WriteOptions apply(WriteOptions write) {
        WriteOptions all = write;
        for (Map.Entry<String, List<String>> option : values().entrySet()) {
            all = all.option(option.getKey(), option.getValue().toArray(String[]::new));
        }
        return all;
    }

    boolean isEmpty() {
        return options.isEmpty();
    }
}
