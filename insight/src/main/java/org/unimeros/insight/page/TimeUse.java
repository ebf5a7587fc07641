package org.unimeros.insight.page;

import java.util.List;
import org.unimeros.engine.operator.StepMetrics;
import org.unimeros.engine.stage.PlanOutline.Node;
import org.unimeros.engine.stage.PlanOutline.PipelineOutline;
import org.unimeros.engine.stage.PlanOutline.StageOutline;
import org.unimeros.insight.diagnosis.RunHistory.Ran;

/** What the time of attempts went to: nanoseconds by the order of {@link #KINDS}. */
final class TimeUse {

    /** The words by which the page knows them. */
    static final List<String> KINDS =
            List.of("computing", "code of the job", "reading", "taking parts", "waiting", "spilling", "writing");

    private static final int COMPUTING = 0;
    private static final int OWN = 1;
    private static final int READING = 2;
    private static final int TAKING = 3;
    private static final int WAITING = 4;
    private static final int SPILLING = 5;
    private static final int WRITING = 6;

    private TimeUse() {}

    static long[] of(Ran ran, StageOutline stage) {
        long[] nanos = new long[KINDS.size()];
        for (PipelineOutline pipeline : stage.pipelines()) {
            Node source = pipeline.source();
            nanos[source.kind().equals("table") ? READING : TAKING] +=
                    ran.step(source.id()).nanos();
            for (Node step : pipeline.steps()) {
                StepMetrics m = ran.step(step.id());
                nanos[step.isOwnCode() ? OWN : COMPUTING] += Math.max(0, m.nanos() - m.spillNanos());
                nanos[SPILLING] += m.spillNanos();
            }
        }
        StepMetrics out = ran.step(stage.output().id());
        nanos[WRITING] += Math.max(0, out.nanos() - out.spillNanos());
        nanos[SPILLING] += out.spillNanos();
        nanos[WAITING] += ran.use().sides();
        return nanos;
    }
}
