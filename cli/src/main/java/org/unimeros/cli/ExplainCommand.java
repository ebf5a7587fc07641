package org.unimeros.cli;

import java.nio.file.Path;
import java.util.Optional;
import org.unimeros.Engine;
import org.unimeros.Result;
import org.unimeros.Rows;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.insight.RunFolder;
import org.unimeros.insight.RunRecord;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;

@Command(
        name = "explain",
        description =
                "Shows how a query would be computed, or how a run was, from top to bottom as data flows: stages, their steps,"
                        + " what is skipped, and why joins are done as they are.",
        mixinStandardHelpOptions = true,
        footerHeading = "%nExamples:%n",
        footer = {
            "  unimeros explain --data demo \"select kind, count(*) from scans where day = date '2031-03-02' group by 1\"",
            "  unimeros explain --record last"
        })
final class ExplainCommand extends ConsoleCommand {

    @Mixin
    EngineOptions options = new EngineOptions();

    @Mixin
    SqlOption query = new SqlOption();

    @Option(names = "--execute", description = "Computes the query, and shows the plan with what really happened.")
    boolean execute;

    @Option(
            names = "--record",
            paramLabel = "FILE|ID|last",
            description = "Shows the plan of a run that is over, with what really happened.")
    String record;

    @Override
    public Integer call() {
        if (record != null) {
            if (query.isGiven()) {
                throw new UserMistake("give a query or a record, not both");
            }
            RunFolder runs = new RunFolder(Path.of(options.settings(console).get("runs.folder")));
            print(RunRecord.read(runs.find(record)));
            return ExitCode.DONE;
        }
        try (Engine engine = options.open(console)) {
            Rows rows = engine.sql(query.text());
            if (execute) {
                Result result = rows.fetch();
                Optional<Path> kept = result.run().record();
                print(
                        RunRecord.read(
                                kept.orElseThrow(
                                        () -> new UserMistake(
                                                "what happened is read from the record of the run, and runs keep none, since runs.folder is empty"))));
            } else {
                console.out().print(console.terminal().outColours().plan(rows.explain()));
            }
            return ExitCode.DONE;
        }
    }

    private void print(RunRecord of) {
        Terminal terminal = console.terminal();
        String text = terminal.outIsTerminal() ? of.print(terminal.columns()) : of.print();
        console.out().print(terminal.outColours().plan(Console.asOptions(text)));
    }
}
