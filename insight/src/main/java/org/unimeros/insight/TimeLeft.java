package org.unimeros.insight;

import java.util.Optional;
import java.util.OptionalLong;
import org.unimeros.engine.operator.StepMetrics;
import org.unimeros.engine.run.RunProgress;
import org.unimeros.engine.run.RunProgress.StageProgress;
import org.unimeros.engine.stage.PlanOutline.StageOutline;

/**
 * How long a run will probably go on, by what its tasks took so far: the tasks that are left of a stage take what those before took, and a stage that
 * has not begun takes for a byte that it will read what a byte took until now.
 */
public final class TimeLeft {

    /** By less than this nothing can be said. */
    private static final long LEAST_MILLIS = 500;

    private final RunProgress run;

    private TimeLeft(RunProgress run) {
        this.run = run;
    }

    /** In milliseconds; empty where too little is known. */
    public static OptionalLong millis(RunProgress run) {
        return new TimeLeft(run).millis();
    }

    private OptionalLong millis() {
        long spent = run.plan().stages().stream()
                .map(stage -> run.stage(stage.id()))
                .filter(stage -> stage != null)
                .mapToLong(StageProgress::taskMillis)
                .sum();
        long read = run.read().bytes();
        if (spent < LEAST_MILLIS || run.mostRunning() == 0) {
            return OptionalLong.empty();
        }
        double left = 0;
        for (StageOutline stage : run.plan().stages()) {
            Optional<Double> ofStage = left(stage, spent, read);
            if (ofStage.isEmpty()) {
                return OptionalLong.empty();
            }
            left += ofStage.get();
        }
        return OptionalLong.of(Math.round(left / run.mostRunning()));
    }

    /** What tasks of a stage will take, all together. */
    private Optional<Double> left(StageOutline outline, long spent, long read) {
        StageProgress stage = run.stage(outline.id());
        if (stage != null && stage.isFinished()) {
            return Optional.of(0.0);
        }
        if (stage != null && stage.finished() > 0) {
            // Tasks that are done again are more than there are.
            int tasks = Math.max(0, stage.tasks() - stage.finished());
            return Optional.of((double) stage.taskMillis() / stage.finished() * tasks);
        }
        if (read == 0) {
            return Optional.empty();
        }
        double bytes = 0;
        for (int other : outline.reads()) {
            long made = made(other);
            if (made < 0) {
                return Optional.empty();
            }
            bytes += made;
        }
        boolean readsOnlyStages = outline.pipelines().stream()
                .noneMatch(pipeline -> pipeline.source().kind().equals("table"));
        return readsOnlyStages ? Optional.of(bytes * spent / read) : Optional.empty();
    }

    /** Bytes that a stage makes: those that it made, or else those that are expected; -1 where that is not known. */
    private long made(int id) {
        StageProgress stage = run.stage(id);
        for (StageOutline outline : run.plan().stages()) {
            if (outline.id() == id) {
                StepMetrics metrics = run.step(outline.output().id());
                return stage != null && stage.isFinished() && metrics != null
                        ? metrics.bytes()
                        : outline.expectedBytes();
            }
        }
        return -1;
    }
}
