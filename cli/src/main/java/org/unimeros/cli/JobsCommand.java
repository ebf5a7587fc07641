package org.unimeros.cli;

import com.fasterxml.jackson.core.JsonGenerator;
import java.io.IOException;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import org.unimeros.cluster.wire.JobMessages.JobView;
import org.unimeros.engine.stage.Sizes;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;

@Command(
        name = "jobs",
        description = "Lists the jobs of a coordinator: those that wait, those under way, and those of the last day.",
        mixinStandardHelpOptions = true,
        footerHeading = "%nExample:%n",
        footer = "  unimeros jobs --coordinator http://127.0.0.1:7420")
final class JobsCommand extends ConsoleCommand {

    private static final int REASON = 60;

    @Mixin
    CoordinatorOptions options = new CoordinatorOptions();

    @Option(names = "--json", description = "Prints JSON Lines.")
    boolean json;

    @Override
    public Integer call() {
        List<JobView> jobs = options.client(console).jobs();
        if (json) {
            jobs.forEach(j -> console.out().println(json(j)));
            return ExitCode.DONE;
        }
        if (jobs.isEmpty()) {
            console.note("there is no job, and none was in the last day; launch one with: unimeros submit");
            return ExitCode.DONE;
        }
        List<List<String>> lines = new ArrayList<>();
        for (JobView j : jobs) {
            lines.add(List.of(
                    j.id(),
                    j.name(),
                    state(j),
                    j.place() == null ? "" : j.place(),
                    String.valueOf(j.runs().size()),
                    time(j),
                    why(j)));
        }
        TablePrinter.lines(List.of("job", "name", "state", "main on", "runs", "time", "why"), lines, console);
        return ExitCode.DONE;
    }

    /** Why it waits, failed or was cancelled, as far as there is room; `unimeros job` has all of it. */
    private static String why(JobView j) {
        String why = j.message() == null ? "" : j.message().replaceFirst("^its main program ended with ", "");
        return why.length() > REASON ? why.substring(0, REASON - 1) + "…" : why;
    }

    static String state(JobView j) {
        return j.state().name().toLowerCase(Locale.ROOT);
    }

    /** How long it has run, or waited where it has not begun. */
    static String time(JobView j) {
        long from = j.startedAt() == 0 ? j.submittedAt() : j.startedAt();
        return Sizes.millis((j.endedAt() == 0 ? System.currentTimeMillis() : j.endedAt()) - from);
    }

    static String json(JobView j) {
        return TablePrinter.json(g -> {
            g.writeStartObject();
            g.writeStringField("job", j.id());
            g.writeStringField("name", j.name());
            g.writeStringField("state", state(j));
            g.writeStringField("mainClass", j.mainClass());
            list(g, "arguments", j.arguments());
            g.writeStringField("mainOn", j.place());
            list(g, "runs", j.runs());
            if (j.exitCode() != null) {
                g.writeNumberField("exitCode", j.exitCode());
            }
            g.writeStringField("message", j.message());
            time(g, "submitted", j.submittedAt());
            time(g, "started", j.startedAt());
            time(g, "ended", j.endedAt());
            g.writeEndObject();
        });
    }

    private static void list(JsonGenerator g, String name, List<String> values) throws IOException {
        g.writeArrayFieldStart(name);
        for (String value : values) {
            g.writeString(value);
        }
        g.writeEndArray();
    }

    private static void time(JsonGenerator g, String name, long millis) throws IOException {
        g.writeStringField(
                name, millis == 0 ? null : Instant.ofEpochMilli(millis).toString());
    }
}
