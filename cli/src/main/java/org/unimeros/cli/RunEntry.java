package org.unimeros.cli;

import java.time.Instant;
import java.time.ZoneId;
import java.time.format.DateTimeFormatter;
import java.util.List;
import org.unimeros.engine.stage.Sizes;
import org.unimeros.insight.diagnosis.Finding;
import org.unimeros.insight.diagnosis.RunSummary;

/** A run in the list of those that have records. */
record RunEntry(RunSummary of) {

    static final List<String> HEADINGS = List.of("run", "state", "when", "time", "rows", "tasks", "finding", "what");

    private static final DateTimeFormatter WHEN =
            DateTimeFormatter.ofPattern("MM-dd HH:mm:ss").withZone(ZoneId.systemDefault());

    List<String> cells() {
        return List.of(
                of.run().run(),
                of.state(),
                WHEN.format(Instant.ofEpochMilli(of.started())),
                Sizes.millis(of.millis()),
                of.run().isEnded() ? Sizes.count(of.run().rows()) : "",
                Sizes.count(of.tasks()),
                of.worst().map(Finding::kind).orElse(""),
                RunsCommand.title(of.run().title()));
    }

    String json() {
        return TablePrinter.json(g -> {
            g.writeStartObject();
            g.writeStringField("run", of.run().run());
            g.writeStringField("title", of.run().title());
            if (!of.run().asked().isEmpty()) {
                g.writeStringField("asked", of.run().asked());
            }
            g.writeStringField("state", of.state());
            g.writeStringField("started", Instant.ofEpochMilli(of.started()).toString());
            g.writeNumberField("millis", of.millis());
            g.writeNumberField("rows", of.run().rows());
            g.writeNumberField("tasks", of.tasks());
            if (of.run().reason() != null) {
                g.writeStringField("reason", of.run().reason());
            }
            if (of.worst().isPresent()) {
                g.writeStringField("finding", of.worst().get().kind());
                g.writeStringField("what", of.worst().get().what());
            }
            g.writeEndObject();
        });
    }
}
