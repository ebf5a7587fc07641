package org.unimeros.cli;

import java.nio.file.Files;
import java.nio.file.Path;
import java.util.concurrent.CountDownLatch;
import org.unimeros.Settings;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.insight.RunFolder;
import org.unimeros.insight.page.PageServer;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

@Command(
        name = "page",
        description =
                "Serves the list of runs and the page of each to browsers of this machine, until it is interrupted. Pages follow runs"
                        + " that go on, whoever carries them out; `unimeros report` makes a file of one. With --coordinator: prints"
                        + " an address at which a browser sees the pages of that coordinator; it counts for ten minutes.",
        mixinStandardHelpOptions = true,
        footerHeading = "%nExamples:%n",
        footer = {
            "  unimeros page",
            "  unimeros page last --port 7430",
            "  unimeros page --coordinator http://127.0.0.1:7420"
        })
final class PageCommand extends ConsoleCommand {

    @Mixin
    RecordOptions options = new RecordOptions();

    @Mixin
    CoordinatorOptions coordinator = new CoordinatorOptions();

    @Parameters(
            paramLabel = "RUN|last",
            arity = "0..1",
            description = "Prints the address of the page of this run instead of the list.")
    String run;

    @Option(
            names = "--port",
            paramLabel = "N",
            defaultValue = "0",
            description = "Where it listens, on 127.0.0.1 only; a free port unless given.")
    int port;

    @Override
    public Integer call() throws InterruptedException {
        if (coordinator.coordinator != null) {
            return ofCoordinator();
        }
        RunFolder folder = options.folder(console);
        if (folder.folder().toString().isEmpty()) {
            throw new UserMistake("runs keep no records, since runs.folder is empty; give a folder as --runs");
        }
        if (!Files.isDirectory(folder.folder())) {
            console.note("there is no folder " + folder.folder() + " yet; runs are shown as soon as there are some");
        }
        String name = run == null ? null : name(folder);
        try (PageServer server = new PageServer(folder, Settings.defaults().asMap(), port)) {
            console.out().println(name == null ? server.url() : server.url(name));
            console.out().flush();
            console.note(
                    "open this address in a browser of this machine; who knows it can see the runs. Ctrl-C ends it");
            new CountDownLatch(1).await();
        }
        return ExitCode.DONE;
    }

    private int ofCoordinator() {
        if (run != null || port != 0 || options.isGiven()) {
            throw new UserMistake("a coordinator has a port and records of its own; give --coordinator alone");
        }
        console.out().println(coordinator.client(console).pages());
        console.out().flush();
        console.note("open this address in a browser; within ten minutes, whoever knows it can see the runs");
        return ExitCode.DONE;
    }

    private String name(RunFolder folder) {
        Path record = folder.find(run);
        String name = RunFolder.nameOf(record);
        if (!record.equals(RunFolder.place(folder.folder(), name))) {
            throw new UserMistake(
                    record + " is not in " + folder.folder() + "; give its folder as --runs, or use unimeros report");
        }
        return name;
    }
}
