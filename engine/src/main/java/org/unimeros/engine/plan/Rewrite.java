package org.unimeros.engine.plan;

import java.time.Instant;
import org.unimeros.engine.expr.CurrentTime;

/** Improves a plan without changing its result or its schema. A pure function of the plan. */
public final class Rewrite {

    private Rewrite() {}

    /** The same of a plan whose current time is a moment. */
    public static Plan apply(Plan plan, Instant moment) {
        boolean asks = PlanExpressions.any(plan, CurrentTime::isIn);
        return apply(asks ? PlanExpressions.map(plan, e -> CurrentTime.at(e, moment)) : plan);
    }

    /** Folds constants, moves conditions to where the rows come from, and drops columns that nobody uses. */
    public static Plan apply(Plan plan) {
        return ColumnPruning.apply(FilterPushdown.apply(FoldConstants.apply(plan)));
    }
}
