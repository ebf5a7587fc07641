package org.unimeros.sql;

import java.util.IdentityHashMap;
import java.util.Map;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression;

/**
 * How deep a statement may be nested, and how large what it means may be. Parser, translation and tasks go down the levels in calls, and what is
 * written once can mean something that has it several times.
 */
final class StatementLimits {

    /** Parentheses, brackets and cases inside one another. */
    static final int MOST_NESTED = 200;

    /** Levels of an expression, where a sum of three terms has two. */
    static final int MOST_LEVELS = 300;

    /** Parts of an expression, repeated ones counted each time. */
    static final long MOST_PARTS = 500_000;

    private static final String INSTEAD = "; compute parts of it in an inner query or a view";

    private record Extent(int levels, long parts) {}

    private final Map<Expression, Extent> known = new IdentityHashMap<>();

    /** Fails for a text that is nested too deeply to be parsed. */
    static void requireParsable(String text) {
        int depth = 0;
        int at = 0;
        while (at < text.length()) {
            char c = text.charAt(at);
            int end = SqlStatement.endOfToken(text, at);
            if (Character.isLetter(c) || c == '_') {
                while (end < text.length()
                        && (Character.isLetterOrDigit(text.charAt(end)) || text.charAt(end) == '_')) {
                    end++;
                }
                String word = text.substring(at, end);
                depth += word.equalsIgnoreCase("case") ? 1 : word.equalsIgnoreCase("end") && depth > 0 ? -1 : 0;
            } else if (c == '(' || c == '[') {
                depth++;
            } else if (depth > 0 && (c == ')' || c == ']')) {
                depth--;
            }
            if (depth > MOST_NESTED) {
                throw tooDeep();
            }
            at = end;
        }
    }

    static UserMistake tooDeep() {
        return new UserMistake("this statement is nested too deeply: parentheses and cases can stand in one another "
                + MOST_NESTED + " times" + INSTEAD);
    }

    /** Fails for an expression that is too deep or too large to be carried out. */
    void require(Expression expression) {
        Extent extent = extent(expression);
        if (extent.levels > MOST_LEVELS) {
            throw new UserMistake(
                    "this expression has more than " + MOST_LEVELS + " levels, as in a sum of as many terms" + INSTEAD);
        }
        if (extent.parts > MOST_PARTS) {
            throw new UserMistake("this expression has more than " + MOST_PARTS
                    + " parts, repeated ones counted each time" + INSTEAD);
        }
    }

    private Extent extent(Expression expression) {
        Extent extent = known.get(expression);
        if (extent == null) {
            int levels = 0;
            long parts = 1;
            for (Expression child : expression.children()) {
                Extent below = extent(child);
                levels = Math.max(levels, below.levels);
                parts += below.parts;
            }
            extent = new Extent(levels + 1, Math.min(parts, 2 * MOST_PARTS));
            known.put(expression, extent);
        }
        return extent;
    }
}
