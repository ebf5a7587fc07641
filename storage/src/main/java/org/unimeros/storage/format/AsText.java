package org.unimeros.storage.format;

import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Operators;

/** The columns of batches as texts, as query results show them: a whole column at once, which needs no object for each value. Not thread-safe. */
public final class AsText {

    private final Evaluator evaluator = new Evaluator();
    private final Expression[] casts;

    public AsText(Schema schema) {
        casts = new Expression[schema.size()];
        for (int c = 0; c < casts.length; c++) {
            Field field = schema.field(c);
            casts[c] = Operators.cast(new Expression.ColumnRef(c, field.name(), field.type()), DataType.TEXT, false);
        }
    }

    /** A column of a batch, null where that is; of what has a text itself that one. */
    public TextColumn column(Batch batch, int column) {
        return (TextColumn) evaluator.evaluate(casts[column], batch);
    }
}
