package org.unimeros.sql;

import java.util.List;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expressions;
import org.unimeros.engine.expr.Types;

/** Columns of constants. */
final class ConstantColumns {

    private ConstantColumns() {}

    /** Constants brought to one type. */
    static List<Expression> unified(List<Expression> constants, String where) {
        return Types.unify(constants, where);
    }

    /** A batch of constants, given column by column. */
    static Batch batch(List<List<Expression>> columns, Schema schema) {
        BatchBuilder builder = new BatchBuilder(schema);
        int rows = columns.isEmpty() ? 0 : columns.get(0).size();
        for (int r = 0; r < rows; r++) {
            for (int c = 0; c < columns.size(); c++) {
                Expression e = columns.get(c).get(r);
                if (!Expressions.columns(e).isEmpty() || Expressions.hasOuter(e)) {
                    throw new UserMistake("values needs constants, but found " + e);
                }
                Values.append(
                        builder.column(c),
                        Evaluator.fold(Types.coerce(e, schema.field(c).type())).value());
            }
            builder.endRow();
        }
        return builder.build();
    }
}
