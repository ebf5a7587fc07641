package org.unimeros.cli;

import java.io.PrintWriter;
import java.util.HashMap;
import java.util.Map;
import java.util.function.LongSupplier;
import org.unimeros.engine.operator.StepMetrics;
import org.unimeros.engine.run.RunEvent;
import org.unimeros.engine.run.RunListener;
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
    private final Map<Integer, Integer> tasks = new HashMap<>();
    private final Map<Integer, Integer> done = new HashMap<>();
    private int stages;
    private int stagesDone;
    private int stage;
    private long stageStart;
    private long rows;
    private long bytes;
    private long lastShown;
    private boolean shown;

    Progress(PrintWriter err, Terminal terminal, LongSupplier clock) {
        this.err = err;
        this.terminal = terminal;
        this.clock = clock;
    }

    @Override
    public void happened(RunEvent event) {
        switch (event) {
            case RunEvent.RunStarted e -> begin(e.plan().stages().size());
            case RunEvent.StageStarted e -> {
                tasks.put(e.stage(), e.tasks());
                stage = e.stage();
                stageStart = clock.getAsLong();
            }
            case RunEvent.AttemptFinished e -> {
                done.merge(e.attempt().stage(), 1, Integer::sum);
                stage = e.attempt().stage();
                StepMetrics source = e.steps().values().iterator().next();
                rows += source.rows();
                bytes += source.bytes();
            }
            case RunEvent.StageFinished e -> stagesDone++;
            case RunEvent.RunEnded e -> clear();
            default -> {
                // nothing of this shows
            }
        }
        show();
    }

    private void begin(int stageCount) {
        tasks.clear();
        done.clear();
        stages = stageCount;
        stagesDone = 0;
        rows = 0;
        bytes = 0;
    }

    /** Shows a count that is not of a run. */
    void count(String what, long count, long of) {
        if (isDue()) {
            line(bar(count, of) + " " + what + " " + Sizes.count(count));
        }
    }

    private void show() {
        if (!tasks.isEmpty() && stagesDone < stages && isDue()) {
            int of = tasks.getOrDefault(stage, 0);
            int finished = done.getOrDefault(stage, 0);
            line(bar(finished, of) + " stage " + stage + " of " + stages + ", " + finished + " of "
                    + Sizes.count(of, "task") + ", " + Sizes.count(rows, "row") + ", " + Sizes.bytes(bytes)
                    + left(finished, of));
        }
    }

    private String left(int finished, int of) {
        long passed = clock.getAsLong() - stageStart;
        boolean tooEarly = finished == 0 || passed < 500;
        return tooEarly ? "" : ", " + Sizes.millis(passed * (of - finished) / finished) + " left in stage";
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
