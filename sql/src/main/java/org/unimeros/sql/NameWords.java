package org.unimeros.sql;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/** Words of a statement that the grammar has a use for, and that can be meant as names. */
final class NameWords {

    /** The standard does not reserve these, so that they are names without quotes. */
    private static final Set<String> FREE =
            Set.of("returns", "returning", "number", "map", "sample", "force", "pivot", "unpivot");

    /** What the grammar reserves. */
    private static final Set<String> RESERVED = Set.of(
            "current",
            "int",
            "window",
            "foreign",
            "else",
            "when",
            "with",
            "using",
            "lateral",
            "natural",
            "cross",
            "unique",
            "check",
            "exists",
            "like",
            "for",
            "final",
            "into",
            "distinct",
            "only",
            "group",
            "order",
            "left",
            "right",
            "full",
            "inner",
            "outer",
            "limit",
            "offset",
            "end",
            "case",
            "then",
            "all",
            "any",
            "some",
            "table",
            "primary",
            "column",
            "user",
            "default",
            "to",
            "desc",
            "asc",
            "create",
            "insert",
            "interval",
            "qualify",
            "values",
            "set",
            "union");

    /** Words, and what they do not stand in: texts, quoted names, comments. */
    private static final Pattern TOKEN = Pattern.compile(
            "'(?:[^']|'')*'|\"(?:[^\"]|\"\")*\"|--[^\\n]*|/\\*.*?\\*/|[A-Za-z_][A-Za-z_0-9]*", Pattern.DOTALL);

    /** A word of a text. */
    record Word(int start, int end, String text) {}

    private NameWords() {}

    /** The words that are names wherever they are not called, and that the grammar refuses as such. */
    static List<Word> free(String text) {
        return words(text).stream()
                .filter(w -> FREE.contains(w.text.toLowerCase(Locale.ROOT)))
                .filter(w -> !text.substring(w.end).stripLeading().startsWith("("))
                .toList();
    }

    /** The words that are names only in quotes. */
    static List<Word> reserved(String text) {
        return words(text).stream()
                .filter(w -> RESERVED.contains(w.text.toLowerCase(Locale.ROOT)))
                .toList();
    }

    private static List<Word> words(String text) {
        List<Word> words = new ArrayList<>();
        Matcher token = TOKEN.matcher(text);
        while (token.find()) {
            if (Character.isLetter(text.charAt(token.start()))) {
                words.add(new Word(token.start(), token.end(), token.group()));
            }
        }
        return words;
    }

    /** The text with quotes around some words, which keeps the case of letters. */
    static String quoted(String text, List<Word> words) {
        StringBuilder out = new StringBuilder();
        int from = 0;
        for (Word word : words) {
            out.append(text, from, word.start).append('"').append(word.text).append('"');
            from = word.end;
        }
        return out.append(text, from, text.length()).toString();
    }
}
