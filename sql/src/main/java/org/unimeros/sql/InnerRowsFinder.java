package org.unimeros.sql;

import java.util.concurrent.atomic.AtomicBoolean;
import net.sf.jsqlparser.expression.AnalyticExpression;
import net.sf.jsqlparser.expression.AnalyticType;
import net.sf.jsqlparser.expression.Expression;
import net.sf.jsqlparser.statement.select.Select;

/** Looks for inner queries and window functions in a parsed expression. */
final class InnerRowsFinder {

    private InnerRowsFinder() {}

    static boolean find(Expression node) {
        AtomicBoolean found = new AtomicBoolean();
        Nodes.walk(node, part -> {
            boolean isWindow = part instanceof AnalyticExpression a && a.getType() == AnalyticType.OVER;
            if (isWindow || part instanceof Select) {
                found.set(true);
            }
            return !found.get();
        });
        return found.get();
    }
}
