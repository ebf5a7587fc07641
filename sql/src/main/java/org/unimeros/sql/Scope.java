package org.unimeros.sql;

import java.util.Optional;
import net.sf.jsqlparser.expression.AnalyticExpression;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.Expression.Outer;

/** What names, aggregates and inner queries mean where an expression stands. */
abstract class Scope {

    private final Scope outer;

    /** A scope inside another one, which may be null. */
    Scope(Scope outer) {
        this.outer = outer;
    }

    Scope outer() {
        return outer;
    }

    /** The column of a name in this scope itself. */
    abstract Optional<ColumnRef> find(String name);

    /** What is wrong with a name that no scope knows. */
    abstract UserMistake unknown(String name);

    /** Whether a name means a column here or in a scope around. */
    final boolean knows(String name) {
        for (Scope scope = this; scope != null; scope = scope.outer) {
            if (scope.find(name).isPresent()) {
                return true;
            }
        }
        return false;
    }

    /** The column of a name here or, failing that, in the nearest scope around. */
    final Expression column(String name) {
        Optional<ColumnRef> own = find(name);
        if (own.isPresent()) {
            return own.get();
        }
        int depth = 1;
        for (Scope scope = outer; scope != null; scope = scope.outer) {
            Optional<ColumnRef> found = scope.find(name);
            if (found.isPresent()) {
                ColumnRef column = found.get();
                return new Outer(depth, column.index(), column.name(), column.type());
            }
            depth++;
        }
        throw unknown(name);
    }

    /** The meaning of an aggregate call; fails where aggregates are not allowed. */
    abstract Expression aggregate(AggregateNode call);

    /** The meaning of a window function; fails where they are not allowed. */
    Expression window(AnalyticExpression call) {
        throw new UserMistake("a window function is not allowed here; compute it in the select list of an inner query");
    }

    /** The meaning of {@code grouping(…)}. */
    Expression grouping(Expression argument) {
        throw new UserMistake("grouping(…) needs a group by with grouping sets, rollup or cube");
    }

    /** Whether expressions are only looked at for the aggregates in them, and what they mean does not matter yet. */
    boolean isCollecting() {
        return false;
    }

    /** Where inner queries are joined to; null where they are not allowed. */
    abstract RowSource rows();

    /** The meaning of a whole node, where it has one that does not follow from its parts. */
    Optional<Expression> whole(net.sf.jsqlparser.expression.Expression node) {
        return Optional.empty();
    }
}
