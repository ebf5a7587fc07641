package org.unimeros.insight.page;

import com.fasterxml.jackson.core.JsonGenerator;
import java.io.IOException;
import java.util.ArrayList;
import java.util.List;
import org.unimeros.engine.run.RunEvent;
import org.unimeros.engine.run.RunListener;
import org.unimeros.engine.schedule.AttemptId;
import org.unimeros.engine.stage.Sizes;

/** What happened in a run, in sentences. */
final class PageLog implements RunListener {

    /** More lines than these are counted only; those of a run that fails again and again would fill the page. */
    private static final int MOST = 5_000;

    private enum Level {
        INFO,
        WARN,
        ERROR;

        @Override
        public String toString() {
            return this == INFO ? "" : name().toLowerCase(java.util.Locale.ROOT);
        }
    }

    private record Line(long at, String who, Level level, String text) {}

    private final List<Line> lines = new ArrayList<>();
    private long leftOut;

    @Override
    public void happened(RunEvent event) {
        switch (event) {
            case RunEvent.RunStarted e ->
                add(
                        e.at(),
                        "",
                        Level.INFO,
                        "begins: " + Sizes.count(e.plan().stages().size(), "stage") + " planned");
            case RunEvent.Asked e -> add(e.at(), "", Level.INFO, "asked for at " + e.line());
            case RunEvent.StageStarted e -> {
                add(e.at(), "", Level.INFO, "stage " + e.stage() + " begins: " + Sizes.count(e.tasks(), "task"));
                e.decisions().forEach(text -> add(e.at(), "", Level.INFO, "stage " + e.stage() + ": " + text));
            }
            case RunEvent.StageFinished e -> add(e.at(), "", Level.INFO, "stage " + e.stage() + " is done");
            case RunEvent.StageReopened e ->
                add(e.at(), "", Level.WARN, "results of stage " + e.stage() + " were lost and are made again");
            case RunEvent.AttemptFailed e -> add(e.at(), "", Level.ERROR, name(e.attempt()) + " failed: " + e.reason());
            case RunEvent.WorkerJoined e ->
                add(e.at(), e.worker(), Level.INFO, "joins with " + Sizes.count(e.slots(), "slot"));
            case RunEvent.WorkerLost e ->
                add(
                        e.at(),
                        e.worker(),
                        e.hasLeft() ? Level.INFO : Level.ERROR,
                        e.hasLeft() ? "leaves" : "is lost: " + e.reason());
            case RunEvent.Warning e -> add(e.at(), "", Level.WARN, e.message());
            case RunEvent.Printed e ->
                e.lines().forEach(line -> add(e.at(), e.worker() == null ? "job" : e.worker(), Level.INFO, line));
            case RunEvent.RecordsSkipped e ->
                add(
                        e.at(),
                        "",
                        Level.WARN,
                        Sizes.count(e.count(), "record") + " could not be read and were left out"
                                + (e.examples().isEmpty()
                                        ? ""
                                        : ", such as " + e.examples().get(0))
                                + (e.keptIn() == null ? "" : "; they are kept in " + e.keptIn()));
            case RunEvent.RunEnded e ->
                add(
                        e.at(),
                        "",
                        e.reason() == null ? Level.INFO : Level.ERROR,
                        e.state() + (e.reason() == null ? "" : ": " + e.reason()));
            default -> {
                // attempts stand in the timeline
            }
        }
    }

    private static String name(AttemptId attempt) {
        return "task " + attempt.task() + " of stage " + attempt.stage() + ", attempt " + (attempt.attempt() + 1) + ",";
    }

    private void add(long at, String who, Level level, String text) {
        if (lines.size() < MOST) {
            lines.add(new Line(at, who, level, text));
        } else {
            leftOut++;
        }
    }

    /** Writes arrays of milliseconds since the start, who, how bad, text. */
    void write(JsonGenerator out, long start) throws IOException {
        out.writeArrayFieldStart("log");
        for (Line line : lines) {
            out.writeStartArray();
            out.writeNumber(line.at - start);
            out.writeString(line.who);
            out.writeString(line.level.toString());
            out.writeString(line.text);
            out.writeEndArray();
        }
        out.writeEndArray();
        out.writeNumberField("logLeftOut", leftOut);
    }
}
