package org.unimeros.cli;

import java.util.HashMap;
import java.util.List;
import java.util.Map;
import org.unimeros.Engine;
import org.unimeros.Rows;
import org.unimeros.Run;
import org.unimeros.Script;
import org.unimeros.engine.error.UserMistake;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;

@Command(
        name = "query",
        description = "Computes the rows of a query and prints them, or writes them to a folder; carries out scripts.",
        mixinStandardHelpOptions = true,
        footerHeading = "%nExamples:%n",
        footer = {
            "  unimeros query --data demo \"select tier, count(*) from shippers group by tier\"",
            "  unimeros query --data demo \"select * from scans where kind = 'arrival'\" \\",
            "           --to out/arrivals --as parquet --by day --mode replace-partitions --on-bad-record skip",
            "  unimeros query --data demo \"select tier, count(*) as shippers from shippers group by tier\" --chart bar"
        })
final class QueryCommand extends ConsoleCommand {

    @Mixin
    EngineOptions options = new EngineOptions();

    @Mixin
    SqlOption query = new SqlOption();

    @Mixin
    FileOptions files = new FileOptions();

    @Mixin
    OutputOptions output = new OutputOptions();

    @Mixin
    ChartOptions chart = new ChartOptions();

    @Option(
            names = "--to",
            paramLabel = "PATH",
            description = "Writes the rows to this folder instead of printing them.")
    String to;

    @Option(
            names = "--as",
            paramLabel = "FORMAT",
            defaultValue = "parquet",
            description = "With --to: parquet (unless given), csv, json or text.")
    String format;

    @Option(
            names = "--by",
            paramLabel = "COLUMN",
            split = ",",
            description = "With --to: columns whose values become folders.")
    List<String> by = List.of();

    @Option(
            names = "--mode",
            paramLabel = "MODE",
            defaultValue = "fail",
            description = "With --to: what becomes of data that is there: fail (unless given), append,"
                    + " replace-partitions or replace.")
    String mode;

    @Option(
            names = "--param",
            paramLabel = "NAME=VALUE",
            description = "What :NAME stands for: a number, true, false, date '2031-03-02', or text.")
    Map<String, String> parameters = Map.of();

    @Override
    public Integer call() {
        try (Engine engine = options.open(console)) {
            Map<String, Object> values = new HashMap<>();
            parameters.forEach((name, text) -> values.put(name, Script.parameter(text)));
            Script script = engine.script(query.text(), values);
            chart.check(output, to);
            if (to != null && (output.csv || output.json)) {
                throw new UserMistake(
                        "--csv and --json print rows, and --to writes them; for a folder of such files use --to " + to
                                + " --as " + (output.csv ? "csv" : "json"));
            }
            if (to == null && !files.isEmpty()) {
                throw new UserMistake(
                        "--option says how files of --to are written; files that are read have their options"
                                + " in the query, as in dataset('PATH', delimiter => ';')");
            }
            if (to != null && script.size() > 1) {
                throw new UserMistake("--to takes one query; in a script write: create table \"PATH\" as select …");
            }
            if (chart.file != null && script.size() > 1) {
                throw new UserMistake("--chart-to takes one query, not a script of several");
            }
            boolean hasRows = false;
            while (script.hasNext()) {
                Script.Step step = script.next();
                hasRows |= step.rows().isPresent();
                if (step.rows().isEmpty()) {
                    step.run().ifPresent(run -> run.warnings().forEach(console::warning));
                    console.note(step.note());
                } else if (to == null) {
                    chart.print(step.rows().get(), output, console);
                } else {
                    write(step.rows().get());
                }
            }
            if (chart.isGiven() && !hasRows) {
                console.warning("nothing was drawn, since no statement asks for rows");
            }
            return ExitCode.DONE;
        }
    }

    private void write(Rows rows) {
        Run run = rows.write(
                to,
                as -> files.apply(as.format(format))
                        .partitionedBy(by.toArray(String[]::new))
                        .mode(mode));
        run.warnings().forEach(console::warning);
        console.note("wrote " + to + ": " + run.summary());
    }
}
