package org.unimeros.sql;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.Expressions;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Plan.Group;
import org.unimeros.engine.plan.Plan.Named;

/**
 * The row that a query of aggregates over everything gives when there is nothing.
 *
 * @param group the grouping, which has that row
 * @param values those of the row that the query makes of it
 */
record EmptyGroup(Group group, List<Expression> values) {

    /** That row, where a plan is such a query and it is known without running anything what the row is. */
    static Optional<EmptyGroup> of(Plan plan) {
        return switch (plan) {
            case Group g -> g.keys().isEmpty() ? ofNothing(g) : Optional.empty();
            case Plan.Project p -> of(p.input()).map(e -> new EmptyGroup(e.group, e.outputs(p)));
            // A condition also leaves out rows of groups that are there, which then would look as if they were empty.
            default -> Optional.empty();
        };
    }

    private static Optional<EmptyGroup> ofNothing(Group g) {
        List<Expression> values = new ArrayList<>();
        g.aggregates().forEach(a -> ofNothing(a.aggregate()).ifPresent(values::add));
        return values.size() == g.aggregates().size() ? Optional.of(new EmptyGroup(g, values)) : Optional.empty();
    }

    /** What an aggregate is of no rows; empty where only code of the job knows. */
    static Optional<Expression> ofNothing(Aggregate aggregate) {
        return switch (aggregate.kind()) {
            case COUNT, APPROX_COUNT_DISTINCT -> Optional.of(new Literal(0L, DataType.LONG));
            case OWN -> Optional.empty();
            default -> Optional.of(new Literal(null, aggregate.type()));
        };
    }

    private List<Expression> outputs(Plan.Project p) {
        return p.outputs().stream()
                .map(Named::expression)
                .map(e -> Expressions.fold(Expressions.substitute(e, values)))
                .toList();
    }
}
