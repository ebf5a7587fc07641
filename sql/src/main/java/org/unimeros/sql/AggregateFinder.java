package org.unimeros.sql;

import java.util.concurrent.atomic.AtomicBoolean;
import java.util.function.Predicate;
import net.sf.jsqlparser.expression.AnalyticExpression;
import net.sf.jsqlparser.expression.AnalyticType;
import net.sf.jsqlparser.expression.Expression;
import net.sf.jsqlparser.expression.Function;
import net.sf.jsqlparser.statement.select.Select;
import org.unimeros.engine.expr.Aggregates;
import org.unimeros.engine.expr.OwnFunctions;

/** Looks for aggregate calls in a parsed expression, outside of inner queries. */
final class AggregateFinder {

    private AggregateFinder() {}

    /** @param own those that the job defines */
    static boolean hasAggregate(Expression node, OwnFunctions own) {
        return hasAggregate(node, own, a -> true);
    }

    /** The same of those aggregates that count. A window function is none itself, but can be of aggregates. */
    static boolean hasAggregate(Expression node, OwnFunctions own, Predicate<AggregateNode> counts) {
        AtomicBoolean found = new AtomicBoolean();
        Nodes.walk(node, part -> {
            if (isAggregate(part, own, counts)) {
                found.set(true);
            }
            return !found.get() && !(part instanceof Select);
        });
        return found.get();
    }

    private static boolean isAggregate(Object node, OwnFunctions own, Predicate<AggregateNode> counts) {
        return switch (node) {
            case Function f ->
                f.getName().equalsIgnoreCase("grouping")
                        || Aggregates.isName(f.getName(), own) && counts.test(AggregateNode.of(f));
            case AnalyticExpression a -> a.getType() != AnalyticType.OVER && counts.test(AggregateNode.of(a));
            default -> false;
        };
    }
}
