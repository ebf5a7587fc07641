package org.unimeros.cli;

import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Arrays;
import java.util.List;
import org.unimeros.Engine;
import org.unimeros.Result;
import org.unimeros.Run;
import org.unimeros.Settings;
import org.unimeros.engine.error.NameSuggestions;
import org.unimeros.engine.error.UserMistake;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

@Command(
        name = "example",
        description =
                "Runs an example over the demo data: daily-scans, enriched-parcels, handovers, words, journeys, zones,"
                        + " weekdays or loading-lists.",
        mixinStandardHelpOptions = true,
        footerHeading = "%nExample:%n",
        footer = "  unimeros example daily-scans --data demo --out out")
final class ExampleCommand extends ConsoleCommand {

    private static final int SHOWN_ROWS = 5;

    @Mixin
    EngineOptions options = new EngineOptions();

    @Parameters(paramLabel = "NAME", description = "Which example.")
    String name;

    @Option(
            names = "--out",
            paramLabel = "DIR",
            defaultValue = "out",
            description = "Where results go; out unless given.")
    Path out;

    @Override
    public Integer call() {
        Example example = Arrays.stream(Example.values())
                .filter(e -> e.label.equals(name))
                .findFirst()
                .orElseThrow(
                        () -> new UserMistake("there is no example " + name + NameSuggestions.hint(name, labels())));
        if (options.data == null) {
            options.data = Path.of("demo");
        }
        Settings settings = options.settings(console);
        if (options.onBadRecord == null) {
            settings = settings.with("bad-records", "divert");
        }
        try (Engine engine = options.open(console, settings)) {
            run(console, engine, example, options.data, out);
            return ExitCode.DONE;
        }
    }

    private static List<String> labels() {
        return Arrays.stream(Example.values()).map(e -> e.label).toList();
    }

    /** Runs an example and shows the first rows of its result. */
    static void run(Console console, Engine engine, Example example, Path data, Path out) {
        Run run = example.job.run(engine, data, out);
        Path result = out.resolve(example.result);
        run.warnings().forEach(console::warning);
        console.out().println("  wrote " + result + ": " + run.summary());
        Result first = engine.sql(String.format(example.look, result))
                .limit(SHOWN_ROWS)
                .fetch();
        console.out().println();
        TablePrinter.aligned(first, console.out(), console.terminal());
        console.out().println();
        console.out().flush();
    }

    static boolean hasDemoData(Path folder) {
        return Files.exists(folder.resolve("datasets.yaml"));
    }
}
