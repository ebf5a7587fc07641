package org.unimeros.cli;

import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.unimeros.insight.RunRecord;
import org.unimeros.insight.diagnosis.Diagnosis;
import org.unimeros.insight.diagnosis.Finding;
import org.unimeros.insight.diagnosis.RunHistory;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;

@Command(
        name = "diagnose",
        description =
                "Says what is wrong with a run, from its record: what, why, what to change, and what that would bring."
                        + " What is left is what the run needs.",
        mixinStandardHelpOptions = true,
        footerHeading = "%nExamples:%n",
        footer = {"  unimeros diagnose", "  unimeros diagnose last --json"})
final class DiagnoseCommand extends ConsoleCommand {

    private static final Pattern HEADING = Pattern.compile("   \\w+ +|\\d+  |most time: ");

    @Mixin
    RecordArgument of = new RecordArgument();

    @Option(names = "--json", description = "Prints a JSON object.")
    boolean json;

    @Override
    public Integer call() {
        RunHistory history = new RunHistory();
        RunRecord.replay(of.record(console), history);
        Diagnosis diagnosis = Diagnosis.of(history);
        if (json) {
            console.out().println(json(diagnosis));
        } else {
            show(diagnosis.print(), console);
        }
        return ExitCode.DONE;
    }

    /** Prints a diagnosis; on a screen, what does not fit into a line goes on under its beginning. */
    static void show(String diagnosis, Console console) {
        Terminal terminal = console.terminal();
        for (String line : Console.asOptions(diagnosis).split("\n")) {
            console.out().println(terminal.outIsTerminal() ? broken(line, terminal.columns()) : line);
        }
        console.out().flush();
    }

    private static String broken(String line, int columns) {
        Matcher heading = HEADING.matcher(line);
        int indent = heading.lookingAt() ? heading.end() : 0;
        StringBuilder out = new StringBuilder(line.substring(0, indent));
        int at = indent;
        for (String word : line.substring(indent).split(" ")) {
            boolean isFirst = at == indent;
            if (!isFirst && at + 1 + word.length() > columns) {
                out.append('\n').append(" ".repeat(indent));
                at = indent;
            } else if (!isFirst) {
                out.append(' ');
                at++;
            }
            out.append(word);
            at += word.length();
        }
        return out.toString();
    }

    private static String json(Diagnosis d) {
        return TablePrinter.json(g -> {
            g.writeStartObject();
            g.writeStringField("run", d.run());
            g.writeStringField("verdict", d.verdict());
            g.writeArrayFieldStart("findings");
            for (Finding f : d.findings()) {
                g.writeStartObject();
                g.writeStringField("kind", f.kind());
                g.writeStringField("what", f.what());
                g.writeStringField("evidence", f.evidence());
                g.writeStringField("cause", f.cause());
                g.writeStringField("change", f.change());
                if (f.gainMillis() >= 0) {
                    g.writeNumberField("gainMillis", f.gainMillis());
                }
                g.writeStringField("sureness", f.sureness().toString());
                g.writeEndObject();
            }
            g.writeEndArray();
            g.writeStringField("bound", d.bound());
            g.writeEndObject();
        });
    }
}
