package org.unimeros.sql;

import java.util.ArrayList;
import java.util.Collections;
import java.util.Comparator;
import java.util.IdentityHashMap;
import java.util.List;
import java.util.Optional;
import java.util.Set;
import net.sf.jsqlparser.expression.BinaryExpression;
import net.sf.jsqlparser.parser.ASTNodeAccess;
import net.sf.jsqlparser.parser.CCJSqlParser;
import net.sf.jsqlparser.parser.ParseException;
import net.sf.jsqlparser.parser.Token;
import net.sf.jsqlparser.parser.TokenMgrException;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.sql.NameWords.Word;

/** A piece of SQL as it was written, for parsing it and for pointing at places in it. */
final class SqlText {

    private static final int LONGEST_SHOWN = 160;

    private static final int MOST_TRIED = 30;
    private static final int LONGEST_TRIED = 20_000;

    private final String text;
    /** Those that were shown to the parser otherwise than they stand in the text, in the order of the text. */
    private List<Word> names = List.of();

    private final Set<UserMistake> located = Collections.newSetFromMap(new IdentityHashMap<>());

    SqlText(String text) {
        this.text = text;
    }

    /** A production of the grammar. */
    interface Production<T> {
        T parse(CCJSqlParser parser) throws ParseException, Unparsable;
    }

    /** Parses the whole text by a production. */
    <T> T parse(String expected, Production<T> production) {
        return parseToEnd(expected, parser -> {
            T result = production.parse(parser);
            requireEnd(parser.getNextToken());
            requireUnderstood(result);
            return result;
        });
    }

    /** Parses a list of productions separated by commas. */
    <T> List<T> parseList(String expected, Production<T> production) {
        return parseToEnd(expected, parser -> {
            List<T> all = new ArrayList<>();
            Token next;
            do {
                all.add(production.parse(parser));
                next = parser.getNextToken();
            } while (next.kind != 0 && next.image.equals(","));
            requireEnd(next);
            requireUnderstood(all);
            return all;
        });
    }

    private <T> T parseToEnd(String expected, Production<T> production) {
        StatementLimits.requireParsable(text);
        try {
            return attempt(text, production);
        } catch (Unparsable e) {
            List<Word> names = NameWords.free(text);
            Optional<T> read = written(names, production).or(() -> written(withBaseWindows(names), production));
            return read.orElseThrow(() -> withHint(e, expected, production));
        }
    }

    /** None where there are no windows that are made of others. */
    private List<Word> withBaseWindows(List<Word> names) {
        List<Word> all = new ArrayList<>(NameWords.baseWindows(text));
        if (!all.isEmpty()) {
            all.addAll(names);
            all.sort(Comparator.comparingInt(Word::start));
        }
        return all;
    }

    /** The same text with some words written otherwise, if that can be parsed. */
    private <T> Optional<T> written(List<Word> words, Production<T> production) {
        List<Word> before = names;
        names = words;
        try {
            return words.isEmpty()
                    ? Optional.empty()
                    : Optional.of(attempt(NameWords.written(text, words), production));
        } catch (Unparsable e) {
            names = before;
            return Optional.empty();
        }
    }

    private <T> UserMistake withHint(Unparsable e, String expected, Production<T> production) {
        // A long text takes long to be read so often.
        List<Word> tried = text.length() > LONGEST_TRIED ? List.of() : NameWords.reserved(text);
        for (Word word : tried.stream().limit(MOST_TRIED).toList()) {
            boolean isName;
            try {
                isName = written(List.of(word), production).isPresent();
            } catch (UserMistake other) {
                isName = true;
            }
            if (isName) {
                names = List.of();
                int line = (int) text.substring(0, word.start())
                                .chars()
                                .filter(c -> c == '\n')
                                .count()
                        + 1;
                int column = word.start() - text.lastIndexOf('\n', word.start());
                return new UserMistake("cannot read this " + expected + "; if " + word.text()
                        + " is meant as a name, write it as \"" + word.text() + "\"" + place(line, column));
            }
        }
        return syntax(e.at, expected);
    }

