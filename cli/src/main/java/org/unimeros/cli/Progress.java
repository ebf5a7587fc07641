package org.unimeros.cli;

import java.io.PrintWriter;
import java.util.function.LongSupplier;
import org.unimeros.engine.operator.StepMetrics;
import org.unimeros.engine.run.RunEvent;
import org.unimeros.engine.run.RunListener;
import org.unimeros.engine.run.RunProgress;
import org.unimeros.engine.run.RunProgress.StageProgress;
import org.unimeros.engine.stage.Sizes;

/**
 * One line on the terminal that says how far a run is: the stage, its tasks, rows and bytes read, and the time that is
 * left at this pace. Quiet where nobody looks.
 */
final class Progress implements RunListener {

    private static final int BAR = 20;
    private static final long PAUSE_MILLIS = 80;

    private final PrintWriter err;
    private final Terminal terminal;
    private final LongSupplier clock;
    private RunProgress run = new RunProgress();
    /** By the clock of this process. */
    private long stageStart;

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
        if (event instanceof RunEvent.StageStarted) {
            stageStart = clock.getAsLong();
        }
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
        StageProgress stage = run.stage(run.currentStage());
        int stages = run.plan().stages().size();
        if (stage != null && run.stagesFinished() < stages) {
            StepMetrics read = run.read();
            line(bar(stage.finished(), stage.tasks()) + " stage " + run.currentStage() + " of " + stages + ", "
                    + stage.finished() + " of " + Sizes.count(stage.tasks(), "task") + ", "
                    + Sizes.count(read.rows(), "row") + ", " + Sizes.bytes(read.bytes()) + left(stage));
        }
    }

    private String left(StageProgress stage) {
        long passed = clock.getAsLong() - stageStart;
        // Tasks that are done again are more than there are.
        int left = Math.max(0, stage.tasks() - stage.finished());
        boolean tooEarly = stage.finished() == 0 || passed < 500;
        return tooEarly ? "" : ", " + Sizes.millis(passed * left / stage.finished()) + " left in stage";
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
