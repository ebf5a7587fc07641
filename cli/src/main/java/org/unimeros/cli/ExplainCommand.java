package org.unimeros.cli;

import java.nio.file.Path;
import java.util.List;
import org.unimeros.Engine;
import org.unimeros.Result;
import org.unimeros.Rows;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.stage.PlanOutline;
import org.unimeros.insight.RunFolder;
import org.unimeros.insight.RunRecord;
import org.unimeros.insight.diagnosis.PlanDifference;
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
            "  unimeros explain --record last",
            "  unimeros explain --data demo \"select count(*) from scans\" --against last"
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

    @Option(
            names = "--against",
            paramLabel = "QUERY|FILE.sql|RUN",
            description =
                    "Shows what differs from the plan of another query, given as text or as a file, or of a run or record:"
                            + " lines of this plan only behind -, lines of the other only behind +.")
    String against;

    @Override
    public Integer call() {
        if (record != null && query.isGiven()) {
            throw new UserMistake("give a query or a record, not both");
        }
        if (execute && record != null) {
            throw new UserMistake("--execute computes a query; the run of a record is over");
        }
        if (execute && runs().folder().toString().isEmpty()) {
            throw new UserMistake(
                    "what happens is read from the record of the run, and runs keep none, since runs.folder is empty");
        }
        if (against != null) {
            return compare();
        }
        if (record != null) {
            RunFolder runs = runs();
            print(RunRecord.read(runs.find(record)));
            return ExitCode.DONE;
        }
        try (Engine engine = options.open(console)) {
            Rows rows = engine.sql(query.text());
            if (execute) {
                Result result = rows.fetch();
                print(RunRecord.read(result.run().record().orElseThrow()));
            } else {
                console.out().print(console.terminal().outColours().plan(rows.explain()));
            }
            return ExitCode.DONE;
        }
    }

    private RunFolder runs() {
        return new RunFolder(Path.of(options.settings(console).get("runs.folder")));
    }

    private int compare() {
        if (execute) {
            throw new UserMistake("--against compares plans before they run; for runs use unimeros compare");
        }
        try (Engine engine = options.open(console)) {
            List<String> one = record != null ? ofRun(record) : ofQuery(query.text(), engine);
            boolean isFile = against.endsWith(".sql");
            List<String> other = isFile || against.strip().contains(" ")
                    ? ofQuery(isFile ? SqlOption.read(Path.of(against)) : against, engine)
                    : ofRun(against);
            PlanDifference difference = PlanDifference.of(one, other);
            console.out().print(console.terminal().outColours().difference(difference.print()));
            if (difference.isEmpty()) {
                console.note("both plans are the same");
            }
            return ExitCode.DONE;
        }
    }

    /** Without what is expected of stages, which a record of a run does not say. */
    private List<String> ofQuery(String sql, Engine engine) {
        return engine.sql(sql)
                .explain()
                .lines()
                .map(line -> line.replaceFirst("^(stage \\d+), expected.*", "$1"))
                .toList();
    }

    private List<String> ofRun(String run) {
        return RunRecord.read(runs().find(run)).progress().plan().lines().stream()
                .map(PlanOutline.Line::text)
                .toList();
    }

    private void print(RunRecord of) {
        Terminal terminal = console.terminal();
        String text = terminal.outIsTerminal() ? of.print(terminal.columns()) : of.print();
        console.out().print(terminal.outColours().plan(Console.asOptions(text)));
    }
}
