package org.unimeros.sql;

import java.util.Optional;
import net.sf.jsqlparser.expression.Function;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.plan.PlanBuilder;

/** Single rows of an input. */
record RowScope(Schema schema, String aggregatesGoTo) implements Scope {

    @Override
    public Expression column(String name) {
        return PlanBuilder.column(schema, schema.resolve(name));
    }

    @Override
    public Expression aggregate(Function call, Optional<net.sf.jsqlparser.expression.Expression> onlyWhere) {
        throw new UserMistake("aggregate " + call.getName() + " is not allowed here; " + aggregatesGoTo);
    }
}
