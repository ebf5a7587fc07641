package org.unimeros.insight.diagnosis;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.function.UnaryOperator;
import java.util.stream.Stream;
import org.unimeros.engine.operator.StepMetrics;
import org.unimeros.engine.stage.PlanOutline.Node;
import org.unimeros.engine.stage.PlanOutline.PipelineOutline;
import org.unimeros.engine.stage.PlanOutline.StageOutline;
import org.unimeros.insight.diagnosis.RunHistory.Ran;
import org.unimeros.insight.diagnosis.RunHistory.Span;
import org.unimeros.insight.diagnosis.RunHistory.StageHistory;

/** What rules ask of a run. */
final class Facts {

    private final RunHistory history;
    private final Replay replay;
    private final List<StageFacts> stages = new ArrayList<>();

    Facts(RunHistory history) {
        this.history = history;
        this.replay = new Replay(history);
        for (StageHistory stage : history.stages()) {
            if (!stage.ran().isEmpty()) {
                StageOutline outline = history.outline(stage);
                stages.add(new StageFacts(stage, outline, taken(stage, outline)));
            }
        }
    }

    private static PipelineOutline taken(StageHistory stage, StageOutline outline) {
        return outline.pipelines().stream()
                .max(Comparator.comparingLong(p -> stage.ran().stream()
                        .filter(r -> r.steps().containsKey(p.source().id()))
                        .count()))
                .orElseThrow();
    }

    RunHistory history() {
        return history;
    }

    List<StageFacts> stages() {
        return stages;
    }

    /** All attempts that count. */
    Stream<Ran> ran() {
        return stages.stream().flatMap(stage -> stage.history().ran().stream());
    }

    int slots() {
        return history.slots();
    }

    long millis() {
        return history.millis();
    }

    /** Whether some time is so large a part of the run that it is worth a word. */
    boolean matters(long millis) {
        return millis >= 200 && millis >= millis() / 20;
    }

    /** What the run would be shorter by if the tasks of a stage took other times. */
    long gain(StageFacts changed, UnaryOperator<long[]> times) {
        return replay.gain(changed.history(), times);
    }

    long taskMillis() {
        return stages.stream().mapToLong(s -> s.history().taskMillis()).sum();
    }

    /** The share of the slots' time in which attempts ran, in percent. */
    int slotsInUse() {
        long used = history.spans().stream().mapToLong(Span::millis).sum();
        return (int) Math.min(100, Math.round(100.0 * used / (millis() * (double) slots())));
    }

    StepMetrics step(Node node) {
        StepMetrics all = StepMetrics.NONE;
        for (StageFacts stage : stages) {
            all = all.plus(stage.history().step(node.id()));
        }
        return all;
    }

    static String percent(long part, long whole) {
        return whole == 0 ? "0 %" : Math.round(100.0 * part / whole) + " %";
    }
}
