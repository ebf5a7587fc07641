package org.unimeros.cli;

import org.unimeros.cluster.client.CoordinatorClient;
import org.unimeros.engine.error.UserMistake;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Parameters;

@Command(
        name = "cancel",
        description = "Ends a run of a coordinator; nothing of it is written.",
        mixinStandardHelpOptions = true,
        footerHeading = "%nExample:%n",
        footer = "  unimeros cancel 20310301-101500-3fa2c1 --coordinator http://127.0.0.1:7420")
final class CancelCommand extends ConsoleCommand {

    @Mixin
    CoordinatorOptions options = new CoordinatorOptions();

    @Parameters(paramLabel = "RUN", description = "The run, as `unimeros runs` lists it.")
    String run;

    @Override
    public Integer call() {
        CoordinatorClient client = options.client(console);
        boolean isKnown = client.runs().stream().anyMatch(r -> r.id().equals(run));
        if (!isKnown) {
            throw new UserMistake("there is no run " + run + "; `unimeros runs` lists them");
        }
        client.cancel(run);
        console.note("run " + run + " was asked to stop");
        return ExitCode.DONE;
    }
}
