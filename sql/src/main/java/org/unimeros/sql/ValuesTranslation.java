package org.unimeros.sql;

import java.util.ArrayList;
import java.util.List;
import net.sf.jsqlparser.expression.operators.relational.ExpressionList;
import net.sf.jsqlparser.expression.operators.relational.ParenthesedExpressionList;
import net.sf.jsqlparser.statement.select.Values;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.CurrentTime;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expressions;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Plan.Inline;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.PlanBuilder;

/** {@code values (…), (…)}: rows of constants, in columns with the names column1, column2 and so on. */
final class ValuesTranslation {

    private ValuesTranslation() {}

    /** @param outer what cells can read beside constants; may be null */
    static Plan plan(Values values, QueryContext context, Scope outer) {
        Scope nothing = new RowScope(outer, new Schema(List.of()), null, "it belongs into select", null);
        ExpressionResolver resolver = new ExpressionResolver(context, nothing);
        List<List<Expression>> rows = new ArrayList<>();
        // A single row is not in a list of rows.
        List<? extends net.sf.jsqlparser.expression.Expression> written =
                values.getExpressions() instanceof ParenthesedExpressionList<?> one
                        ? List.of(one)
                        : values.getExpressions();
        for (net.sf.jsqlparser.expression.Expression row : written) {
            List<Expression> cells = new ArrayList<>();
            if (row instanceof ExpressionList<?> list) {
                list.forEach(e -> cells.add(resolver.resolve(e)));
            } else {
                cells.add(resolver.resolve(row));
            }
            rows.add(cells);
        }
        int width = rows.get(0).size();
        for (List<Expression> row : rows) {
            if (row.size() != width) {
                throw new UserMistake("all rows of values need " + width + " columns, but one has " + row.size());
            }
        }
        boolean readsAround =
                rows.stream().flatMap(List::stream).anyMatch(e -> Expressions.hasOuter(e) || CurrentTime.isIn(e));
        return readsAround ? selected(rows, width) : inline(rows, width);
    }

    /** A plan for each row, since what the cells are depends on the rows around. */
    private static Plan selected(List<List<Expression>> rows, int width) {
        Plan all = null;
        for (List<Expression> row : rows) {
            List<Named> outputs = new ArrayList<>();
            for (int c = 0; c < width; c++) {
                outputs.add(Named.of("column" + (c + 1), row.get(c)));
            }
            Plan one = PlanBuilder.select(new Inline(new Schema(List.of()), List.of(new Batch(1))), outputs);
            all = all == null ? one : PlanBuilder.union(all, one);
        }
        return all;
    }

    /** One plan per type of row would be large, so that constants are evaluated here. */
    private static Plan inline(List<List<Expression>> rows, int width) {
        List<List<Expression>> columns = new ArrayList<>();
        for (int c = 0; c < width; c++) {
            int column = c;
            columns.add(ConstantColumns.unified(
                    rows.stream().map(r -> r.get(column)).toList(), "values"));
        }
        List<Field> fields = new ArrayList<>();
        for (int c = 0; c < width; c++) {
            DataType type = columns.get(c).get(0).type();
            fields.add(Field.of("column" + (c + 1), type == DataType.NULL ? DataType.TEXT : type));
        }
        Schema schema = new Schema(fields);
        Batch batch = ConstantColumns.batch(columns, schema);
        Plan plan = new Inline(schema, List.of(batch));
        List<Named> all = PlanBuilder.columns(schema);
        return all.isEmpty() ? plan : PlanBuilder.select(plan, all);
    }
}
