package org.unimeros.engine.operator;

import java.util.List;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.SpareArrays;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.expr.Expression;

/** Operators that hold no rows: where, select and take. */
final class SimpleOperators {

    private SimpleOperators() {}

    static final class Where extends Operator.Inner {
        private final Evaluator evaluator;
        private final Expression condition;

        Where(Evaluator evaluator, Expression condition, Operator next) {
            super(next);
            this.evaluator = evaluator;
            this.condition = condition;
        }

        @Override
        void accept(Batch batch) {
            Batch left = evaluator.filter(condition, batch);
            if (left.rowCount() > 0) {
                next.accept(left);
            }
        }

        @Override
        boolean forgetsBatch() {
            return next.forgetsBatch();
        }
    }

    static final class Expand extends Operator.Inner {
        private final Evaluator evaluator;
        private final List<List<Expression>> variants;

        Expand(Evaluator evaluator, List<List<Expression>> variants, Operator next) {
            super(next);
            this.evaluator = evaluator;
            this.variants = variants;
        }

        @Override
        void accept(Batch batch) {
            for (List<Expression> variant : variants) {
                if (next.wantsMore()) {
                    next.accept(new Batch(batch.rowCount(), JoinTable.evaluate(evaluator, variant, batch)));
                }
            }
        }
    }

    static final class Select extends Operator.Inner {
        private final Evaluator evaluator;
        private final List<Expression> expressions;
        /** For columns that the next operator forgets. */
        private final SpareArrays spare = new SpareArrays();

        Select(Evaluator evaluator, List<Expression> expressions, Operator next) {
            super(next);
            this.evaluator = evaluator;
            this.expressions = expressions;
        }

        @Override
        void accept(Batch batch) {
            if (next.forgetsBatch()) {
                spare.reuse();
                next.accept(spare.during(() -> selected(batch)));
            } else {
                next.accept(selected(batch));
            }
        }

        private Batch selected(Batch batch) {
            return new Batch(batch.rowCount(), JoinTable.evaluate(evaluator, expressions, batch));
        }

        @Override
        boolean forgetsBatch() {
            return next.forgetsBatch();
        }
    }

    static final class Take extends Operator.Inner {
        private long toSkip;
        private long toTake;

        Take(long offset, long count, Operator next) {
            super(next);
            this.toSkip = offset;
            this.toTake = count;
        }

        @Override
        void accept(Batch batch) {
            int rows = batch.rowCount();
            int from = (int) Math.min(toSkip, rows);
            toSkip -= from;
            int n = (int) Math.min(toTake, rows - from);
            toTake -= n;
            if (n > 0) {
                next.accept(batch.slice(from, n));
            }
        }

        @Override
        boolean wantsMore() {
            return toTake > 0 && next.wantsMore();
        }
    }
}
