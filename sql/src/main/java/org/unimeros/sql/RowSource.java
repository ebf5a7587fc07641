package org.unimeros.sql;

import java.util.BitSet;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.Expressions;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.PlanBuilder;

/**
 * The plan that the rows of an expression come from. A query or window function inside the expression adds columns at
 * its end, so that positions which were resolved before stay valid.
 */
final class RowSource {

    private final BitSet read = new BitSet();
    private Plan plan;

    RowSource(Plan plan) {
        this.plan = plan;
    }

    Plan plan() {
        return plan;
    }

    /** Takes a plan with the same columns first. */
    void widen(Plan wider) {
        plan = wider;
    }

    /** Takes a plan that joins more columns, by a condition over the columns so far and those behind them. */
    void widen(Plan wider, Expression condition) {
        Expressions.columns(condition, read);
        plan = wider;
    }

    /** The columns that what was joined depends on. */
    BitSet read() {
        return read;
    }

    /** A reference to a column by position. */
    ColumnRef column(int index) {
        return PlanBuilder.column(plan.schema(), index);
    }

    int size() {
        return plan.schema().size();
    }
}
