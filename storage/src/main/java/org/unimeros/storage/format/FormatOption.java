package org.unimeros.storage.format;

import java.util.Arrays;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import org.unimeros.engine.error.NameSuggestions;
import org.unimeros.engine.error.UserMistake;

/** What can be said of how files are written, by the same names in SQL, in calls, on the command line and in declarations. */
public enum FormatOption {
    /** The character between fields. */
    DELIMITER,
    /** Whether the first line names the columns. */
    HEADER,
    /** The character around fields that have a delimiter, a line break or itself inside; or none. */
    QUOTE,
    /** What stands for null where it is in no quotes, beside the empty field; several can be given. */
    NULL_TEXT,
    /** The character encoding. */
    ENCODING,
    /** What separates whole and fraction of numbers: a point or a comma. */
    DECIMAL_MARK,
    /** How dates are written. */
    DATE_FORM,
    /** How timestamps are written. */
    TIMESTAMP_FORM,
    /** The character that begins a line which is no record; a record that begins with it is written in quotes. */
    COMMENT,
    /** How pages are compressed. */
    COMPRESSION;

    /** What it is called. */
    public String key() {
        return name().toLowerCase(Locale.ROOT);
    }

    /**
     * The option of a name.
     *
     * @throws UserMistake when there is none
     */
    public static FormatOption of(String name) {
        return find(name)
                .orElseThrow(
                        () -> new UserMistake("unknown format option " + name + NameSuggestions.hint(name, names())));
    }

    static Optional<FormatOption> find(String name) {
        return Arrays.stream(values()).filter(o -> o.key().equals(name)).findFirst();
    }

    /** The names of all options. */
    public static List<String> names() {
        return Arrays.stream(values()).map(FormatOption::key).toList();
    }
}
