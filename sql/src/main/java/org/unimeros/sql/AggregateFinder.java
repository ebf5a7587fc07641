package org.unimeros.sql;

import net.sf.jsqlparser.expression.AnalyticExpression;
import net.sf.jsqlparser.expression.Expression;
import net.sf.jsqlparser.expression.ExpressionVisitorAdapter;
import net.sf.jsqlparser.expression.Function;
import org.unimeros.engine.expr.Aggregate;

/** Looks for aggregate calls in a parsed expression. */
final class AggregateFinder extends ExpressionVisitorAdapter<Void> {

    private boolean found;

    private AggregateFinder() {}

    static boolean hasAggregate(Expression node) {
        AggregateFinder finder = new AggregateFinder();
        node.accept(finder, null);
        return finder.found;
    }

    @Override
    public <S> Void visit(Function function, S context) {
        found |= Aggregate.isName(function.getName());
        return super.visit(function, context);
    }

    @Override
    public <S> Void visit(AnalyticExpression expression, S context) {
        found = true;
        return null;
    }
}
