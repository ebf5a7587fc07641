package org.unimeros.examples.sick;

import java.io.IOException;
import java.io.OutputStream;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Comparator;
import java.util.List;
import java.util.function.UnaryOperator;
import java.util.stream.Stream;
import java.util.zip.GZIPOutputStream;
import org.unimeros.Engine;
import org.unimeros.WriteOptions;
import org.unimeros.engine.error.ResourceFailure;

/**
 * The data of the sick jobs.
 *
 * @param folder that has a dataset for each method
 */
record SickData(Path folder) {

    private static final int FILES = 8;
    private static final int SMALL_FILES = 20_000;
    private static final int SCANS_EACH = 5;
    private static final int SHIPPERS = 20_000;

    /** Scans; of the column {@code shipper}, seventeen in twenty are 17. */
    String scans() {
        return place("scans");
    }

    /** What shippers pay, a row each. */
    String rates() {
        return place("rates");
    }

    /** Half as many scans as lines of CSV in eight files. */
    String lines() {
        return place("lines");
    }

    /** All lines in one file that is compressed as a whole. */
    String packed() {
        return place("packed/lines.csv.gz");
    }

    /** The lines, and some of them once more, in nine packed files of which one has nearly all. */
    String unevenlyPacked() {
        return place("unevenly-packed");
    }

    /** The same rows in eight packed files of like size and eight small ones. */
    String evenlyPacked() {
        return place("evenly-packed");
    }

    /** Very many files of a few scans each. */
    String smallFiles() {
        return place("small-files");
    }

    /** The scans of the small files in one. */
    String oneFile() {
        return place("one-file");
    }

    private String place(String name) {
        return folder.resolve(name).toString();
    }

    /**
     * Makes the data in a folder, unless it is there.
     *
     * @param rows of the largest dataset
     */
    static void make(Engine engine, Path folder, int rows) {
        if (Files.isDirectory(folder)) {
            return;
        }
        try {
            Path unfinished = folder.resolveSibling(folder.getFileName() + ".unfinished");
            delete(unfinished);
            Files.createDirectories(unfinished);
            new SickData(unfinished).make(engine, rows);
            Files.move(unfinished, folder);
        } catch (IOException e) {
            throw new ResourceFailure("cannot make the data of sick jobs in " + folder + ": " + e, e);
        }
    }

    private static void delete(Path folder) throws IOException {
        if (Files.exists(folder)) {
            try (Stream<Path> all = Files.walk(folder)) {
                for (Path path : all.sorted(Comparator.reverseOrder()).toList()) {
                    Files.delete(path);
                }
            }
        }
    }

    private void make(Engine engine, int rows) throws IOException {
        for (int i = 0; i < FILES; i++) {
            long from = (long) rows * i / FILES + 1;
            long to = (long) rows * (i + 1) / FILES;
            String scan = "select n as scan, case when n % 20 < 17 then 17 else n % 20000 end as shipper,"
                    + " 'D' || (n * 31 % 40) as depot, n * 17 % 30000 as weight, n * 104729 % 1000003 as at";
            write(engine, scan, from, to, scans(), as -> as.parquet().appending());
            String line = "select n as scan, 'D' || (n * 31 % 40) as depot, n * 17 % 30000 as weight,"
                    + " 'note of scan ' || n * 7919 as note";
            write(engine, line, from / 2 + 1, to / 2, lines(), as -> as.csv().appending());
        }
        String rate = "select n - 1 as shipper, n % 9 as class, 'shipper number ' || n as name";
        write(engine, rate, 1, SHIPPERS, rates(), as -> as.parquet());
        List<Path> files = csv(Path.of(lines()));
        pack(files, Path.of(packed()));
        pack(files, Path.of(unevenlyPacked(), "lines-all.csv.gz"));
        for (int i = 0; i < files.size(); i++) {
            packSome(files.get(i), Path.of(unevenlyPacked(), "lines-" + i + ".csv.gz"));
            packSome(files.get(i), Path.of(evenlyPacked(), "some-" + i + ".csv.gz"));
            pack(List.of(files.get(i)), Path.of(evenlyPacked(), "lines-" + i + ".csv.gz"));
        }
        makeSmallFiles(Math.min(SMALL_FILES, rows / SCANS_EACH));
        engine.read(smallFiles()).write(oneFile(), as -> as.json());
    }

    private static void write(
            Engine engine, String select, long from, long to, String location, UnaryOperator<WriteOptions> as) {
        engine.sql(select + " from (select cast(n as long) as n from unnest(series(" + from + ", " + to
                        + ")) as numbers(n)) counted")
                .write(location, as);
    }

    private static List<Path> csv(Path dataset) throws IOException {
        try (Stream<Path> files = Files.list(dataset)) {
            return files.filter(file -> file.toString().endsWith(".csv"))
                    .sorted()
                    .toList();
        }
    }

    /** Puts files into one under the header of the first. */
    private static void pack(List<Path> files, Path to) throws IOException {
        Files.createDirectories(to.getParent());
        try (OutputStream out = new GZIPOutputStream(Files.newOutputStream(to), 1 << 16)) {
            for (int i = 0; i < files.size(); i++) {
                byte[] bytes = Files.readAllBytes(files.get(i));
                int from = i == 0 ? 0 : lineEnd(bytes, 0);
                out.write(bytes, from, bytes.length - from);
            }
        }
    }

    /** Packs the first hundredth of a file. */
    private static void packSome(Path file, Path to) throws IOException {
        Files.createDirectories(to.getParent());
        byte[] bytes = Files.readAllBytes(file);
        try (OutputStream out = new GZIPOutputStream(Files.newOutputStream(to))) {
            out.write(bytes, 0, lineEnd(bytes, Math.max(lineEnd(bytes, 0), bytes.length / 100)));
        }
    }

    /** The place behind the line that a place is in. */
    private static int lineEnd(byte[] bytes, int from) {
        int at = from;
        while (bytes[at] != '\n') {
            at++;
        }
        return at + 1;
    }

    private void makeSmallFiles(int files) throws IOException {
        for (int f = 0; f < files; f++) {
            StringBuilder text = new StringBuilder();
            for (int i = 0; i < SCANS_EACH; i++) {
                long scan = (long) SCANS_EACH * f + i;
                text.append("{\"scan\":").append(scan);
                text.append(",\"depot\":\"D").append(scan % 40).append("\"}\n");
            }
            Path file = Path.of(smallFiles(), "tour=" + f % 200, "scans-" + f + ".jsonl");
            Files.createDirectories(file.getParent());
            Files.writeString(file, text);
        }
    }
}
