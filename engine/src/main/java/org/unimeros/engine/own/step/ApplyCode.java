package org.unimeros.engine.own.step;

import org.unimeros.engine.data.Batch;
import org.unimeros.engine.operator.Operator;
import org.unimeros.engine.own.RowCode;

/** Runs code of the job on the rows that come by. */
public final class ApplyCode extends Operator.Inner {

    private final RowCode.Running code;

    public ApplyCode(RowCode.Running code, Operator next) {
        super(next);
        this.code = code;
    }

    @Override
    public void accept(Batch batch) {
        code.accept(batch, this::push);
    }

    @Override
    public void finish() {
        code.finish(this::push);
        next.finish();
    }
}
