package org.unimeros.engine.join;

import java.util.Arrays;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.operator.Operator;
import org.unimeros.engine.stage.Step;

/** Joins the rows that come by with a {@link JoinTable}. */
public final class ProbeJoin extends Operator.Inner {

    private final JoinPass pass;
    private final JoinTable table;
    private final boolean isShared;
    private boolean[] matched = new boolean[Batch.TARGET_ROWS];

    public ProbeJoin(Evaluator evaluator, Step.Probe step, JoinTable table, PairWatch watch, Operator next) {
        super(next);
        this.table = table;
        this.isShared = step.copied();
        this.pass = new JoinPass(evaluator, step, table, watch, next);
    }

    @Override
    public void accept(Batch batch) {
        if (matched.length < batch.rowCount()) {
            matched = new boolean[batch.rowCount()];
        }
        Arrays.fill(matched, 0, batch.rowCount(), false);
        pass.pairs(batch, matched);
        pass.ends(batch, matched);
    }

    @Override
    public boolean forgetsBatch() {
        return next.forgetsBatch();
    }

    @Override
    public void finish() {
        pass.buildEnds();
        if (!isShared) {
            table.releaseKeys();
        }
        next.finish();
    }
}
