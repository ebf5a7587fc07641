package org.unimeros.cli;

import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import org.unimeros.cluster.client.CoordinatorClient;
import org.unimeros.cluster.wire.JobMessages.JobView;
import org.unimeros.cluster.wire.Messages.RunView;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.stage.Sizes;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

@Command(
        name = "job",
        description = "Shows a job of a coordinator, and the runs that it asked for.",
        mixinStandardHelpOptions = true,
        footerHeading = "%nExample:%n",
        footer = "  unimeros job job-20310301-101500-3fa2")
final class JobCommand extends ConsoleCommand {

    @Mixin
    CoordinatorOptions options = new CoordinatorOptions();

    @Parameters(paramLabel = "JOB", description = "The job, as `unimeros jobs` lists it.")
    String id;

    @Option(names = "--json", description = "Prints JSON.")
    boolean json;

    @Override
    public Integer call() {
        CoordinatorClient client = options.client(console);
        JobView job = find(client, id);
        if (json) {
            console.out().println(JobsCommand.json(job));
            return ExitCode.DONE;
        }
        List<List<String>> lines = new ArrayList<>();
        lines.add(List.of("name", job.name()));
        lines.add(List.of("state", JobsCommand.state(job) + (job.message() == null ? "" : ": " + job.message())));
        lines.add(List.of("main class", job.mainClass()));
        lines.add(List.of("arguments", String.join(" ", job.arguments())));
        lines.add(List.of("main on", job.place() == null ? "" : job.place()));
        lines.add(List.of("submitted", Instant.ofEpochMilli(job.submittedAt()).toString()));
        lines.add(List.of("time", JobsCommand.time(job)));
        if (job.exitCode() != null) {
            lines.add(List.of("exit code", String.valueOf(job.exitCode())));
        }
        TablePrinter.lines(List.of("job", job.id()), lines, console);
        runs(client.runs().stream().filter(r -> job.id().equals(r.job())).toList());
        return ExitCode.DONE;
    }

    private void runs(List<RunView> runs) {
        if (runs.isEmpty()) {
            return;
        }
        console.out().println();
        List<List<String>> lines = new ArrayList<>();
        for (RunView r : runs) {
            lines.add(List.of(
                    r.id(),
                    r.state().name().toLowerCase(Locale.ROOT).replace('_', ' '),
                    r.stagesFinished() + " of " + r.stages(),
                    String.format(Locale.ROOT, "%,d", r.rows()),
                    Sizes.millis((r.endedAt() == 0 ? System.currentTimeMillis() : r.endedAt()) - r.startedAt()),
                    RunsCommand.title(r)));
        }
        TablePrinter.lines(List.of("run", "state", "stages", "rows", "time", "what"), lines, console);
    }

    static JobView find(CoordinatorClient client, String id) {
        return client.job(id)
                .orElseThrow(() -> new UserMistake("there is no job " + id + "; `unimeros jobs` lists them"));
    }
}
