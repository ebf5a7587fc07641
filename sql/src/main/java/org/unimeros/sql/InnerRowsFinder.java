package org.unimeros.sql;

import net.sf.jsqlparser.expression.AnalyticExpression;
import net.sf.jsqlparser.expression.AnalyticType;
import net.sf.jsqlparser.expression.Expression;
import net.sf.jsqlparser.expression.ExpressionVisitorAdapter;
import net.sf.jsqlparser.statement.select.ParenthesedSelect;
import net.sf.jsqlparser.statement.select.Select;

/** Looks for inner queries and window functions in a parsed expression. */
final class InnerRowsFinder extends ExpressionVisitorAdapter<Void> {

    private boolean found;

    private InnerRowsFinder() {}

    static boolean find(Expression node) {
        InnerRowsFinder finder = new InnerRowsFinder();
        node.accept(finder, null);
        return finder.found;
    }

    @Override
    public <S> Void visit(AnalyticExpression expression, S context) {
        found |= expression.getType() == AnalyticType.OVER;
        return null;
    }

    @Override
    public <S> Void visit(ParenthesedSelect select, S context) {
        found = true;
        return null;
    }

    @Override
    public <S> Void visit(Select select, S context) {
        found = true;
        return null;
    }
}
