package org.unimeros.storage.format;

import java.io.Serializable;
import java.nio.charset.Charset;
import java.nio.charset.IllegalCharsetNameException;
import java.nio.charset.StandardCharsets;
import java.nio.charset.UnsupportedCharsetException;
import java.util.ArrayList;
import java.util.Collection;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import org.unimeros.engine.error.NameSuggestions;
import org.unimeros.engine.error.UserMistake;

/** How files of a format are written and read: what somebody has said, what files show, and else the defaults. Immutable. */
public final class FormatOptions implements Serializable {

    private static final long serialVersionUID = 1;

    public static final FormatOptions DEFAULTS = new FormatOptions(new TreeMap<>(), new TreeMap<>());

    private static final List<String> COMPRESSIONS = List.of("zstd", "snappy", "none");

    /** No character of any text. */
    private static final char NO_CHARACTER = '\uFFFF';

    private final Map<FormatOption, List<String>> said;
    private final Map<FormatOption, List<String>> found;

    private FormatOptions(Map<FormatOption, List<String>> said, Map<FormatOption, List<String>> found) {
        this.said = said;
        this.found = found;
    }

    /** The defaults with some options changed, by name. */
    public static FormatOptions of(Map<String, String> changes) {
        return DEFAULTS.with(changes);
    }

    /** These with some options changed, by name; all others stay. */
    public FormatOptions with(Map<String, String> changes) {
        FormatOptions o = this;
        for (Map.Entry<String, String> change : changes.entrySet()) {
            o = o.with(change.getKey(), List.of(change.getValue()));
        }
        return o;
    }

    /**
     * These with an option changed; all others stay.
     *
     * @param values one, or several of an option that can have them
     * @throws UserMistake when there is no such option, or the value means nothing for it
     */
    public FormatOptions with(String name, List<String> values) {
        FormatOption option = FormatOption.of(name);
        if (values.size() != 1 && option != FormatOption.NULL_TEXT) {
            throw new UserMistake("option " + name + " has one value, but found " + values);
        }
        Map<FormatOption, List<String>> changed = new TreeMap<>(said);
        changed.put(option, List.copyOf(values));
        FormatOptions with = new FormatOptions(changed, found);
        with.requireMeaning(option);
        return with;
    }

    private void requireMeaning(FormatOption option) {
        switch (option) {
            case DELIMITER -> delimiter();
            case HEADER -> header();
            case QUOTE -> quote();
            case NULL_TEXT -> nullTexts();
            case ENCODING -> encoding();
            case DECIMAL_MARK, DATE_FORM, TIMESTAMP_FORM -> notation();
            case COMMENT -> comment();
            case COMPRESSION -> compression();
        }
    }

    /** Whether somebody has said what an option is. */
    public boolean says(FormatOption option) {
        return said.containsKey(option);
    }

    /**
     * Does nothing where a format has all options that somebody has said something of, and they go together.
     *
     * @throws UserMistake naming one that it does not have, or those that are the same
     */
    public void requireFor(String format, Collection<FormatOption> known, boolean reads) {
        List<Character> marks = new ArrayList<>(List.of(delimiter(), quote()));
        comment().ifPresent(marks::add);
        if (Set.copyOf(marks).size() < marks.size()) {
            throw new UserMistake("delimiter, quote and comment must differ, but two of them are the same: " + marks);
        }
        for (FormatOption option : said.keySet()) {
            if (!known.contains(option)) {
                Set<String> names = new TreeSet<>();
                known.forEach(o -> names.add(o.key()));
                throw new UserMistake(format + " files are " + (reads ? "read" : "written") + " without option "
                        + option.key() + "; there "
                        + (names.isEmpty() ? "are none" : "are " + String.join(", ", names)));
            }
        }
    }

    /** The same with what the files show of an option that nobody has said. */
    public FormatOptions found(FormatOption option, String value) {
        Map<FormatOption, List<String>> more = new TreeMap<>(found);
        more.put(option, List.of(value));
        return new FormatOptions(said, more);
    }

