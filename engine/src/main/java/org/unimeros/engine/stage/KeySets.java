package org.unimeros.engine.stage;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.Expressions;
import org.unimeros.engine.plan.Plan.Expand;
import org.unimeros.engine.plan.Plan.Group;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.Plan.NamedAggregate;

/**
 * A grouping of rows that are expanded into one for each set of keys, as {@code rollup} makes it. Rows need not be expanded for it: they are
 * summarised by all keys, and what that makes by those of each set.
 *
 * @param keys all of them, over the rows before they are expanded
 * @param aggregates over these, too
 * @param sets for each set what the keys of the grouping are: columns of the summary by all keys, or literals
 */
record KeySets(List<Named> keys, List<NamedAggregate> aggregates, List<List<Expression>> sets) {

    /** Every task holds a table for each, whatever its memory is. */
    private static final int MOST_SETS = 256;

    /** Empty where rows are not expanded, differ in more than in which keys are literals, or for more sets than there can be tables. */
    static Optional<KeySets> of(Group g) {
        if (!(g.input() instanceof Expand expand) || expand.variants().size() > MOST_SETS) {
            return Optional.empty();
        }
        List<List<Expression>> variants = expand.variants().stream()
                .map(v -> v.stream().map(Named::expression).toList())
                .toList();
        boolean summariseTheSame = g.aggregates().stream()
                .flatMap(a -> a.aggregate().expressions().stream())
                .flatMapToInt(e -> Expressions.columns(e).stream())
                .allMatch(column -> areSame(variants, column));
        return summariseTheSame ? of(g, variants) : Optional.empty();
    }

    private static boolean areSame(List<List<Expression>> variants, int column) {
        Expression first = variants.get(0).get(column);
        return variants.stream().allMatch(v -> v.get(column).equals(first));
    }

    private static Optional<KeySets> of(Group g, List<List<Expression>> variants) {
        List<Named> keys = new ArrayList<>();
        List<List<Expression>> sets = new ArrayList<>();
        variants.forEach(v -> sets.add(new ArrayList<>()));
        for (Named key : g.keys()) {
            if (!(key.expression() instanceof ColumnRef ref)) {
                return Optional.empty();
            }
            List<Expression> values =
                    variants.stream().map(v -> v.get(ref.index())).toList();
            List<Expression> computed = values.stream()
                    .filter(v -> !(v instanceof Literal))
                    .distinct()
                    .toList();
            if (computed.size() > 1) {
                return Optional.empty();
            }
            ColumnRef column = new ColumnRef(keys.size(), key.field().fullName(), ref.type());
            computed.forEach(v -> keys.add(new Named(v, key.field())));
            for (int s = 0; s < sets.size(); s++) {
                sets.get(s).add(values.get(s) instanceof Literal literal ? literal : column);
            }
        }
        List<Expression> common = variants.get(0);
        List<NamedAggregate> aggregates = g.aggregates().stream()
                .map(a -> new NamedAggregate(over(a.aggregate(), common), a.name()))
                .toList();
        return Optional.of(new KeySets(keys, aggregates, sets));
    }

    private static Aggregate over(Aggregate aggregate, List<Expression> common) {
        return aggregate.map(e -> Expressions.substitute(e, common));
    }
}
