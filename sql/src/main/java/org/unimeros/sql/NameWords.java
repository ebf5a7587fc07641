package org.unimeros.sql;

import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Optional;
import java.util.Set;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import net.sf.jsqlparser.expression.Expression;
import net.sf.jsqlparser.schema.Column;

/** Words of a statement that are names although the grammar does not take them as such there. */
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

    /** What stands before a name, in the place of which the grammar takes an expression, of a window that another one is made of. */
    private static final String INHERITED = "\uE000";

    private static final Pattern BASE_WINDOW = Pattern.compile(
            "\\b(?:over|as)\\s*\\(\\s*([a-z_][a-z_0-9]*)(?=\\s*\\)|\\s+(?:partition|order|rows|range|groups)\\b)",
            Pattern.CASE_INSENSITIVE);

    private static final Set<String> WINDOW_WORDS =
            Set.of("partition", "order", "rows", "range", "groups", "select", "values");

    /**
     * A word of a text.
     *
     * @param written what the grammar is shown in its place
     */
    record Word(int start, int end, String text, String written) {

        static Word quoted(int start, int end, String text) {
            return new Word(start, end, text, '"' + text + '"');
        }

        /** By how much what is shown is longer. */
        int shift() {
            return written.length() - text.length();
        }
    }

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

    /** The names of windows at the beginning of others that are made of them, as in {@code over (w order by scanned_at)}. */
    static List<Word> baseWindows(String text) {
        List<Word> bases = new ArrayList<>();
        Matcher window = BASE_WINDOW.matcher(text);
        List<Word> words = words(text);
        while (window.find()) {
            String name = window.group(1);
            int start = window.start(1);
            if (!WINDOW_WORDS.contains(name.toLowerCase(Locale.ROOT))
                    && words.stream().anyMatch(w -> w.start == start)) {
                bases.add(new Word(start, window.end(1), name, "partition by \"" + INHERITED + name + '"'));
            }
        }
        return bases;
    }

    /** The name of the window that a partition stands for, if it stands for one. */
    static Optional<String> baseWindow(List<? extends Expression> partition) {
        return partition.size() == 1
                        && partition.get(0) instanceof Column column
                        && column.getColumnName().startsWith('"' + INHERITED)
                ? Optional.of(column.getColumnName()
                        .substring(2, column.getColumnName().length() - 1))
                : Optional.empty();
    }

    private static List<Word> words(String text) {
        List<Word> words = new ArrayList<>();
        Matcher token = TOKEN.matcher(text);
        while (token.find()) {
            if (Character.isLetter(text.charAt(token.start()))) {
                words.add(Word.quoted(token.start(), token.end(), token.group()));
            }
        }
        return words;
    }

    /** The text as the grammar takes it; quotes keep the case of letters. */
    static String written(String text, List<Word> words) {
        StringBuilder out = new StringBuilder();
        int from = 0;
        for (Word word : words) {
            out.append(text, from, word.start).append(word.written);
            from = word.end;
        }
        return out.append(text, from, text.length()).toString();
    }
}
