package org.unimeros.cli;

import java.io.PrintWriter;
import java.util.ArrayList;
import java.util.List;
import java.util.function.LongSupplier;
import org.unimeros.engine.operator.StepMetrics;
import org.unimeros.engine.run.RunEvent;
import org.unimeros.engine.run.RunListener;
import org.unimeros.engine.run.RunProgress;
import org.unimeros.engine.run.RunProgress.StageProgress;
import org.unimeros.engine.stage.PlanOutline.StageOutline;
import org.unimeros.engine.stage.Sizes;
import org.unimeros.insight.TimeLeft;

/**
 * One line on the terminal that says how far a run is: its stages and their tasks, workers, rows and bytes read, and the time that is
 * probably left. Quiet where nobody looks.
 */
final class Progress implements RunListener {

    private static final int BAR = 20;
    private static final long PAUSE_MILLIS = 80;

    private final PrintWriter err;
    private final Terminal terminal;
    private final LongSupplier clock;
    private RunProgress run = new RunProgress();
    private long lastShown;
    private boolean shown;

    Progress(PrintWriter err, Terminal terminal, LongSupplier clock) {
        this.err = err;
        this.terminal = terminal;
        this.clock = clock;
    }

    @Override
    public void happened(RunEvent event) {
        if (event instanceof RunEvent.RunStarted) {
            run = new RunProgress();
        }
        run.happened(event);
        if (event instanceof RunEvent.RunEnded) {
            clear();
        } else {
            show();
        }
    }

    /** Shows a count that is not of a run. */
    void count(String what, long count, long of) {
        if (isDue()) {
            line(bar(count, of) + " " + what + " " + Sizes.count(count));
        }
    }

    private void show() {
        if (!isDue()) {
            return;
        }
        List<StageOutline> stages = run.plan().stages();
        if (run.currentStage() == 0 || run.stagesFinished() == stages.size()) {
            return;
        }
        StepMetrics read = run.read();
        List<String> parts = new ArrayList<>();
        parts.add(run.stagesFinished() + " of " + Sizes.count(stages.size(), "stage") + " done");
        double done = run.stagesFinished();
        for (StageOutline outline : stages) {
            StageProgress stage = run.stage(outline.id());
            if (stage != null && !stage.isFinished() && stage.tasks() > 0) {
                int running = run.running(outline.id());
                parts.add("stage " + outline.id() + ": " + stage.finished() + " of "
                        + Sizes.count(stage.tasks(), "task") + (running > 0 ? " (" + running + " running)" : ""));
                done += Math.min(1.0, (double) stage.finished() / stage.tasks());
            }
        }
        if (run.workers() > 0) {
            parts.add(Sizes.count(run.workers() - run.lostWorkers().size(), "worker"));
        }
        parts.add(Sizes.count(read.rows(), "row") + ", " + Sizes.bytes(read.bytes()));
        TimeLeft.millis(run).ifPresent(left -> parts.add("about " + Sizes.millis(left) + " left"));
        line(bar(Math.round(done * BAR), (long) BAR * stages.size()) + " " + String.join(", ", parts));
    }

    private static String bar(long finished, long of) {
        int full = of == 0 ? BAR : (int) Math.min(BAR, BAR * finished / of);
        return "[" + "=".repeat(full) + " ".repeat(BAR - full) + "]";
    }

    private boolean isDue() {
        return terminal.errIsTerminal() && clock.getAsLong() - lastShown >= PAUSE_MILLIS;
    }

    private void line(String text) {
        lastShown = clock.getAsLong();
        shown = true;
        String cut = text.length() < terminal.columns() ? text : text.substring(0, terminal.columns() - 1);
        err.print("\r\u001b[K" + cut);
        err.flush();
    }

    /** Takes the line away. */
    void clear() {
        if (shown) {
            err.print("\r\u001b[K");
            err.flush();
            shown = false;
        }
    }
}
