package org.unimeros.sql;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import net.sf.jsqlparser.expression.AnalyticExpression;
import net.sf.jsqlparser.expression.AnalyticType;
import net.sf.jsqlparser.expression.Expression;
import net.sf.jsqlparser.expression.Function;
import net.sf.jsqlparser.statement.select.AllColumns;
import net.sf.jsqlparser.statement.select.OrderByElement;

/** A parsed call of an aggregate, whichever way the parser holds it. */
record AggregateNode(
        Expression node,
        String name,
        boolean star,
        List<Expression> arguments,
        boolean distinct,
        List<OrderByElement> order,
        Optional<Expression> onlyWhere) {

    static AggregateNode of(Function f) {
        List<Expression> arguments = new ArrayList<>();
        boolean star = false;
        if (f.getParameters() != null) {
            for (Expression e : f.getParameters()) {
                star |= e instanceof AllColumns;
                arguments.add(e);
            }
        }
        List<OrderByElement> order = f.getOrderByElements() == null ? List.of() : f.getOrderByElements();
        return new AggregateNode(
                f, f.getName(), star, star ? List.of() : arguments, f.isDistinct(), order, Optional.empty());
    }

    /** Of a call with {@code filter}, {@code within group} or {@code over}; the window itself is left out. */
    static AggregateNode of(AnalyticExpression a) {
        boolean isWindow = a.getType() == AnalyticType.OVER;
        if (!isWindow && (a.isIgnoreNulls() || a.isIgnoreNullsOutside())) {
            throw Refused.unsupported("ignore nulls", "aggregates leave nulls out by themselves");
        }
        List<Expression> arguments = new ArrayList<>();
        for (Expression e : new Expression[] {a.getExpression(), a.getOffset(), a.getDefaultValue()}) {
            if (e != null && !(e instanceof AllColumns)) {
                arguments.add(e);
            }
        }
        boolean star = a.isAllColumns() || a.getExpression() instanceof AllColumns;
        List<OrderByElement> within =
                a.getType() == AnalyticType.WITHIN_GROUP ? a.getOrderByElements() : a.getFuncOrderBy();
        return new AggregateNode(
                a,
                a.getName(),
                star,
                arguments,
                a.isDistinct(),
                within == null ? List.of() : within,
                Optional.ofNullable(a.getFilterExpression()));
    }
}
