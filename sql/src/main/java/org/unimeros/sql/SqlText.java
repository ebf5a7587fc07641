package org.unimeros.sql;

import java.util.ArrayList;
import java.util.Collections;
import java.util.IdentityHashMap;
import java.util.List;
import java.util.Set;
import net.sf.jsqlparser.expression.BinaryExpression;
import net.sf.jsqlparser.parser.ASTNodeAccess;
import net.sf.jsqlparser.parser.CCJSqlParser;
import net.sf.jsqlparser.parser.ParseException;
import net.sf.jsqlparser.parser.Token;
import net.sf.jsqlparser.parser.TokenMgrException;
import org.unimeros.engine.error.UserMistake;

/** A piece of SQL as it was written, for parsing it and for pointing at places in it. */
final class SqlText {

    private static final int LONGEST_SHOWN = 160;

    private final String text;
    private final Set<UserMistake> located = Collections.newSetFromMap(new IdentityHashMap<>());

    SqlText(String text) {
        this.text = text;
    }

    /** A production of the grammar. */
    interface Production<T> {
        T parse(CCJSqlParser parser) throws ParseException;
    }

    /** Parses the whole text by a production. */
    <T> T parse(String expected, Production<T> production) {
        return parseToEnd(expected, parser -> {
            T result = production.parse(parser);
            requireEnd(parser.getNextToken(), expected);
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
            requireEnd(next, expected);
            requireUnderstood(all);
            return all;
        });
    }

    private <T> T parseToEnd(String expected, Production<T> production) {
        StatementLimits.requireParsable(text);
        try {
            // The parser takes several line ends in a row for the end of a statement.
            return production.parse(new CCJSqlParser(text.replaceAll("(?<=\n)(?=\r?\n)", " ")));
        } catch (ParseException e) {
            throw syntax(e.currentToken == null ? null : e.currentToken.next, expected);
        } catch (StackOverflowError e) {
            throw StatementLimits.tooDeep();
        } catch (TokenMgrException e) {
            throw new UserMistake("cannot read this as SQL: " + e.getMessage().split("\n")[0] + "\n" + text);
        }
    }

    private void requireUnderstood(Object tree) {
        UnderstoodNodes.check(tree, (node, what) -> {
            throw at(node, ExpressionResolver.unsupported(what, "docs/SQL.md says what there is"));
        });
    }

    private void requireEnd(Token next, String expected) {
        if (next.kind != 0 && !next.image.equals(";")) {
            throw syntax(next, expected);
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

    private String place(int line, int column) {
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
}
