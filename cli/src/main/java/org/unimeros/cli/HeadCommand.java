package org.unimeros.cli;

import org.unimeros.Engine;
import org.unimeros.Result;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

@Command(
        name = "head",
        description = "Shows the first rows of a dataset.",
        mixinStandardHelpOptions = true,
        footerHeading = "%nExample:%n",
        footer = "  unimeros head --data demo parcels -n 5")
final class HeadCommand extends ConsoleCommand {

    @Mixin
    EngineOptions options = new EngineOptions();

    @Mixin
    InputOptions input = new InputOptions();

    @Mixin
    OutputOptions output = new OutputOptions();

    @Parameters(paramLabel = "DATASET", description = "The name of a dataset, or a path.")
    String dataset;

    @Option(
            names = {"-n", "--rows"},
            paramLabel = "N",
            defaultValue = "10",
            description = "How many rows; 10 unless given.")
    long rows;

    @Override
    public Integer call() {
        try (Engine engine = options.open(console)) {
            Result result = engine.read(dataset, input::apply).limit(rows).fetch();
            output.print(result, console);
            return ExitCode.DONE;
        }
    }
}
