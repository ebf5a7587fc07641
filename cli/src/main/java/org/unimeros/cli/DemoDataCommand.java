package org.unimeros.cli;

import java.nio.file.Path;
import org.unimeros.engine.stage.Sizes;
import org.unimeros.examples.data.DemoData;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

@Command(
        name = "demo-data",
        description = "Makes the demo data: the scans, parcels, depots, postcodes, shippers, containers and notes of an"
                + " invented parcel network, with the troubles of real data.",
        mixinStandardHelpOptions = true,
        footerHeading = "%nExample:%n",
        footer = "  unimeros demo-data demo --rows 1m --seed 7")
final class DemoDataCommand extends ConsoleCommand {

    @Parameters(paramLabel = "DIR", description = "A folder that is empty or not there yet.")
    Path folder;

    @Option(
            names = "--rows",
            paramLabel = "N",
            defaultValue = "1m",
            converter = RowCount.class,
            description = "About how many scans, such as 10k, 1m (unless given) or 1g; the other tables follow.")
    long rows;

    @Option(
            names = "--seed",
            paramLabel = "N",
            defaultValue = "7",
            description = "The same seed and number of rows give the same data; 7 unless given.")
    long seed;

    @Override
    public Integer call() {
        long start = System.currentTimeMillis();
        DemoData.Made made = make(console, folder, rows, seed);
        console.note("made " + folder + ": " + Sizes.count(made.scans(), "scan") + ", "
                + Sizes.count(made.parcels(), "parcel")
                + ", " + Sizes.count(made.files(), "file") + " of " + Sizes.bytes(made.bytes()) + " in "
                + Sizes.millis(System.currentTimeMillis() - start));
        return ExitCode.DONE;
    }

    static DemoData.Made make(Console console, Path folder, long rows, long seed) {
        DemoData.Made made =
                DemoData.make(folder, rows, seed, n -> console.progress().count("scans", n, rows));
        console.progress().clear();
        return made;
    }
}
