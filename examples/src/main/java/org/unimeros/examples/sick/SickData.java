package org.unimeros.examples.sick;

import java.io.IOException;
import java.io.OutputStream;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Comparator;
import java.util.List;
import java.util.function.UnaryOperator;
import java.util.stream.Stream;
import java.util.zip.GZIPOutputStream;
import org.unimeros.Engine;
import org.unimeros.WriteOptions;

/** The data of the sick jobs, each dataset made when it is first asked for. */
final class SickData {

    private static final int FILES = 8;
    private static final int SMALL_FILES = 20_000;

    private final Engine engine;
    private final Path folder;
    private final int rows;

    /** @param rows of the largest dataset */
    SickData(Engine engine, Path folder, int rows) {
        this.engine = engine;
        this.folder = folder;
        this.rows = rows;
    }

    /** Something that writes rows with numbers from one on to another. */
    private interface Part {
        void write(String location, long from, long to);
    }

    private String made(String name, int count, int files, Part part) {
        Path place = folder.resolve(name);
        if (!Files.isDirectory(place)) {
            Path unfinished = folder.resolve("." + name);
            delete(unfinished);
            for (int i = 0; i < files; i++) {
                part.write(unfinished.toString(), (long) count * i / files + 1, (long) count * (i + 1) / files);
            }
            move(unfinished, place);
        }
        return place.toString();
    }

    private static void move(Path from, Path to) {
        try {
            Files.move(from, to);
        } catch (IOException e) {
            throw new UncheckedIOException(e);
        }
    }

    private static void delete(Path folder) {
        if (Files.exists(folder)) {
            try (Stream<Path> all = Files.walk(folder)) {
                all.sorted(Comparator.reverseOrder())
                        .forEach(path -> path.toFile().delete());
            } catch (IOException e) {
                throw new UncheckedIOException(e);
            }
        }
    }

    private void write(String select, String location, long from, long to, UnaryOperator<WriteOptions> as) {
        engine.sql(select + " from (select cast(n as long) as n from unnest(series(" + from + ", " + to
                        + ")) as numbers(n)) counted")
                .write(location, as);
    }

    /** Scans; of the column {@code shipper}, seventeen in twenty are 17. */
    String scans() {
        return made(
                "scans",
                rows,
                FILES,
                (location, from, to) -> write(
                        "select n as scan, case when n % 20 < 17 then 17 else n % 20000 end as shipper,"
                                + " n * 7919 % 20000 as even, 'D' || (n * 31 % 40) as depot, n * 17 % 30000 as weight,"
                                + " n * 104729 % 1000003 as at",
                        location, from, to, as -> as.parquet().appending()));
    }

    /** What shippers pay, a row each. */
    String rates() {
        return made(
                "rates",
                20_000,
                1,
                (location, from, to) -> write(
                        "select n - 1 as shipper, n % 9 as class, 'shipper number ' || n as name",
                        location, from, to, as -> as.parquet().appending()));
    }

    /** The same scans as lines of CSV in eight files. */
    String lines() {
        return made(
                "lines",
                rows / 2,
                FILES,
                (location, from, to) -> write(
                        "select n as scan, 'D' || (n * 31 % 40) as depot, n * 17 % 30000 as weight,"
                                + " 'note of scan ' || n * 7919 as note",
                        location, from, to, as -> as.csv().appending()));
    }

    /** All lines in one file that is compressed as a whole. */
    String packed() {
        Path place = folder.resolve("packed/lines.csv.gz");
        if (!Files.exists(place)) {
            pack(csv(Path.of(lines())), place);
        }
        return place.toString();
    }

    /** The lines in nine packed files, of which one has nearly all. */
    String unevenlyPacked() {
        Path place = folder.resolve("unevenly-packed");
        if (!Files.isDirectory(place)) {
            List<Path> files = csv(Path.of(lines()));
            pack(files, folder.resolve(".unevenly-packed/lines-9.csv.gz"));
            for (int i = 0; i < files.size(); i++) {
                packSome(files.get(i), folder.resolve(".unevenly-packed/lines-" + i + ".csv.gz"));
            }
            move(folder.resolve(".unevenly-packed"), place);
        }
        return place.toString();
    }

    /** The same rows in packed files of like size. */
    String evenlyPacked() {
        Path place = folder.resolve("evenly-packed");
        if (!Files.isDirectory(place)) {
            List<Path> files = csv(Path.of(lines()));
            for (int i = 0; i < files.size(); i++) {
                pack(List.of(files.get(i)), folder.resolve(".evenly-packed/lines-" + i + ".csv.gz"));
                packSome(files.get(i), folder.resolve(".evenly-packed/some-" + i + ".csv.gz"));
            }
            move(folder.resolve(".evenly-packed"), place);
        }
        return place.toString();
    }

    private static List<Path> csv(Path dataset) {
        try (Stream<Path> files = Files.list(dataset)) {
            return files.filter(file -> file.toString().endsWith(".csv"))
                    .sorted()
                    .toList();
        } catch (IOException e) {
            throw new UncheckedIOException(e);
        }
    }

    private static void pack(List<Path> files, Path to) {
        try {
            Files.createDirectories(to.getParent());
            try (OutputStream out = new GZIPOutputStream(Files.newOutputStream(to), 1 << 16)) {
                for (int i = 0; i < files.size(); i++) {
                    byte[] bytes = Files.readAllBytes(files.get(i));
                    int from = i == 0 ? 0 : header(bytes);
                    out.write(bytes, from, bytes.length - from);
                }
            }
        } catch (IOException e) {
            throw new UncheckedIOException(e);
        }
    }

    private static int header(byte[] bytes) {
        int at = 0;
        while (bytes[at] != '\n') {
            at++;
        }
        return at + 1;
    }

    /** The first hundredth of a file. */
    private static void packSome(Path file, Path to) {
        try {
            Files.createDirectories(to.getParent());
            byte[] bytes = Files.readAllBytes(file);
            int end = Math.max(header(bytes) + 1, bytes.length / 100);
            while (bytes[end - 1] != '\n') {
                end++;
            }
            try (OutputStream out = new GZIPOutputStream(Files.newOutputStream(to))) {
                out.write(bytes, 0, end);
            }
        } catch (IOException e) {
            throw new UncheckedIOException(e);
        }
    }

    /** Very many files of a few scans each. */
    String smallFiles() {
        Path place = folder.resolve("small-files");
        if (!Files.isDirectory(place)) {
            try {
                Path unfinished = folder.resolve(".small-files");
                for (int f = 0; f < Math.max(1, Math.min(SMALL_FILES, rows / 5)); f++) {
                    StringBuilder text = new StringBuilder();
                    for (int i = 0; i < 5; i++) {
                        text.append("{\"scan\":").append(5L * f + i);
                        text.append(",\"depot\":\"D").append((5L * f + i) % 40).append("\"}\n");
                    }
                    Path file = unfinished.resolve("tour=" + f % 200).resolve("scans-" + f + ".jsonl");
                    Files.createDirectories(file.getParent());
                    Files.writeString(file, text);
                }
                move(unfinished, place);
            } catch (IOException e) {
                throw new UncheckedIOException(e);
            }
        }
        return place.toString();
    }

    /** The scans of the small files in one. */
    String oneFile() {
        Path place = folder.resolve("one-file");
        if (!Files.isDirectory(place)) {
            engine.read(smallFiles()).write(place.toString(), as -> as.json().replacing());
        }
        return place.toString();
    }
}
