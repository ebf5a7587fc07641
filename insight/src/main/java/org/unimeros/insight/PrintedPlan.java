package org.unimeros.insight;

import java.util.ArrayList;
import java.util.List;
import org.unimeros.engine.operator.StepMetrics;
import org.unimeros.engine.run.RunProgress;
import org.unimeros.engine.run.RunProgress.StageProgress;
import org.unimeros.engine.stage.PlanOutline;
import org.unimeros.engine.stage.PlanOutline.Role;
import org.unimeros.engine.stage.Sizes;

/** A plan with what really happened: a line for each step where it fits, with the rows that came out of it. */
final class PrintedPlan {

    /** Steps that took at least this share of the time are marked. */
    private static final double MUCH = 0.1;

    private static final String ARROW = "  -> ";
    private static final long MILLI = 1_000_000;

    private final RunProgress progress;
    private final int columns;
    private final long allNanos;

    PrintedPlan(RunProgress progress, int columns) {
        this.progress = progress;
        this.columns = columns;
        this.allNanos = progress.plan().lines().stream()
                .filter(line -> line.role() != Role.STAGE && line.role() != Role.CONDITION)
                .map(line -> progress.step(line.id()))
                .filter(metrics -> metrics != null)
                .mapToLong(StepMetrics::nanos)
                .sum();
    }

    void print(StringBuilder out) {
        for (PlanOutline.Line line : progress.plan().lines()) {
            out.append(line.text());
            if (line.role() == Role.STAGE) {
                StageProgress stage = progress.stage(line.id());
                out.append(stage == null ? ": not begun" : ": " + figures(stage));
                if (stage != null) {
                    stage.decisions().forEach(text -> out.append("\n    ").append(text));
                }
            } else if (line.role() != Role.CONDITION) {
                print(line, progress.step(line.id()), out);
            }
            out.append('\n');
        }
    }

    private void print(PlanOutline.Line line, StepMetrics metrics, StringBuilder out) {
        if (metrics == null) {
            return;
        }
        String figures = figures(line, metrics);
        int indent = line.text().length() - line.text().stripLeading().length();
        boolean fits = line.text().length() + ARROW.length() + figures.length() <= columns;
        out.append(fits ? "" : "\n" + " ".repeat(indent + 2)).append(ARROW).append(figures);
    }

    private String figures(PlanOutline.Line line, StepMetrics metrics) {
        List<String> parts = new ArrayList<>();
        StepMetrics next = line.next() < 0 ? null : progress.step(line.next());
        if (line.role() == Role.STEP && next == null) {
            parts.add("of " + Sizes.count(metrics.rows(), "row"));
        } else {
            parts.add(Sizes.count(line.role() == Role.STEP ? next.rows() : metrics.rows(), "row"));
        }
        if (metrics.bytes() > 0) {
            parts.add(Sizes.bytes(metrics.bytes()));
        }
        if (metrics.spilled() > 0) {
            parts.add("spilled " + Sizes.bytes(metrics.spilled()));
        }
        if (metrics.nanos() >= MILLI) {
            parts.add(Sizes.millis(metrics.nanos() / MILLI));
        }
        if (metrics.nanos() >= MILLI && metrics.nanos() >= MUCH * allNanos) {
            parts.add(Math.round(100.0 * metrics.nanos() / allNanos) + " % of all task time");
        }
        return String.join(", ", parts);
    }

    /** A time, if there is any. */
    private static String some(String what, long millis) {
        return millis == 0 ? "" : ", " + what + Sizes.millis(millis);
    }

    private static String figures(StageProgress stage) {
        String tasks = stage.finished() >= stage.tasks()
                ? Sizes.count(stage.tasks(), "task")
                : stage.finished() + " of " + Sizes.count(stage.tasks(), "task") + " needed";
        String time = !stage.isFinished() ? ", not finished" : some("", stage.millis());
        String slowest = stage.tasks() > 1 ? some("slowest task ", stage.slowestMillis()) : "";
        int more = stage.finished() - stage.tasks();
        return tasks
                + time
                + slowest
                + (more > 0 ? ", " + more + " done again" : "")
                + (stage.failed() > 0 ? ", " + stage.failed() + " failed" : "")
                + (stage.stopped() > 0 ? ", " + Sizes.count(stage.stopped(), "attempt") + " stopped" : "");
    }
}
