package org.unimeros.cli;

import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import java.util.stream.Stream;
import org.unimeros.Engine;
import org.unimeros.Result;
import org.unimeros.Run;
import org.unimeros.Settings;
import org.unimeros.engine.error.NameSuggestions;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.examples.sick.SickJob;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

@Command(
        name = "example",
        description =
                "Runs an example over the demo data: daily-scans, enriched-parcels, handovers, words, journeys, zones,"
                        + " weekdays or loading-lists. Or a job that is slow for one reason, on data of its own, and what its"
                        + " diagnosis says: sick-hot-key, sick-many-pairs, sick-packed-file, sick-uneven-files, sick-small-files,"
                        + " sick-small-tasks, sick-one-window, sick-large-parts, sick-spilling, sick-own-code, sick-read-again or sick-slow-program.",
        mixinStandardHelpOptions = true,
        footerHeading = "%nExamples:%n",
        footer = {
            "  unimeros example daily-scans --data demo --out out",
            "  unimeros example sick-hot-key --rows 400k",
            "  unimeros example sick-hot-key --rows 400k --cured"
        })
final class ExampleCommand extends ConsoleCommand {

    private static final int SHOWN_ROWS = 5;
    private static final String SICK = "sick-";
    private static final long SICK_ROWS = 4_000_000;

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

    @Option(names = "--cured", description = "Runs a sick job without what is wrong with it.")
    boolean cured;

    @Option(
            names = "--rows",
            paramLabel = "N",
            converter = RowCount.class,
            description = "The scans of a sick job, such as 400k; 4m unless given.")
    Long rows;

    @Override
    public Integer call() {
        Optional<SickJob> sick = Arrays.stream(SickJob.values())
                .filter(job -> name.equals(SICK + job.label()))
                .findFirst();
        if (sick.isPresent()) {
            return run(sick.get());
        }
        if (cured || rows != null) {
            throw new UserMistake("--cured and --rows are of sick jobs, and " + name + " is none");
        }
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
        return Stream.concat(
                        Arrays.stream(Example.values()).map(e -> e.label),
                        Arrays.stream(SickJob.values()).map(job -> SICK + job.label()))
                .toList();
    }

    /** Runs a sick job and prints what its diagnosis says. */
    private int run(SickJob job) {
        if (options.data != null) {
            throw new UserMistake("sick jobs make their data themselves, in the folder of --out; leave out --data");
        }
        Settings settings = options.settings(console, job.settings(Settings.defaults(), cured));
        if (settings.get("runs.folder").isEmpty()) {
            throw new UserMistake("a diagnosis needs a record, and runs.folder is empty");
        }
        long count = rows == null ? SICK_ROWS : rows;
        if (count < 1_000 || count > 100_000_000) {
            throw new UserMistake("--rows needs 1k to 100m scans, but found " + count);
        }
        Path folder = out.resolve("sick-" + count);
        if (!Files.isDirectory(folder)) {
            console.note("making the data of sick jobs in " + folder);
            try (Engine engine = options.open(console, Settings.defaults().with("runs.folder", ""))) {
                SickJob.prepare(engine, folder, (int) count);
            }
        }
        console.note(cured ? "without it: " + job.what() : job.what());
        try (Engine engine = options.open(console, settings)) {
            Run run = job.run(engine, folder, cured).run();
            DiagnoseCommand.show(run.diagnosis().orElseThrow().text(), console);
        }
        return ExitCode.DONE;
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
