package org.unimeros.sql;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.expr.Aggregate.Kind;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.Expressions;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Plan.Named;

/** The row that a query of aggregates over everything gives when there is nothing. */
final class EmptyGroup {

    private EmptyGroup() {}

    /** The values of that row; empty when the plan is not such a query. */
    static Optional<List<Expression>> values(Plan plan) {
        return switch (plan) {
            case Plan.Group g -> g.keys().isEmpty() ? Optional.of(ofNothing(g)) : Optional.empty();
            case Plan.Project p -> values(p.input()).map(v -> outputs(p, v));
            case Plan.Filter f -> values(f.input()).filter(v -> isTrue(f.condition(), v));
            default -> Optional.empty();
        };
    }

    private static List<Expression> ofNothing(Plan.Group g) {
        List<Expression> values = new ArrayList<>();
        g.aggregates()
                .forEach(a -> values.add(
                        a.aggregate().kind() == Kind.COUNT
                                ? new Literal(0L, DataType.LONG)
                                : new Literal(null, a.aggregate().type())));
        return values;
    }

    private static List<Expression> outputs(Plan.Project p, List<Expression> values) {
        return p.outputs().stream()
                .map(Named::expression)
                .map(e -> Expressions.fold(Expressions.substitute(e, values)))
                .toList();
    }

    private static boolean isTrue(Expression condition, List<Expression> values) {
        return Expressions.fold(Expressions.substitute(condition, values)).equals(Literal.TRUE);
    }
}
