package org.unimeros.sql;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import net.sf.jsqlparser.expression.Function;
import net.sf.jsqlparser.expression.operators.relational.ExpressionList;
import net.sf.jsqlparser.schema.Column;
import net.sf.jsqlparser.statement.select.AllColumns;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Plan.Group;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.Plan.NamedAggregate;

/**
 * Groups of rows: an expression can name the group keys, and aggregates of expressions over single rows. Aggregates are
 * collected as they are met.
 */
final class GroupScope implements Scope {

    private final ExpressionResolver rows;
    private final List<Named> keys;
    private final List<NamedAggregate> aggregates = new ArrayList<>();

    GroupScope(ExpressionResolver rows, List<Named> keys) {
        this.rows = rows;
        this.keys = keys;
    }

    /** The grouping that makes the keys and all aggregates met so far. */
    Plan group(Plan input) {
        return new Group(input, keys, aggregates);
    }

    @Override
    public Optional<Expression> whole(net.sf.jsqlparser.expression.Expression node) {
        if (keys.isEmpty() || AggregateFinder.hasAggregate(node)) {
            return Optional.empty();
        }
        Expression resolved = rows.resolve(node);
        for (int i = 0; i < keys.size(); i++) {
            Named key = keys.get(i);
            if (key.expression().equals(resolved)) {
                Field field = key.field();
                return Optional.of(new ColumnRef(i, field.fullName(), field.type()));
            }
        }
        return Optional.empty();
    }

    @Override
    public Expression column(String name) {
        rows.resolve(new Column(name));
        throw new UserMistake("column " + name
                + " is neither in group by nor inside an aggregate; add it to group by, or" + " use min(" + name + ")");
    }

    @Override
    public Expression aggregate(Function call, Optional<net.sf.jsqlparser.expression.Expression> onlyWhere) {
        Aggregate aggregate = rows.aggregateOf(call, onlyWhere);
        for (int i = 0; i < aggregates.size(); i++) {
            if (aggregates.get(i).aggregate().equals(aggregate)) {
                return reference(i);
            }
        }
        aggregates.add(new NamedAggregate(aggregate, aggregate.toString()));
        return reference(aggregates.size() - 1);
    }

    private Expression reference(int index) {
        NamedAggregate a = aggregates.get(index);
        return new ColumnRef(keys.size() + index, a.name(), a.aggregate().type());
    }

    static boolean isStar(ExpressionList<?> args) {
        return args != null && args.size() == 1 && args.get(0) instanceof AllColumns;
    }
}
