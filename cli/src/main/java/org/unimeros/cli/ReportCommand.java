package org.unimeros.cli;

import java.awt.Desktop;
import java.io.IOException;
import java.nio.file.Path;
import org.unimeros.Settings;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.insight.RunFolder;
import org.unimeros.insight.page.RunPage;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;

@Command(
        name = "report",
        description =
                "Makes a page of a run, from its record: what was wrong, what every slot did, the stages, the plan, the parts and keys."
                        + " It is one HTML file that needs no network.",
        mixinStandardHelpOptions = true,
        footerHeading = "%nExamples:%n",
        footer = {"  unimeros report", "  unimeros report last --to run.html"})
final class ReportCommand extends ConsoleCommand {

    @Mixin
    RecordArgument of = new RecordArgument();

    @Option(
            names = "--to",
            paramLabel = "FILE",
            description = "Where to write the page; beside the record unless given. What is there is replaced.")
    Path to;

    @Option(names = "--open", description = "Opens it in the browser.")
    boolean open;

    @Override
    public Integer call() {
        Path record = of.record(console);
        Path page = to != null ? to : RunFolder.pageOf(record);
        RecordOptions.refuseOver(record, page);
        RunPage.of(record, Settings.defaults().asMap()).write(page);
        console.out().println(page);
        console.out().flush();
        if (open) {
            open(page);
        }
        return ExitCode.DONE;
    }

    private static void open(Path page) {
        if (!Desktop.isDesktopSupported() || !Desktop.getDesktop().isSupported(Desktop.Action.BROWSE)) {
            throw new ResourceFailure("there is no browser here that can be opened; open " + page + " by hand");
        }
        try {
            Desktop.getDesktop().browse(page.toUri());
        } catch (IOException e) {
            throw new ResourceFailure("cannot open " + page + " in a browser: " + e.getMessage(), e);
        }
    }
}
