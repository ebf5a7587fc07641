package org.unimeros;

import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Locale;
import java.util.Set;
import java.util.function.Function;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Plan.Group;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.Plan.NamedAggregate;
import org.unimeros.sql.SqlExpressions;

/** Rows whose groups are said, waiting for their summary. */
public final class Grouped {

    private final Function<Plan, Rows> rows;
    private final Plan input;
    private final List<Named> keys;

    Grouped(Function<Plan, Rows> rows, Plan input, List<Named> keys) {
        this.rows = rows;
        this.input = input;
        this.keys = keys;
    }

    /** One row per group: the keys, then the aggregates, such as {@code "count(*) as parcels", "avg(weight_g) as mean"}. */
    public Rows summarise(String... aggregates) {
        List<NamedAggregate> all = new ArrayList<>();
        for (String text : aggregates) {
            all.addAll(SqlExpressions.aggregates(text, input.schema()));
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
}
