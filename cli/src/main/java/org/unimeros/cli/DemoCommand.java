package org.unimeros.cli;

import java.nio.file.Path;
import org.unimeros.Engine;
import org.unimeros.Settings;
import org.unimeros.engine.stage.Sizes;
import org.unimeros.examples.data.DemoData;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Option;

@Command(
        name = "demo",
        description =
                "Makes the demo data where it is not there yet, runs the examples on it, and shows what they made.",
        mixinStandardHelpOptions = true,
        footerHeading = "%nExample:%n",
        footer = "  unimeros demo --rows 1m")
final class DemoCommand extends ConsoleCommand {

    @Mixin
    EngineOptions options = new EngineOptions();

    @Option(
            names = "--rows",
            paramLabel = "N",
            defaultValue = "200k",
            converter = RowCount.class,
            description = "About how many scans to make; 200k unless given.")
    long rows;

    @Option(
            names = "--out",
            paramLabel = "DIR",
            defaultValue = "out",
            description = "Where results go; out unless given.")
    Path out;

    @Override
    public Integer call() {
        Path data = options.data == null ? Path.of("demo") : options.data;
        options.data = data;
        int steps = Example.values().length + 1;
        if (ExampleCommand.hasDemoData(data)) {
            say("1 of " + steps + "  the demo data is in " + data + " already");
        } else {
            say("1 of " + steps + "  making the demo data in " + data);
            DemoData.Made made = DemoDataCommand.make(console, data, rows, 7);
            say("  made " + Sizes.count(made.scans(), "scan") + ", " + Sizes.count(made.parcels(), "parcel") + ", "
                    + Sizes.count(made.files(), "file") + " of " + Sizes.bytes(made.bytes()));
        }
        say("");
        Settings settings = options.settings(console);
        if (options.onBadRecord == null) {
            settings = settings.with("bad-records", "divert")
                    .with("bad-records.folder", out.resolve("bad-records").toString());
        }
        try (Engine engine = options.open(console, settings)) {
            int step = 2;
            for (Example example : Example.values()) {
                say(step++ + " of " + steps + "  " + example.description);
                ExampleCommand.run(console, engine, example, data, out);
            }
        }
        next(data);
        return ExitCode.DONE;
    }

    private void next(Path data) {
        say("The results are in " + out + ", as folders of Parquet and CSV files. What to try next:");
        say("  ./unimeros inspect --data " + data + " scans");
        say("  ./unimeros head --data " + data + " parcels");
        say("  ./unimeros query --data " + data + " \"select tier, count(*) as shippers from shippers group by tier\"");
        say("  ./unimeros explain --data " + data
                + " \"select kind, count(*) from scans where day = date '2031-03-02' group by 1\"");
        say("  ./unimeros explain --record last");
    }

    private void say(String line) {
        console.out().println(line);
        console.out().flush();
    }
}