    /** What is said or found of some options, and of no others. */
    public FormatOptions only(Collection<FormatOption> wanted) {
        Map<FormatOption, List<String>> kept = new TreeMap<>(found);
        kept.putAll(said);
        kept.keySet().retainAll(wanted);
        return new FormatOptions(kept, new TreeMap<>());
    }

    private Optional<String> value(FormatOption option) {
        List<String> values = said.getOrDefault(option, found.get(option));
        return Optional.ofNullable(values).map(v -> v.get(0));
    }

    /** Between the fields of a line. */
    public char delimiter() {
        return character(FormatOption.DELIMITER).orElse(',');
    }

    /** Around fields; a character that is in no text where there are no quotes. */
    public char quote() {
        return value(FormatOption.QUOTE).filter("none"::equals).isPresent()
                ? NO_CHARACTER
                : character(FormatOption.QUOTE).orElse('"');
    }

    /** Whether fields can stand in quotes. */
    public boolean hasQuotes() {
        return quote() != NO_CHARACTER;
    }

    /** What begins a line that is no record. */
    public Optional<Character> comment() {
        return character(FormatOption.COMMENT);
    }

    private Optional<Character> character(FormatOption option) {
        return value(option).map(value -> {
            String text = value.equals("tab") || value.equals("\\t") ? "\t" : value;
            boolean isDelimiter = option == FormatOption.DELIMITER;
            boolean usable = text.length() == 1
                    && "\n\r".indexOf(text.charAt(0)) < 0
                    && !(isDelimiter && text.equals("\""))
                    && (isDelimiter || text.charAt(0) < 128);
            if (!usable) {
                throw new UserMistake("option " + option.key() + " needs one "
                        + (isDelimiter ? "character, or tab," : "character of ASCII")
                        + (option == FormatOption.QUOTE ? ", or none," : "") + " but found '" + value + "'");
            }
            return text.charAt(0);
        });
    }

    /** Whether the first line of a file names its columns. */
    public boolean header() {
        return switch (value(FormatOption.HEADER).orElse("true")) {
            case "true" -> true;
            case "false" -> false;
            default ->
                throw new UserMistake("option header is true or false, but found '"
                        + value(FormatOption.HEADER).orElseThrow() + "'");
        };
    }

    /** What stands for null in a field without quotes, beside the empty field. */
    public List<String> nullTexts() {
        return said.getOrDefault(FormatOption.NULL_TEXT, List.of());
    }

    /** The character encoding. */
    public Charset encoding() {
        String name = value(FormatOption.ENCODING).orElse("utf-8");
        try {
            return Charset.forName(name);
        } catch (IllegalCharsetNameException | UnsupportedCharsetException e) {
            List<String> usual =
                    List.of("utf-8", "utf-16", "utf-16le", "utf-16be", "iso-8859-1", "iso-8859-15", "windows-1252");
            throw new UserMistake("unknown encoding " + name + NameSuggestions.hint(name, usual), e);
        }
    }

    /** Whether texts are as the engine has them. */
    public boolean isUtf8() {
        return encoding().equals(StandardCharsets.UTF_8);
    }

    /** How numbers and times are written. */
    public Notation notation() {
        String mark = value(FormatOption.DECIMAL_MARK).orElse(".");
        if (!mark.equals(".") && !mark.equals(",")) {
            throw new UserMistake("option decimal_mark is . or , but found '" + mark + "'");
        }
        return new Notation(mark.charAt(0), value(FormatOption.DATE_FORM), value(FormatOption.TIMESTAMP_FORM));
    }

    /** Of Parquet pages: zstd, snappy or none. */
    public String compression() {
        String name = value(FormatOption.COMPRESSION).orElse("zstd");
        if (!COMPRESSIONS.contains(name)) {
            throw new UserMistake("unknown compression " + name + NameSuggestions.hint(name, COMPRESSIONS));
        }
        return name;
    }

    @Override
    public boolean equals(Object other) {
        return other instanceof FormatOptions o && said.equals(o.said) && found.equals(o.found);
    }

    @Override
    public int hashCode() {
        return said.hashCode();
    }

    /** The options that somebody has said something of. */
    @Override
    public String toString() {
        return said.toString();
    }
}
