package org.unimeros.sql;

import java.util.function.Predicate;
import net.sf.jsqlparser.expression.AnalyticExpression;
import net.sf.jsqlparser.expression.AnalyticType;
import net.sf.jsqlparser.expression.Expression;
import net.sf.jsqlparser.expression.ExpressionVisitorAdapter;
import net.sf.jsqlparser.expression.Function;
import net.sf.jsqlparser.statement.select.ParenthesedSelect;
import net.sf.jsqlparser.statement.select.Select;
import org.unimeros.engine.expr.Aggregates;
import org.unimeros.engine.expr.OwnFunctions;

/** Looks for aggregate calls in a parsed expression, outside of inner queries. */
final class AggregateFinder extends ExpressionVisitorAdapter<Void> {

    private final OwnFunctions own;
    private final Predicate<AggregateNode> counts;
    private boolean found;

    private AggregateFinder(OwnFunctions own, Predicate<AggregateNode> counts) {
        this.own = own;
        this.counts = counts;
    }

    /** @param own those that the job defines */
    static boolean hasAggregate(Expression node, OwnFunctions own) {
        return hasAggregate(node, own, a -> true);
    }

    /** The same of those aggregates that count. */
    static boolean hasAggregate(Expression node, OwnFunctions own, Predicate<AggregateNode> counts) {
        AggregateFinder finder = new AggregateFinder(own, counts);
        node.accept(finder, null);
        return finder.found;
    }

    @Override
    public <S> Void visit(Function function, S context) {
        boolean isAggregate = Aggregates.isName(function.getName(), own);
        found |= isAggregate && counts.test(AggregateNode.of(function))
                || function.getName().equalsIgnoreCase("grouping");
        return super.visit(function, context);
    }

    /** A window function is none itself, but can be of aggregates. */
    @Override
    public <S> Void visit(AnalyticExpression expression, S context) {
        found |= expression.getType() != AnalyticType.OVER && counts.test(AggregateNode.of(expression));
        if (expression.getPartitionExpressionList() != null) {
            expression.getPartitionExpressionList().forEach(e -> e.accept(this, context));
        }
        if (expression.getOrderByElements() != null) {
            expression.getOrderByElements().forEach(e -> e.getExpression().accept(this, context));
        }
        if (expression.getExpression() != null) {
            expression.getExpression().accept(this, context);
        }
        return null;
    }

    @Override
    public <S> Void visit(ParenthesedSelect select, S context) {
        return null;
    }

    @Override
    public <S> Void visit(Select select, S context) {
        return null;
    }
}
