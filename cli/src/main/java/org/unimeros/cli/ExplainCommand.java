package org.unimeros.cli;

import java.nio.file.Path;
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
                "Shows how a query would be computed, or how a run was: stages from the last to the first, what is"
                        + " skipped, and why joins are done as they are.",
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
            console.out()
                    .print(Console.asOptions(RunRecord.read(runs.find(record)).print()));
            return ExitCode.DONE;
        }
        try (Engine engine = options.open(console)) {
            Rows rows = engine.sql(query.text());
            if (execute) {
                Result result = rows.fetch();
                console.out().print(Console.asOptions(result.run().explain()));
            } else {
                console.out().print(rows.explain());
            }
            return ExitCode.DONE;
        }
    }
}
