package org.unimeros.sql;

import java.util.Optional;
import java.util.OptionalInt;
import net.sf.jsqlparser.expression.AnalyticExpression;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.plan.PlanBuilder;

/** Single rows of an input. */
final class RowScope extends Scope {

    private final Schema schema;
    private final RowSource rows;
    private final String aggregatesGoTo;
    private final WindowTranslation windows;
    private boolean metAggregate;

    /**
     * @param schema what can be named; the first columns of the rows
     * @param aggregatesGoTo where aggregates would be allowed, for the message
     * @param windows how window functions are added; null where they are not allowed
     */
    RowScope(Scope outer, Schema schema, RowSource rows, String aggregatesGoTo, WindowTranslation windows) {
        super(outer);
        this.schema = schema;
        this.rows = rows;
        this.aggregatesGoTo = aggregatesGoTo;
        this.windows = windows;
    }

    @Override
    Optional<ColumnRef> find(String name) {
        OptionalInt index = schema.find(name);
        return index.isPresent() ? Optional.of(PlanBuilder.column(schema, index.getAsInt())) : Optional.empty();
    }

    @Override
    UserMistake unknown(String name) {
        try {
            schema.resolve(name);
            throw new IllegalStateException("known: " + name);
        } catch (UserMistake e) {
            return e;
        }
    }

    @Override
    Expression aggregate(AggregateNode call) {
        metAggregate = true;
        throw new UserMistake("aggregate " + call.name() + " is not allowed here; " + aggregatesGoTo);
    }

    /** Whether an aggregate was refused, which may stand in an inner query and be one of these rows. */
    boolean metAggregate() {
        return metAggregate;
    }

    @Override
    Expression window(AnalyticExpression call) {
        return windows == null ? super.window(call) : windows.add(call, this);
    }

    @Override
    RowSource rows() {
        return rows;
    }
}
