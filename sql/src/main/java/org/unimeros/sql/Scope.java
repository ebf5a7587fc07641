package org.unimeros.sql;

import java.util.List;
import java.util.Optional;
import java.util.function.Supplier;
import net.sf.jsqlparser.expression.AnalyticExpression;
import net.sf.jsqlparser.schema.Column;
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

    /** Whether a name means a column of the rows of this scope, be it one that expressions in it cannot read. */
    boolean owns(String name) {
        return find(name).isPresent();
    }

    /** Whether a name means a column here or in a scope around. */
    final boolean knows(String name) {
        for (Scope scope = this; scope != null; scope = scope.outer) {
            if (scope.owns(name)) {
                return true;
            }
        }
        return false;
    }

    /** The column of a name here or, failing that, in the nearest scope around. */
    final Expression column(String name) {
        int depth = 0;
        for (Scope scope = this; scope != null; scope = scope.outer) {
            if (scope.owns(name)) {
                ColumnRef found = scope.find(name).orElseThrow(ofScope(scope, name));
                return outside(found, depth);
            }
            depth++;
        }
        throw unknown(name);
    }

    private static Supplier<UserMistake> ofScope(Scope scope, String name) {
        return () -> scope.unknown(name);
    }

    private static Expression outside(ColumnRef column, int depth) {
        return depth == 0 ? column : new Outer(depth, column.index(), column.name(), column.type());
    }

    /**
     * The meaning of an aggregate call. It belongs to the innermost query whose columns it reads, as in the SQL standard: one of
     * nothing but columns of a query around is an aggregate of that query.
     */
    final Expression aggregateOf(AggregateNode call) {
        int level = levelOf(call);
        Scope owner = this;
        for (int i = 0; i < level; i++) {
            owner = owner.outer;
        }
        Expression value = owner.aggregate(call);
        return value instanceof ColumnRef column ? outside(column, level) : value;
    }

    /** How many queries further out an aggregate belongs. */
    final int levelOf(AggregateNode call) {
        List<Column> columns = ColumnFinder.columns(call);
        return columns.stream().mapToInt(this::depthOf).min().orElse(0);
    }

    private int depthOf(Column column) {
        List<String> parts = SqlNames.nameParts(column);
        int depth = 0;
        for (Scope scope = this; scope != null; scope = scope.outer) {
            if (scope.meets(parts)) {
                return depth;
            }
            depth++;
        }
        return 0;
    }

    /** Whether a name, or what it begins with, means a column here; one that could be several does, too. */
    private boolean meets(List<String> parts) {
        try {
            for (int n = parts.size(); n > 0; n--) {
                if (owns(String.join(".", parts.subList(0, n)))) {
                    return true;
                }
            }
            return false;
        } catch (UserMistake e) {
            // Whoever resolves it says with its place that it is ambiguous.
            return true;
        }
    }

    /** The meaning of an aggregate call of this scope; fails where aggregates are not allowed. */
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
