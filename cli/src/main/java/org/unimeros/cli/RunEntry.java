package org.unimeros.cli;

import java.nio.file.Path;
import java.time.Instant;
import java.time.ZoneId;
import java.time.format.DateTimeFormatter;
import java.util.List;
import java.util.Optional;
import org.unimeros.engine.run.RunProgress;
import org.unimeros.engine.stage.Sizes;
import org.unimeros.insight.RunRecord;
import org.unimeros.insight.diagnosis.Diagnosis;
import org.unimeros.insight.diagnosis.Finding;
import org.unimeros.insight.diagnosis.RunHistory;

/** A run in the list of those that have records. */
record RunEntry(RunProgress run, long started, long millis, long tasks, Optional<Finding> worst) {

    static final List<String> HEADINGS = List.of("run", "state", "when", "time", "rows", "tasks", "finding", "what");

    private static final DateTimeFormatter WHEN =
            DateTimeFormatter.ofPattern("MM-dd HH:mm:ss").withZone(ZoneId.systemDefault());

    static RunEntry of(Path record) {
        RunHistory history = new RunHistory();
        RunRecord.replay(record, history);
        return new RunEntry(
                history.progress(),
                history.start(),
                history.millis(),
                history.tasksDone(),
                Diagnosis.of(history).findings().stream().findFirst());
    }

    List<String> cells() {
        return List.of(
                run.run(),
                run.state(),
                WHEN.format(Instant.ofEpochMilli(started)),
                Sizes.millis(millis),
                run.isEnded() ? Sizes.count(run.rows()) : "",
                Sizes.count(tasks),
                worst.map(Finding::kind).orElse(""),
                RunsCommand.title(run.title()));
    }

    String json() {
        return TablePrinter.json(g -> {
            g.writeStartObject();
            g.writeStringField("run", run.run());
            g.writeStringField("title", run.title());
            g.writeStringField("state", run.state());
            g.writeStringField("started", Instant.ofEpochMilli(started).toString());
            g.writeNumberField("millis", millis);
            g.writeNumberField("rows", run.rows());
            g.writeNumberField("tasks", tasks);
            if (run.reason() != null) {
                g.writeStringField("reason", run.reason());
            }
            if (worst.isPresent()) {
                g.writeStringField("finding", worst.get().kind());
                g.writeStringField("what", worst.get().what());
            }
            g.writeEndObject();
        });
    }
}
