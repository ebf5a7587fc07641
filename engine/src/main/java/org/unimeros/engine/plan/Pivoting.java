package org.unimeros.engine.plan;

import java.util.ArrayList;
import java.util.List;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.IsNull;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.Operators;
import org.unimeros.engine.expr.Types;
import org.unimeros.engine.plan.Plan.Expand;
import org.unimeros.engine.plan.Plan.Filter;
import org.unimeros.engine.plan.Plan.Group;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.Plan.NamedAggregate;

/** Values that become columns, and columns that become values. */
public final class Pivoting {

    private Pivoting() {}

    /** One row per group, with the aggregates for each value of an expression. */
    public static Plan pivot(
            Plan input, List<Named> keys, Expression subject, List<Named> values, List<NamedAggregate> aggregates) {
        List<NamedAggregate> columns = new ArrayList<>();
        for (Named value : values) {
            Expression condition = Operators.compare("=", subject, value.expression());
            boolean unnamed = value.expression() instanceof Literal l
                    && l.value() != null
                    && Values.literal(l.value()).equalsIgnoreCase(value.field().name());
            String name = unnamed
                    ? Values.text(((Literal) value.expression()).value())
                    : value.field().name();
            for (NamedAggregate a : aggregates) {
                String column = aggregates.size() == 1 ? name : name + "_" + a.name();
                columns.add(new NamedAggregate(a.aggregate().where(condition), column));
            }
        }
        return new Group(input, keys, columns);
    }

    /**
     * A row per column, with its label and its value, beside all other columns.
     *
     * @param keepsNulls whether there is a row for a column that is null
     */
    public static Plan unpivot(
            Plan input,
            String nameColumn,
            String valueColumn,
            List<String> columns,
            List<String> labels,
            boolean keepsNulls) {
        List<Named> all = PlanBuilder.columns(input.schema());
        List<Expression> values = new ArrayList<>();
        List<Named> kept = new ArrayList<>(all);
        List<Named> moved =
                columns.stream().map(c -> all.get(input.schema().resolve(c))).toList();
        moved.forEach(m -> values.add(m.expression()));
        kept.removeAll(moved);
        List<Expression> typed = Types.unify(values, "unpivot");
        List<List<Named>> variants = new ArrayList<>();
        for (int i = 0; i < moved.size(); i++) {
            List<Named> outputs = new ArrayList<>(kept);
            outputs.add(Named.of(nameColumn, new Literal(labels.get(i), DataType.TEXT)));
            outputs.add(
                    new Named(typed.get(i), Field.of(valueColumn, typed.get(i).type())));
            variants.add(outputs);
        }
        Plan expanded = new Expand(input, variants);
        for (String made : List.of(nameColumn, valueColumn)) {
            if (kept.stream().anyMatch(k -> k.field().name().equalsIgnoreCase(made))) {
                throw new UserMistake("unpivot makes the column " + made + ", but there is one already");
            }
        }
        Expression value = PlanBuilder.column(expanded.schema(), kept.size() + 1);
        return keepsNulls ? expanded : new Filter(expanded, Operators.not(new IsNull(value)));
    }
}
