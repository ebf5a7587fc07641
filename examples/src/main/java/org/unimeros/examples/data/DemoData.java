package org.unimeros.examples.data;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.function.LongConsumer;
import java.util.stream.Stream;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UserMistake;

/** Makes the demo data in a folder, whose sub-folders and files then are datasets. */
public final class DemoData {

    private DemoData() {}

    /**
     * What was made.
     *
     * @param scans the exact number of scan records, broken ones not counted
     * @param brokenLines lines in one file of scans that are no records
     */
    public record Made(Path folder, long scans, long brokenLines, long parcels, long files, long bytes) {}

    /**
     * Makes the data; the same seed and number give the same files, byte for byte. Nothing is kept in memory.
     *
     * @param folder must be empty or not there
     * @param scans about how many scan records to make
     * @param progress is told from time to time how many were made
     */
    public static Made make(Path folder, long scans, long seed, LongConsumer progress) {
        if (scans < 1) {
            throw new UserMistake("the number of rows must be at least 1, but is " + scans);
        }
        try {
            requireEmpty(folder);
            Files.createDirectories(folder);
            Network network = new Network(seed, scans);
            SmallTables.write(folder, network);
            ParcelTables.write(folder, network);
            ScanFiles.Written written = new ScanFiles(folder.resolve("scans"), network, progress).write();
            Files.writeString(folder.resolve("datasets.yaml"), DECLARATIONS);
            try (Stream<Path> all = Files.walk(folder)) {
                long[] size = new long[2];
                all.filter(Files::isRegularFile).forEach(f -> {
                    size[0]++;
                    size[1] += f.toFile().length();
                });
                return new Made(folder, written.scans(), written.broken(), network.parcels, size[0], size[1]);
            }
        } catch (IOException e) {
            throw new ResourceFailure("cannot make the demo data in " + folder + ": " + e, e);
        }
    }

    private static void requireEmpty(Path folder) throws IOException {
        if (!Files.exists(folder)) {
            return;
        }
        if (!Files.isDirectory(folder)) {
            throw new UserMistake(folder + " is a file; name a folder for the demo data");
        }
        try (Stream<Path> entries = Files.list(folder)) {
            if (entries.findAny().isPresent()) {
                throw new UserMistake("the folder " + folder + " is not empty; name another, or remove it first");
            }
        }
    }

    private static final String DECLARATIONS = """
            # What is said of the datasets in this folder; all others are found by their names.
            datasets:
              scans:
                location: scans
                format: json
                columns:
                  - {name: scan_id, type: long}
                  - {name: parcel_id, type: long}
                  - {name: depot_id, type: text}
                  - {name: kind, type: text}
                  - {name: at_millis, type: long, path: at}
                  - {name: device, type: text, path: device.id}
                  - {name: model, type: text, path: device.model}
                  - {name: battery, type: double, path: device.battery}
                partitions:
                  - {name: day, type: date}
                  - {name: hour, type: int}
              postcodes:
                location: postcodes.csv
                format: csv
                columns:
                  - {name: postcode, type: text}
                  - {name: place, type: text}
                  - {name: zone, type: text}
                  - {name: depot_id, type: text}
            """;
}
