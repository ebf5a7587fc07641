package org.unimeros.sql;

import java.util.ArrayList;
import java.util.BitSet;
import java.util.List;
import java.util.function.IntUnaryOperator;
import net.sf.jsqlparser.statement.select.Join;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.Expressions;
import org.unimeros.engine.expr.Operators;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Plan.JoinKind;
import org.unimeros.engine.plan.Plan.JoinMethod;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.Plan.Project;
import org.unimeros.engine.plan.PlanBuilder;

/**
 * The condition of a join. Inner queries in it are joined to the pairs of an inner join. In an outer join a row without a partner must
 * stay, so they are joined to one side before: to its rows, combined with the distinct values of those columns of the other side that
 * the inner queries read. Each pair of rows then meets once, and finds what the inner queries say of it.
 */
final class OnTranslation {

    private final QueryContext context;
    private final Scope outer;
    private final Join join;
    private final Plan left;
    private final Plan right;
    private final int leftSize;
    private final Schema both;

    OnTranslation(QueryContext context, Scope outer, Join join, Plan left, Plan right) {
        this.context = context;
        this.outer = outer;
        this.join = join;
        this.left = left;
        this.right = right;
        this.leftSize = left.schema().size();
        this.both = left.schema().concat(right.schema());
    }

    /** The joined rows: the columns of the left side, then those of the right side. */
    Plan plan() {
        Plan pairs = PlanBuilder.join(left, right, JoinKind.INNER, JoinMethod.AUTOMATIC, Literal.TRUE);
        RowSource rows = new RowSource(pairs);
        Expression condition = condition(rows);
        if (rows.plan() == pairs) {
            return join.isRight()
                    ? PlanBuilder.rightJoin(left, right, JoinMethod.AUTOMATIC, condition)
                    : PlanBuilder.join(left, right, kind(join), JoinMethod.AUTOMATIC, condition);
        }
        if (!join.isRight() && kind(join) == JoinKind.INNER) {
            return visible(PlanBuilder.where(rows.plan(), condition), i -> i);
        }
        BitSet read = rows.read().get(0, both.size());
        boolean readsLeft = read.nextSetBit(0) >= 0 && read.nextSetBit(0) < leftSize;
        boolean readsRight = read.nextSetBit(leftSize) >= 0;
        if (join.isFull() && readsLeft && readsRight) {
            throw Refused.unsupported(
                    "an inner query that reads both sides in the condition of a full join",
                    "join the rows of the inner query to one side first");
        }
        boolean widensLeft = join.isRight() || join.isFull() && readsLeft;
        return widensLeft ? outerJoin(right, left, leftSize, read) : outerJoin(left, right, 0, read);
    }

    static JoinKind kind(Join join) {
        return join.isFull() ? JoinKind.FULL : join.isLeft() ? JoinKind.LEFT : JoinKind.INNER;
    }

    private Expression condition(RowSource rows) {
        Scope scope = new RowScope(outer, both, rows, "it belongs into select or having", null);
        ExpressionResolver resolver = new ExpressionResolver(context, scope);
        List<Expression> parts = new ArrayList<>();
        join.getOnExpressions().forEach(on -> parts.add(resolver.resolve(on)));
        return parts.isEmpty() ? Literal.TRUE : Operators.and(parts);
    }

    /**
     * One side as it is, and the other one with what the inner queries say.
     *
     * @param start where the columns of the side stand that is kept as it is
     * @param read the columns of both sides that the inner queries read
     */
    private Plan outerJoin(Plan kept, Plan widened, int start, BitSet read) {
        int size = kept.schema().size();
        BitSet used = read.get(start, start + size);
        List<Named> columns = PlanBuilder.columns(kept.schema());
        Plan values = PlanBuilder.distinct(
                new Project(kept, used.stream().mapToObj(columns::get).toList()));
        Plan combined = PlanBuilder.join(values, widened, JoinKind.INNER, JoinMethod.AUTOMATIC, Literal.TRUE);
        RowSource rows = new RowSource(atTheirPlaces(combined, used, start, size));
        IntUnaryOperator place = i -> i >= start && i < start + size ? i - start : i + size;
        List<Expression> on = new ArrayList<>();
        on.add(Expressions.remap(condition(rows), place));
        used.stream().forEach(i -> {
            Field field = both.field(start + i);
            on.addAll(Subqueries.notDistinctKeys(
                    new ColumnRef(i, field.fullName(), field.type()),
                    new ColumnRef(size + start + i, field.fullName(), field.type())));
        });
        JoinKind kind = join.isFull() ? JoinKind.FULL : JoinKind.LEFT;
        return visible(PlanBuilder.join(kept, rows.plan(), kind, JoinMethod.AUTOMATIC, Operators.and(on)), place);
    }

    /** The columns of both sides at their places, from values that come first; what is not used of them is null. */
    private Plan atTheirPlaces(Plan combined, BitSet used, int start, int size) {
        List<Named> outputs = new ArrayList<>();
        int nextUsed = 0;
        int next = used.cardinality();
        for (int i = 0; i < both.size(); i++) {
            Field field = both.field(i);
            boolean isKept = i >= start && i < start + size;
            boolean isThere = !isKept || used.get(i - start);
            Expression value = isThere
                    ? PlanBuilder.column(combined.schema(), isKept ? nextUsed++ : next++)
                    : new Literal(null, field.type());
            outputs.add(new Named(value, field));
        }
        return new Project(combined, outputs);
    }

    /** The columns of both sides, and no others. */
    private Plan visible(Plan plan, IntUnaryOperator place) {
        List<Named> outputs = new ArrayList<>();
        for (int i = 0; i < both.size(); i++) {
            outputs.add(new Named(PlanBuilder.column(plan.schema(), place.applyAsInt(i)), both.field(i)));
        }
        return new Project(plan, outputs);
    }
}
