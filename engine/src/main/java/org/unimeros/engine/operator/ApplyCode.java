package org.unimeros.engine.operator;

import org.unimeros.engine.data.Batch;
import org.unimeros.engine.own.RowCode;

/** Runs code of the job on the rows that come by. */
final class ApplyCode extends Operator.Inner {

    private final RowCode.Running code;

    ApplyCode(RowCode.Running code, Operator next) {
        super(next);
        this.code = code;
    }

    @Override
    void accept(Batch batch) {
        code.accept(batch, this::push);
    }

    @Override
    void finish() {
        code.finish(this::push);
        next.finish();
    }
}
