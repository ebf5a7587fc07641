package org.unimeros.sql;

import java.util.ArrayList;
import java.util.BitSet;
import java.util.List;
import net.sf.jsqlparser.expression.Function;
import net.sf.jsqlparser.schema.Column;
import net.sf.jsqlparser.statement.select.Pivot;
import net.sf.jsqlparser.statement.select.PivotXml;
import net.sf.jsqlparser.statement.select.SelectItem;
import net.sf.jsqlparser.statement.select.UnPivot;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.Expressions;
import org.unimeros.engine.plan.Pivoting;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.Plan.NamedAggregate;
import org.unimeros.engine.plan.PlanBuilder;

/** {@code pivot (…)} and {@code unpivot (…)} behind an input. */
final class PivotTranslation {

    private final ExpressionResolver resolver;
    private final Plan input;

    PivotTranslation(QueryContext context, Scope outer, Plan input) {
        this.resolver = new ExpressionResolver(
                context, new RowScope(outer, input.schema(), null, "it belongs to the start of pivot", null));
        this.input = input;
    }

    /** {@code pivot (sum(scans) for kind in ('arrival', 'departure' as gone))}; all other columns are keys. */
    Plan pivot(Pivot pivot) {
        boolean plain = !(pivot instanceof PivotXml)
                && pivot.getForColumns().size() == 1
                && pivot.getSingleInItems() != null
                && !pivot.getSingleInItems().isEmpty();
        if (!plain) {
            throw Refused.unsupported(
                    "this kind of pivot", "name one column and its values: pivot (count(*) for kind in ('arrival'))");
        }
        Expression subject = resolver.resolve(pivot.getForColumns().get(0));
        List<NamedAggregate> aggregates = new ArrayList<>();
        BitSet read = Expressions.columns(subject);
        for (SelectItem<Function> item : pivot.getFunctionItems()) {
            Aggregate aggregate = resolver.aggregateOf(AggregateNode.of(item.getExpression()));
            aggregate.expressions().forEach(e -> Expressions.columns(e, read));
            String name = item.getAlias() == null
                    ? item.getExpression().getName()
                    : SqlNames.unquoted(item.getAlias().getName());
            aggregates.add(new NamedAggregate(aggregate, name));
        }
        List<Named> values = new ArrayList<>();
        for (SelectItem<?> item : pivot.getSingleInItems()) {
            Expression value = resolver.resolve(item.getExpression());
            if (!(value instanceof Literal)) {
                throw Refused.unsupported(
                        "the value " + item.getExpression() + " in pivot", "list the values, as literals");
            }
            String name = item.getAlias() == null
                    ? value.toString()
                    : SqlNames.unquoted(item.getAlias().getName());
            values.add(Named.of(name, value));
        }
        List<Named> columns = PlanBuilder.columns(input.schema());
        List<Named> keys = new ArrayList<>();
        for (int i = 0; i < columns.size(); i++) {
            if (!read.get(i)) {
                keys.add(columns.get(i));
            }
        }
        return Pivoting.pivot(input, keys, subject, values, aggregates);
    }

    /** {@code unpivot [include nulls] (scans for kind in (arrivals, departures as 'gone'))}. */
    Plan unpivot(UnPivot unpivot) {
        boolean plain = unpivot.getUnPivotClause().size() == 1
                && unpivot.getUnPivotForClause().size() == 1
                && unpivot.getUnPivotInClause().stream().allMatch(i -> i.getExpression() instanceof Column);
        if (!plain) {
            throw Refused.unsupported(
                    "this kind of unpivot", "name one new column of values, one of names, and single columns");
        }
        List<String> columns = new ArrayList<>();
        List<String> labels = new ArrayList<>();
        for (SelectItem<?> item : unpivot.getUnPivotInClause()) {
            String name = SqlNames.name((Column) item.getExpression());
            columns.add(name);
            labels.add(
                    item.getAlias() == null
                            ? input.schema().field(input.schema().resolve(name)).name()
                            : SqlNames.unquoted(item.getAlias().getName()));
        }
        return Pivoting.unpivot(
                input,
                SqlNames.name(unpivot.getUnPivotForClause().get(0)),
                SqlNames.name(unpivot.getUnPivotClause().get(0)),
                columns,
                labels,
                unpivot.getIncludeNulls());
    }
}
