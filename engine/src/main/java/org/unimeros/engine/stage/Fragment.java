package org.unimeros.engine.stage;

import java.util.ArrayList;
import java.util.List;
import java.util.OptionalLong;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.stage.Stage.Pipeline;
import org.unimeros.engine.stage.Stage.When;

/**
 * The open end of a plan: pipelines that have no output yet.
 *
 * @param schema the columns that they make
 * @param estimate what they are expected to make
 * @param layout how the rows lie
 * @param rowsWanted how many rows are enough, where that is known
 */
record Fragment(List<Pipeline> pipelines, Schema schema, Estimate estimate, Layout layout, OptionalLong rowsWanted) {

    /** What a source gives, of which it is not known how it lies. */
    static Fragment starting(Source source, Schema schema, Estimate estimate) {
        return starting(source, schema, estimate, Layout.UNKNOWN);
    }

    static Fragment starting(Source source, Schema schema, Estimate estimate, Layout layout) {
        return new Fragment(List.of(new Pipeline(source, List.of())), schema, estimate, layout, OptionalLong.empty());
    }

    Fragment then(Step step, Schema newSchema, Estimate newEstimate) {
        List<Pipeline> longer = pipelines.stream()
                .map(p -> {
                    List<Step> steps = new ArrayList<>(p.steps());
                    steps.add(step);
                    return new Pipeline(0, p.source(), steps, p.when());
                })
                .toList();
        return new Fragment(longer, newSchema, newEstimate, layout.through(step), OptionalLong.empty());
    }

    /** The same under a further condition. */
    Fragment when(When condition) {
        List<Pipeline> limited = pipelines.stream()
                .map(p -> {
                    List<When> all = new ArrayList<>(p.when());
                    all.add(condition);
                    return new Pipeline(0, p.source(), p.steps(), all);
                })
                .toList();
        return new Fragment(limited, schema, estimate, layout, rowsWanted);
    }

    Fragment wanting(long rows) {
        return new Fragment(pipelines, schema, estimate, layout, OptionalLong.of(rows));
    }
}
