package org.unimeros.engine.sort;

import java.util.List;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.expr.SortKey;

/** Notes the keys of the first row of each chunk of sorted rows. */
public final class RunStarts {

    private final Evaluator evaluator;
    private final List<SortKey> keys;
    private final BatchBuilder starts;

    public RunStarts(Evaluator evaluator, List<SortKey> keys) {
        this.evaluator = evaluator;
        this.keys = keys;
        this.starts =
                new BatchBuilder(keys.stream().map(k -> k.expression().type()).toList());
    }

    public void add(Batch chunk) {
        Batch first = chunk.slice(0, 1);
        Column[] columns = keys.stream()
                .map(k -> evaluator.evaluate(k.expression(), first))
                .toArray(Column[]::new);
        starts.appendAll(new Batch(1, columns));
    }

    public Batch build() {
        return starts.build();
    }
}
