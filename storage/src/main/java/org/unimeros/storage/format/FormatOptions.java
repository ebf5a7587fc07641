package org.unimeros.storage.format;

import java.io.Serializable;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import org.unimeros.engine.error.Near;
import org.unimeros.engine.error.UserMistake;

/**
 * How files of a format are written and read.
 *
 * @param delimiter between the fields of a CSV line
 * @param header whether the first line of a CSV file names its columns
 * @param nullText what stands for null in a CSV field without quotes; the empty field unless given
 * @param compression of Parquet pages: zstd, snappy or none
 * @param given the names of the options that somebody has said; what of the others can be seen in the files is taken from there
 */
public record FormatOptions(char delimiter, boolean header, String nullText, String compression, Set<String> given)
        implements Serializable {

    public static final FormatOptions DEFAULTS = new FormatOptions(',', true, "", "zstd", Set.of());

    public FormatOptions {
        given = Set.copyOf(given);
    }

    /** Whether somebody has said what the delimiter, the header and so on is. */
    public boolean says(String option) {
        return given.contains(option);
    }

    /** The same with the delimiter that files turn out to have. */
    public FormatOptions delimitedBy(char found) {
        return new FormatOptions(found, header, nullText, compression, given);
    }

    private static final List<String> NAMES = List.of("delimiter", "header", "null", "compression");
    private static final List<String> COMPRESSIONS = List.of("zstd", "snappy", "none");

    /** The defaults with some options changed, by name. */
    public static FormatOptions of(Map<String, String> changes) {
        return DEFAULTS.with(changes);
    }

    /** These with some options changed, by name; all others stay. */
    public FormatOptions with(Map<String, String> changes) {
        Set<String> said = new HashSet<>(given);
        said.addAll(changes.keySet());
        FormatOptions o = this;
        for (Map.Entry<String, String> change : new TreeMap<>(changes).entrySet()) {
            String value = change.getValue();
            o = switch (change.getKey()) {
                case "delimiter" -> new FormatOptions(single(value), o.header, o.nullText, o.compression, said);
                case "header" -> new FormatOptions(o.delimiter, truth(value), o.nullText, o.compression, said);
                case "null" -> new FormatOptions(o.delimiter, o.header, value, o.compression, said);
                case "compression" -> new FormatOptions(o.delimiter, o.header, o.nullText, compression(value), said);
                default ->
                    throw new UserMistake(
                            "unknown format option " + change.getKey() + Near.hint(change.getKey(), NAMES));
            };
        }
        return o;
    }

    private static char single(String value) {
        String text = value.equals("tab") || value.equals("\\t") ? "\t" : value;
        if (text.length() != 1 || text.equals("\"") || text.equals("\n")) {
            throw new UserMistake("option delimiter needs one character, or tab, but found '" + value + "'");
        }
        return text.charAt(0);
    }

    private static boolean truth(String value) {
        return switch (value) {
            case "true" -> true;
            case "false" -> false;
            default -> throw new UserMistake("option header is true or false, but found '" + value + "'");
        };
    }

    private static String compression(String value) {
        if (!COMPRESSIONS.contains(value)) {
            throw new UserMistake("unknown compression " + value + Near.hint(value, COMPRESSIONS));
        }
        return value;
    }
}
