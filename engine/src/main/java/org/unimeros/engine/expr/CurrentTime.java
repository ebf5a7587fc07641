package org.unimeros.engine.expr;

import java.time.Instant;
import java.time.temporal.ChronoUnit;
import java.util.List;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.expr.Expression.Call;
import org.unimeros.engine.expr.Expression.Literal;

/** The moment at which a run is asked for: one value for all of its rows, put in place of the call before the run is planned. */
public final class CurrentTime {

    private static final ScalarFunction NOW = ScalarFunction.failing("now", (args, rows, nulls) -> {
        throw new IllegalStateException("the current time of a run is known before its tasks");
    });

    private CurrentTime() {}

    /** {@code now()}, a timestamp. */
    public static Expression now() {
        return new Call(NOW, List.of(), DataType.TIMESTAMP);
    }

    /** {@code current_date}, the date of {@link #now} in UTC. */
    public static Expression today() {
        return Operators.cast(now(), DataType.DATE, false);
    }

    /** Whether an expression depends on the current time. */
    public static boolean isIn(Expression e) {
        return isNow(e) || e.children().stream().anyMatch(CurrentTime::isIn);
    }

    private static boolean isNow(Expression e) {
        return e instanceof Call call
                && call.function().equals(NOW)
                && call.args().isEmpty();
    }

    /** An expression at a moment. */
    public static Expression at(Expression e, Instant moment) {
        return isNow(e)
                ? new Literal(moment.truncatedTo(ChronoUnit.MICROS), DataType.TIMESTAMP)
                : isIn(e) ? Expressions.fold(e.mapChildren(child -> at(child, moment))) : e;
    }
}
