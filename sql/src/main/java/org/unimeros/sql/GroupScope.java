package org.unimeros.sql;

import java.util.ArrayList;
import java.util.IdentityHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import net.sf.jsqlparser.expression.AnalyticExpression;
import net.sf.jsqlparser.schema.Column;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.Plan.NamedAggregate;

/**
 * Groups of rows: an expression can name the group keys, and aggregates of expressions over single rows. Aggregates are
 * collected as they are met; resolved once more over the finished grouping, the same expressions find them all.
 */
final class GroupScope extends Scope {

    private final ExpressionResolver rowResolver;
    private final List<Named> keys;
    private final List<String> keyTexts;
    private final GroupingSets sets;
    private final Map<net.sf.jsqlparser.expression.Expression, Integer> numbers = new IdentityHashMap<>();
    private final List<NamedAggregate> aggregates = new ArrayList<>();
    private final WindowTranslation windows;
    private RowSource rows;

    /** @param keyTexts the keys as they are written */
    GroupScope(
            Scope outer,
            ExpressionResolver rowResolver,
            List<Named> keys,
            List<String> keyTexts,
            GroupingSets sets,
            WindowTranslation windows) {
        super(outer);
        this.rowResolver = rowResolver;
        this.keys = keys;
        this.keyTexts = keyTexts;
        this.sets = sets;
        this.windows = windows;
    }

    /** Says what the grouping is that has all aggregates met so far; before, inner queries are only looked at. */
    void over(RowSource grouped) {
        rows = grouped;
    }

    List<NamedAggregate> aggregates() {
        return aggregates;
    }

    @Override
    Optional<Expression> whole(net.sf.jsqlparser.expression.Expression node) {
        if (keys.isEmpty() || AggregateFinder.hasAggregate(node, rowResolver.functions())) {
            return Optional.empty();
        }
        if (ExpressionResolver.hasInnerRows(node)) {
            // To resolve an inner query once more would join it once more, so its text has to tell.
            int place = keyTexts.indexOf(node.toString());
            return place < 0 ? Optional.empty() : Optional.of(key(place));
        }
        Expression resolved = rowResolver.resolve(node);
        for (int i = 0; i < keys.size(); i++) {
            if (keys.get(i).expression().equals(resolved)) {
                return Optional.of(key(i));
            }
        }
        return Optional.empty();
    }

    private ColumnRef key(int index) {
        Field field = keys.get(index).field();
        return new ColumnRef(index, field.fullName(), field.type());
    }

    /** A column can be named when it is a key. */
    @Override
    Optional<ColumnRef> find(String name) {
        Optional<ColumnRef> column = rowResolver.scope().find(name);
        for (int i = 0; i < keys.size(); i++) {
            if (column.isPresent() && keys.get(i).expression().equals(column.get())) {
                return Optional.of(key(i));
            }
        }
        return Optional.empty();
    }

    @Override
    boolean owns(String name) {
        return rowResolver.scope().owns(name);
    }

    @Override
    UserMistake unknown(String name) {
        rowResolver.resolve(new Column(name));
        return new UserMistake("column " + name
                + " is neither in group by nor inside an aggregate; add it to group by, or use min(" + name + ")");
    }

    @Override
    Expression aggregate(AggregateNode call) {
        Integer known = numbers.get(call.node());
        if (known != null) {
            return reference(known);
        }
        int number = number(rowResolver.aggregateOf(call));
        numbers.put(call.node(), number);
        return reference(number);
    }

    private int number(Aggregate aggregate) {
        for (int i = 0; i < aggregates.size(); i++) {
            if (aggregates.get(i).aggregate().equals(aggregate)) {
                return i;
            }
        }
        aggregates.add(new NamedAggregate(aggregate, aggregate.toString()));
        return aggregates.size() - 1;
    }

    private Expression reference(int index) {
        NamedAggregate a = aggregates.get(index);
        return new ColumnRef(
                keys.size() + (sets == null ? 0 : 1) + index,
                a.name(),
                a.aggregate().type());
    }

    @Override
    Expression window(AnalyticExpression call) {
        return windows == null ? super.window(call) : windows.add(call, this);
    }

    @Override
    Expression grouping(Expression argument) {
        return sets == null ? super.grouping(argument) : sets.grouping(argument, keys.size());
    }

    @Override
    boolean isCollecting() {
        return rows == null;
    }

    @Override
    RowSource rows() {
        return rows;
    }
}
