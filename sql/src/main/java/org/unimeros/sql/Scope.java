package org.unimeros.sql;

import java.util.Optional;
import net.sf.jsqlparser.expression.Function;
import org.unimeros.engine.expr.Expression;

/** What names and aggregates mean where an expression stands. */
interface Scope {

    /** The column of a name; fails when there is none. */
    Expression column(String name);

    /** The meaning of an aggregate call; fails where aggregates are not allowed. */
    Expression aggregate(Function call, Optional<net.sf.jsqlparser.expression.Expression> onlyWhere);

    /** The meaning of a whole node, where it has one that does not follow from its parts. */
    default Optional<Expression> whole(net.sf.jsqlparser.expression.Expression node) {
        return Optional.empty();
    }
}
