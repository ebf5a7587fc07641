package org.unimeros.cli;

import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import org.unimeros.cluster.wire.Messages.WorkerView;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;

@Command(
        name = "workers",
        description = "Lists the workers of a coordinator.",
        mixinStandardHelpOptions = true,
        footerHeading = "%nExample:%n",
        footer = "  unimeros workers --coordinator http://127.0.0.1:7420")
final class WorkersCommand extends ConsoleCommand {

    @Mixin
    CoordinatorOptions options = new CoordinatorOptions();

    @Option(names = "--json", description = "Prints JSON Lines.")
    boolean json;

    @Override
    public Integer call() {
        List<WorkerView> workers = options.client(console).workers();
        if (json) {
            workers.forEach(w -> console.out().println(json(w)));
            return ExitCode.DONE;
        }
        if (workers.isEmpty()) {
            console.note("no worker is there; start one with: unimeros worker --coordinator URL");
            return ExitCode.DONE;
        }
        List<List<String>> lines = new ArrayList<>();
        for (WorkerView w : workers) {
            lines.add(List.of(
                    w.worker(),
                    w.state(),
                    w.running() + " of " + w.slots(),
                    w.url(),
                    w.host() + " " + w.pid(),
                    Instant.ofEpochMilli(w.joinedAt()).toString().substring(0, 19)));
        }
        TablePrinter.lines(
                List.of("worker", "state", "slots in use", "address", "process", "joined (UTC)"), lines, console);
        return ExitCode.DONE;
    }

    private static String json(WorkerView w) {
        return TablePrinter.json(g -> {
            g.writeStartObject();
            g.writeStringField("worker", w.worker());
            g.writeStringField("state", w.state());
            g.writeNumberField("running", w.running());
            g.writeNumberField("slots", w.slots());
            g.writeNumberField("programs", w.programs());
            g.writeStringField("url", w.url());
            g.writeStringField("host", w.host());
            g.writeNumberField("pid", w.pid());
            g.writeStringField("joined", Instant.ofEpochMilli(w.joinedAt()).toString());
            g.writeEndObject();
        });
    }
}
