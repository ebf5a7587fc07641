package org.unimeros;

import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Locale;
import java.util.Set;
import java.util.function.Function;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.plan.Pivoting;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Plan.Group;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.Plan.NamedAggregate;
import org.unimeros.sql.SqlExpressions;

/** Rows whose groups are said, waiting for their summary. */
public final class Grouped {

    private final Function<Plan, Rows> rows;
    private final SqlExpressions expressions;
    private final Plan input;
    private final List<Named> keys;

    Grouped(Function<Plan, Rows> rows, SqlExpressions expressions, Plan input, List<Named> keys) {
        this.rows = rows;
        this.expressions = expressions;
        this.input = input;
        this.keys = keys;
    }

    /** One row per group: the keys, then the aggregates, such as {@code "count(*) as parcels", "avg(weight_g) as mean"}. */
    public Rows summarise(String... aggregates) {
        List<NamedAggregate> all = new ArrayList<>();
        for (String text : aggregates) {
            all.addAll(expressions.aggregates(text, input.schema()));
        }
        if (all.isEmpty()) {
            throw new UserMistake("summarise needs at least one aggregate, such as count(*) as n");
        }
        Set<String> names = new HashSet<>();
        keys.forEach(k -> names.add(k.field().name().toLowerCase(Locale.ROOT)));
        for (NamedAggregate a : all) {
            if (!names.add(a.name().toLowerCase(Locale.ROOT))) {
                throw new UserMistake(
                        "summarise makes the column " + a.name() + " twice; give one another name with as");
            }
        }
        return rows.apply(new Group(input, keys, all));
    }

    /**
     * Makes columns of values: one row per group, and for each value of a column the aggregate over the rows that have it.
     *
     * @param column the column, or expression, whose values become columns
     * @param values the values, as SQL literals such as {@code 'arrival'} or {@code 7}, or as names: {@code 'x' as late}
     * @param aggregate one aggregate, such as {@code "count(*)"}
     */
    public Rows pivot(String column, List<String> values, String aggregate) {
        List<NamedAggregate> one = expressions.aggregates(aggregate, input.schema());
        Expression subject = expressions.expression(column, input.schema());
        List<Named> named = new ArrayList<>();
        values.forEach(v -> named.addAll(expressions.selectList(v, new Schema(List.of()))));
        if (one.size() != 1 || named.isEmpty()) {
            throw new UserMistake("pivot needs one aggregate and at least one value, but found " + one.size() + " and "
                    + named.size());
        }
        return rows.apply(Pivoting.pivot(input, keys, subject, named, one));
    }
}
