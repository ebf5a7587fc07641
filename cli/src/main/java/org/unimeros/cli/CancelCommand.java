package org.unimeros.cli;

import org.unimeros.cluster.client.CoordinatorClient;
import org.unimeros.engine.error.UserMistake;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Parameters;

@Command(
        name = "cancel",
        description = "Ends a job of a coordinator with all its runs, or one run; nothing of what runs is written.",
        mixinStandardHelpOptions = true,
        footerHeading = "%nExample:%n",
        footer = "  unimeros cancel 20310301-101500-3fa2c1 --coordinator http://127.0.0.1:7420")
final class CancelCommand extends ConsoleCommand {

    @Mixin
    CoordinatorOptions options = new CoordinatorOptions();

    @Parameters(paramLabel = "JOB|RUN", description = "As `unimeros jobs` and `unimeros runs` list them.")
    String id;

    @Override
    public Integer call() {
        CoordinatorClient client = options.client(console);
        if (client.job(id).isPresent()) {
            client.cancelJob(id);
            console.note("job " + id + " was asked to stop");
        } else if (client.runs().stream().anyMatch(r -> r.id().equals(id))) {
            client.cancel(id);
            console.note("run " + id + " was asked to stop");
        } else {
            throw new UserMistake("there is no job or run " + id + "; `unimeros jobs` and `unimeros runs` list them");
        }
        return ExitCode.DONE;
    }
}
