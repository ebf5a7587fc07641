package org.unimeros.sql;

import java.util.ArrayList;
import java.util.List;
import net.sf.jsqlparser.statement.select.ParenthesedSelect;
import net.sf.jsqlparser.statement.select.Select;
import net.sf.jsqlparser.statement.select.SetOperation;
import net.sf.jsqlparser.statement.select.SetOperationList;
import net.sf.jsqlparser.statement.select.UnionOp;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Types;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.PlanBuilder;
import org.unimeros.engine.plan.PlanExpressions;
import org.unimeros.engine.plan.RecursiveTable;

/**
 * A query of {@code with recursive} that may read itself: {@code first union [all] step}, where only the step does. A query that does not read itself is
 * like any other.
 */
final class RecursiveTranslation {

    private final QueryContext context;
    private final Scope outer;
    private final String name;
    private final List<String> columns;

    RecursiveTranslation(QueryContext context, Scope outer, String name, List<String> columns) {
        this.context = context;
        this.outer = outer;
        this.name = name;
        this.columns = columns;
    }

    Plan plan(Select select) {
        Select body = select;
        while (body instanceof ParenthesedSelect inner && inner.getWithItemsList() == null) {
            body = inner.getSelect();
        }
        boolean isUnion = body instanceof SetOperationList set
                && set.getOperations().get(set.getOperations().size() - 1) instanceof UnionOp
                && set.getWithItemsList() == null;
        return isUnion ? union((SetOperationList) body, select) : plain(context, select);
    }

    private Plan plain(QueryContext inside, Select select) {
        return FromTranslation.withColumns(new QueryTranslation(inside, outer).query(select), name, columns);
    }

    private Plan union(SetOperationList set, Select whole) {
        List<Select> selects = set.getSelects();
        int last = selects.size() - 1;
        SetOperationList before = new SetOperationList();
        before.setSelects(new ArrayList<>(selects.subList(0, last)));
        before.setOperations(new ArrayList<>(set.getOperations().subList(0, last - 1)));
        // What comes first does not know the name, and so cannot read itself.
        Plan first = plain(context, last == 1 ? selects.get(0) : before);
        RecursiveTable.Level level = new RecursiveTable.Level(name, first.schema());
        QueryContext inside = context.with(name, PlanBuilder.scan(level, name));
        Plan step = new QueryTranslation(inside, outer).query(selects.get(last));
        if (!reads(step, level)) {
            return plain(context, whole);
        }
        if (set.getOrderByElements() != null
                || set.getLimit() != null
                || set.getOffset() != null
                || set.getFetch() != null) {
            throw Refused.unsupported(
                    "an order or limit of the recursive query " + name, "write it where the query is read");
        }
        if (PlanExpressions.any(first, RecursiveTranslation::isOuter)
                || PlanExpressions.any(step, RecursiveTranslation::isOuter)) {
            throw Refused.unsupported(
                    "a column of the rows around in the recursive query " + name,
                    "begin with all rows, keep that column, and join by it");
        }
        SetOperation operation = set.getOperations().get(last - 1);
        Plan fitting = fitting(step, level.schema());
        return PlanBuilder.scan(new RecursiveTable(name, first, fitting, level, !operation.isAll()), name);
    }

    private static boolean isOuter(Expression e) {
        return e instanceof Expression.Outer || e.children().stream().anyMatch(RecursiveTranslation::isOuter);
    }

    private static boolean reads(Plan plan, RecursiveTable.Level level) {
        return plan instanceof Plan.Scan scan && scan.source() == level
                || plan.inputs().stream().anyMatch(input -> reads(input, level));
    }

    /** The step has the columns of the first rows. */
    private Plan fitting(Plan step, Schema first) {
        if (step.schema().size() != first.size()) {
            throw new UserMistake("the recursive query " + name + " begins with " + first.size()
                    + " columns, but goes on with " + step.schema().size());
        }
        List<Named> outputs = new ArrayList<>();
        for (int i = 0; i < first.size(); i++) {
            Field column = first.field(i);
            Expression value = PlanBuilder.column(step.schema(), i);
            boolean fits = Types.common(value.type(), column.type())
                    .filter(column.type()::equals)
                    .isPresent();
            if (!fits && value.type() != DataType.NULL) {
                throw new UserMistake("column " + column.name() + " of the recursive query " + name + " begins as "
                        + column.type() + ", but goes on as " + value.type() + "; cast one of them");
            }
            outputs.add(new Named(Types.coerce(value, column.type()), Field.of(column.name(), column.type())));
        }
        return PlanBuilder.select(step, outputs);
    }
}
