package org.unimeros.sql;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.Operators;
import org.unimeros.engine.expr.SortKey;
import org.unimeros.engine.expr.WindowFunction;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Plan.Filter;
import org.unimeros.engine.plan.Plan.NamedWindow;
import org.unimeros.engine.plan.Plan.Project;
import org.unimeros.engine.plan.Plan.Sort;
import org.unimeros.engine.plan.Plan.Window;
import org.unimeros.engine.plan.PlanBuilder;

/** First rows that a limit cannot say: with those that are equal to the last one, and of each of several values. */
final class FirstRows {

    private FirstRows() {}

    /** {@code offset … fetch first … rows with ties} of rows in an order. */
    static Plan withTies(Plan plan, long offset, long count) {
        if (plan instanceof Project p && p.input() instanceof Sort) {
            return new Project(withTies(p.input(), offset, count), p.outputs());
        }
        if (!(plan instanceof Sort sort)) {
            throw new UserMistake("fetch first … with ties needs an order by, which says what is equal");
        }
        if (offset < 0 || count < 0) {
            throw new UserMistake("offset and fetch must not be negative");
        }
        Window numbered = numbered(sort.input(), List.of(), sort.keys(), WindowFunction.Kind.RANK);
        Plan kept = new Filter(numbered, atMost(numbered, offset + count < 0 ? Long.MAX_VALUE : offset + count));
        Plan ordered = new Sort(columns(kept, sort.schema().size()), sort.keys());
        return offset == 0 ? ordered : PlanBuilder.limit(ordered, offset, Long.MAX_VALUE);
    }

    /** {@code distinct on}: the first row in an order for each combination of values. */
    static Plan ofEach(Plan plan, List<Expression> values, List<SortKey> order) {
        Window numbered = numbered(plan, values, order, WindowFunction.Kind.ROW_NUMBER);
        return columns(new Filter(numbered, atMost(numbered, 1)), plan.schema().size());
    }

    private static Window numbered(
            Plan plan, List<Expression> partition, List<SortKey> order, WindowFunction.Kind kind) {
        WindowFunction number =
                new WindowFunction(kind, List.of(), Optional.empty(), 0, WindowFunction.Frame.ALL, DataType.LONG);
        return new Window(plan, partition, order, List.of(new NamedWindow(number, "number")));
    }

    private static Expression atMost(Window numbered, long most) {
        Expression number =
                PlanBuilder.column(numbered.schema(), numbered.schema().size() - 1);
        return Operators.compare("<=", number, new Literal(most, DataType.LONG));
    }

    private static Plan columns(Plan plan, int size) {
        return new Project(
                plan, new ArrayList<>(PlanBuilder.columns(plan.schema()).subList(0, size)));
    }
}
