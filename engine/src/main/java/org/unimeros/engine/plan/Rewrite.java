package org.unimeros.engine.plan;

/** Improves a plan without changing its result or its schema. A pure function of the plan. */
public final class Rewrite {

    private Rewrite() {}

    /** Folds constants, moves conditions to where the rows come from, and drops columns that nobody uses. */
    public static Plan apply(Plan plan) {
        return ColumnPruning.apply(FilterPushdown.apply(FoldConstants.apply(plan)));
    }
}
