package org.unimeros.cli;

import com.fasterxml.jackson.core.JsonGenerator;
import java.io.IOException;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import org.unimeros.insight.RunFolder;
import org.unimeros.insight.RunRecord;
import org.unimeros.insight.diagnosis.Finding;
import org.unimeros.insight.diagnosis.PlanDifference;
import org.unimeros.insight.diagnosis.RunComparison;
import org.unimeros.insight.diagnosis.RunHistory;
import org.unimeros.insight.page.ComparisonPage;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

@Command(
        name = "compare",
        description =
                "Puts two runs side by side, from their records: what each took and did, stage by stage, which settings"
                        + " differ, and which findings are gone or new.",
        mixinStandardHelpOptions = true,
        footerHeading = "%nExamples:%n",
        footer = {
            "  unimeros compare 20310304-091500-7c1a2b last",
            "  unimeros compare 20310304-091500-7c1a2b last --to compared.html"
        })
final class CompareCommand extends ConsoleCommand {

    @Mixin
    RecordOptions options = new RecordOptions();

    @Parameters(index = "0", paramLabel = "RUN|FILE", description = "The one run, by its name or its record.")
    String first;

    @Parameters(
            index = "1",
            paramLabel = "RUN|FILE|last",
            arity = "0..1",
            defaultValue = "last",
            description = "The other run; the last one unless given.")
    String second;

    @Option(
            names = "--to",
            paramLabel = "FILE",
            description = "Makes a page of it: one HTML file that needs no network. What is there is replaced.")
    Path to;

    @Option(names = "--json", description = "Prints a JSON object.")
    boolean json;

    @Override
    public Integer call() {
        RunFolder folder = options.folder(console);
        RunHistory one = history(folder, first);
        RunHistory other = history(folder, second);
        RunComparison comparison = RunComparison.of(one, other);
        if (to != null) {
            for (Path record : List.of(folder.find(first), folder.find(second))) {
                RecordOptions.refuseOver(record, to);
            }
            ComparisonPage.of(one, other, comparison).write(to);
            console.note("wrote " + to);
        }
        if (json) {
            console.out().println(json(comparison));
            return ExitCode.DONE;
        }
        DiagnoseCommand.show(comparison.verdict(), console);
        console.out().println();
        List<List<String>> lines = new ArrayList<>();
        comparison.lines().forEach(l -> lines.add(List.of(l.first(), l.second(), l.what())));
        comparison.settings().forEach(s -> lines.add(List.of(s.first(), s.second(), "setting " + s.what())));
        List<String> headings = List.of("first", "second", "what");
        TablePrinter.lines(headings, TablePrinter.fitted(headings, lines, console), console);
        show("gone", comparison.gone());
        show("new", comparison.added());
        if (!comparison.plan().isEmpty()) {
            console.out().println();
            console.out().println("their plans, - of the first run only, + of the second only");
            console.out()
                    .print(console.terminal()
                            .outColours()
                            .difference(comparison.plan().print()));
        }
        console.out().flush();
        return ExitCode.DONE;
    }

    private static RunHistory history(RunFolder folder, String run) {
        RunHistory history = new RunHistory();
        RunRecord.replay(folder.find(run), history);
        return history;
    }

    private void show(String heading, List<Finding> findings) {
        for (Finding f : findings) {
            console.out().println();
            DiagnoseCommand.show(heading + ": " + f.kind() + ", " + f.what() + "; " + f.cause(), console);
        }
    }

    private static String json(RunComparison c) {
        return TablePrinter.json(g -> {
            g.writeStartObject();
            g.writeStringField("verdict", c.verdict());
            lines("figures", c.lines(), g);
            lines("settings", c.settings(), g);
            findings("gone", c.gone(), g);
            findings("new", c.added(), g);
            g.writeArrayFieldStart("plan");
            for (PlanDifference.Line line : c.plan().lines()) {
                g.writeString(line.toString());
            }
            g.writeEndArray();
            g.writeEndObject();
        });
    }

    private static void lines(String name, List<RunComparison.Line> lines, JsonGenerator g) throws IOException {
        g.writeArrayFieldStart(name);
        for (RunComparison.Line line : lines) {
            g.writeStartObject();
            g.writeStringField("what", line.what());
            g.writeStringField("first", line.first());
            g.writeStringField("second", line.second());
            g.writeEndObject();
        }
        g.writeEndArray();
    }

    private static void findings(String name, List<Finding> findings, JsonGenerator g) throws IOException {
        g.writeArrayFieldStart(name);
        for (Finding f : findings) {
            g.writeStartObject();
            g.writeStringField("kind", f.kind());
            g.writeStringField("what", f.what());
            g.writeStringField("cause", f.cause());
            g.writeEndObject();
        }
        g.writeEndArray();
    }
}
