package org.unimeros.engine.expr;

import java.io.Serializable;

/** One key of an order. */
public record SortKey(Expression expression, boolean descending, boolean nullsFirst) implements Serializable {

    /** Ascending, nulls last. */
    public static SortKey ascending(Expression expression) {
        return new SortKey(expression, false, false);
    }

    /** The same order by another expression. */
    public SortKey with(Expression other) {
        return new SortKey(other, descending, nullsFirst);
    }

    @Override
    public String toString() {
        String direction = descending ? " desc" : "";
        return expression + direction + (nullsFirst == descending ? "" : nullsFirst ? " nulls first" : " nulls last");
    }
}
