package org.unimeros.engine.operator;

import java.util.List;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.SpareArrays;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.expr.Expression;

/** Operators that hold no rows: where, select and take. */
public final class SimpleOperators {

    private SimpleOperators() {}

    public static final class Where extends Operator.Inner {
        private final Evaluator evaluator;
        private final Expression condition;

        public Where(Evaluator evaluator, Expression condition, Operator next) {
            super(next);
            this.evaluator = evaluator;
            this.condition = condition;
        }

        @Override
        public void accept(Batch batch) {
            Batch left = evaluator.filter(condition, batch);
            if (left.rowCount() > 0) {
                next.accept(left);
            }
        }

        @Override
        public boolean forgetsBatch() {
            return next.forgetsBatch();
        }
    }

    public static final class Expand extends Operator.Inner {
        private final Evaluator evaluator;
        private final List<List<Expression>> variants;

        public Expand(Evaluator evaluator, List<List<Expression>> variants, Operator next) {
            super(next);
            this.evaluator = evaluator;
            this.variants = variants;
        }

        @Override
        public void accept(Batch batch) {
            for (List<Expression> variant : variants) {
                if (next.wantsMore()) {
                    next.accept(new Batch(batch.rowCount(), evaluator.evaluateAll(variant, batch)));
                }
            }
        }
    }

    public static final class Select extends Operator.Inner {
        private final Evaluator evaluator;
        private final List<Expression> expressions;
        /** For columns that the next operator forgets. */
        private final SpareArrays spare = new SpareArrays();

        public Select(Evaluator evaluator, List<Expression> expressions, Operator next) {
            super(next);
            this.evaluator = evaluator;
            this.expressions = expressions;
        }

        @Override
        public void accept(Batch batch) {
            if (next.forgetsBatch()) {
                spare.reuse();
                next.accept(spare.during(() -> selected(batch)));
            } else {
                next.accept(selected(batch));
            }
        }

        private Batch selected(Batch batch) {
            return new Batch(batch.rowCount(), evaluator.evaluateAll(expressions, batch));
        }

        @Override
        public boolean forgetsBatch() {
            return next.forgetsBatch();
        }
    }

    public static final class Take extends Operator.Inner {
        private long toSkip;
        private long toTake;

        public Take(long offset, long count, Operator next) {
            super(next);
            this.toSkip = offset;
            this.toTake = count;
        }

        @Override
        public void accept(Batch batch) {
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
        public boolean wantsMore() {
            return toTake > 0 && next.wantsMore();
        }
    }
}
