package org.unimeros.cli;

import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import org.unimeros.cluster.wire.Messages.RunView;
import org.unimeros.engine.stage.Sizes;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;

@Command(
        name = "runs",
        description = "Lists the runs of a coordinator, those under way and those of the last hour.",
        mixinStandardHelpOptions = true,
        footerHeading = "%nExample:%n",
        footer = "  unimeros runs --coordinator http://127.0.0.1:7420")
final class RunsCommand extends ConsoleCommand {

    private static final int TITLE = 48;

    @Mixin
    CoordinatorOptions options = new CoordinatorOptions();

    @Option(names = "--json", description = "Prints JSON Lines.")
    boolean json;

    @Override
    public Integer call() {
        List<RunView> runs = options.client(console).runs();
        if (json) {
            runs.forEach(r -> console.out().println(json(r)));
            return ExitCode.DONE;
        }
        if (runs.isEmpty()) {
            console.note("no run is under way, and none was in the last hour");
            return ExitCode.DONE;
        }
        List<List<String>> lines = new ArrayList<>();
        for (RunView r : runs) {
            lines.add(List.of(
                    r.id(),
                    state(r),
                    r.stagesFinished() + " of " + r.stages(),
                    tasks(r),
                    Sizes.millis((r.endedAt() == 0 ? System.currentTimeMillis() : r.endedAt()) - r.startedAt()),
                    r.job() == null ? "" : r.job(),
                    title(r)));
        }
        TablePrinter.lines(List.of("run", "state", "stages", "tasks", "time", "job", "what"), lines, console);
        return ExitCode.DONE;
    }

    /** Those that are done, and those that run. */
    static String tasks(RunView r) {
        String done = Sizes.count(r.tasksFinished());
        return r.tasksRunning() == 0 ? done : done + " + " + r.tasksRunning();
    }

    static String title(RunView r) {
        String title = r.title().replaceAll("\\s+", " ");
        return title.length() > TITLE ? title.substring(0, TITLE - 1) + "…" : title;
    }

    private static String state(RunView r) {
        return r.state().name().toLowerCase(Locale.ROOT).replace('_', ' ');
    }

    private static String json(RunView r) {
        return TablePrinter.json(g -> {
            g.writeStartObject();
            g.writeStringField("run", r.id());
            g.writeStringField("title", r.title());
            g.writeStringField("job", r.job());
            g.writeStringField("state", state(r));
            g.writeNumberField("stages", r.stages());
            g.writeNumberField("stagesFinished", r.stagesFinished());
            g.writeNumberField("tasksRunning", r.tasksRunning());
            g.writeNumberField("tasksFinished", r.tasksFinished());
            g.writeNumberField("rows", r.rows());
            g.writeStringField("started", Instant.ofEpochMilli(r.startedAt()).toString());
            if (r.endedAt() > 0) {
                g.writeStringField("ended", Instant.ofEpochMilli(r.endedAt()).toString());
            }
            if (r.failure() != null) {
                g.writeStringField("reason", r.failure().text());
            }
            g.writeEndObject();
        });
    }
}