    private <T> T attempt(String written, Production<T> production) throws Unparsable {
        try {
            // The parser takes several line ends in a row for the end of a statement.
            return production.parse(new CCJSqlParser(written.replaceAll("(?<=\n)(?=\r?\n)", " ")));
        } catch (ParseException e) {
            throw new Unparsable(e.currentToken == null ? null : e.currentToken.next);
        } catch (StackOverflowError e) {
            throw StatementLimits.tooDeep();
        } catch (TokenMgrException e) {
            throw new UserMistake("cannot read this as SQL: " + e.getMessage().split("\n")[0] + "\n" + text);
        }
    }

    /** The grammar does not know what stands at a place. */
    @SuppressWarnings("serial")
    static final class Unparsable extends Exception {
        private final transient Token at;

        Unparsable(Token at) {
            super("", null, false, false);
            this.at = at;
        }
    }

    private void requireUnderstood(Object tree) {
        UnderstoodNodes.check(tree, (node, what) -> {
            throw at(node, Refused.unsupported(what, "docs/SQL.md says what there is"));
        });
    }

    private static void requireEnd(Token next) throws Unparsable {
        if (next.kind != 0 && !next.image.equals(";")) {
            throw new Unparsable(next);
        }
    }

    private UserMistake syntax(Token at, String expected) {
        boolean atEnd = at == null || at.kind == 0;
        int line = at == null ? 1 : at.beginLine;
        int column = at == null ? 1 : at.beginColumn;
        String found = atEnd ? "the end" : at.image;
        return new UserMistake("did not expect " + found + " in this " + expected + place(line, column));
    }

    /** Adds the place of a node to a mistake that was found in it; the innermost node counts. */
    UserMistake at(Object node, UserMistake mistake) {
        if (located.contains(mistake)) {
            return mistake;
        }
        Token token = firstToken(node);
        if (token == null) {
            return mistake;
        }
        UserMistake placed =
                new UserMistake(mistake.getMessage() + place(token.beginLine, token.beginColumn), mistake.getCause());
        located.add(placed);
        return placed;
    }

    /** Not every node of the parser knows its place; an operator then stands where its left side begins. */
    private static Token firstToken(Object node) {
        if (node instanceof ASTNodeAccess access && access.getASTNode() != null) {
            return access.getASTNode().jjtGetFirstToken();
        }
        return node instanceof BinaryExpression binary ? firstToken(binary.getLeftExpression()) : null;
    }

    private String place(int line, int shiftedColumn) {
        int column = shiftedColumn - shift(line, shiftedColumn);
        String[] lines = text.split("\n", -1);
        String shown = lines[Math.clamp(line - 1, 0, lines.length - 1)];
        String where = lines.length == 1 ? " (column " + column + ")" : " (line " + line + ", column " + column + ")";
        // Of a long line the part around the place is shown.
        int at = Math.clamp(column - 1L, 0, shown.length());
        int from = shown.length() <= LONGEST_SHOWN ? 0 : Math.max(0, at - LONGEST_SHOWN / 2);
        int to = Math.min(shown.length(), from + LONGEST_SHOWN);
        String before = from > 0 ? "… " : "";
        String part = before + shown.substring(from, to) + (to < shown.length() ? " …" : "");
        return where + "\n  " + part + "\n  " + " ".repeat(before.length() + at - from) + "^";
    }

    /** By how much a column moved because of words before it that were written otherwise. */
    private int shift(int line, int column) {
        int shift = 0;
        for (Word word : names) {
            boolean isOnLine = text.substring(0, word.start())
                            .chars()
                            .filter(c -> c == '\n')
                            .count()
                    == line - 1;
            int start = word.start() - text.lastIndexOf('\n', word.start());
            shift += isOnLine && start + shift < column ? word.shift() : 0;
        }
        return shift;
    }
}
