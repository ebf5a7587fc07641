package org.unimeros.benchmarks;

import java.io.BufferedWriter;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.SplittableRandom;
import org.unimeros.Engine;
import org.unimeros.Settings;
import org.unimeros.code.Program;
import org.unimeros.engine.record.TextSlice;

/** A program in another language that maps lines, and beside it the same program alone in a pipe of the shell, or as many of them as there are threads. */
final class ExternalProgram extends Entry {

    private static final String PROGRAM = "{ print $3 \"\\t\" length($0) }";

    private final Path file;
    private final long lines;

    ExternalProgram(Path folder, long lines) {
        super(
                "external-program",
                String.format("%,d lines mapped by an awk program to keys and values, which are counted", lines),
                lines,
                folder.resolve("scans-" + lines + ".txt"));
        this.file = folder.resolve("scans-" + lines + ".txt");
        this.lines = lines;
    }

    @Override
    void prepare() throws Exception {
        make(file, this::write);
    }

    private void write(Path part) throws Exception {
        SplittableRandom random = new SplittableRandom(3);
        try (BufferedWriter out = Files.newBufferedWriter(part)) {
            for (long i = 0; i < lines; i++) {
                out.write("parcel " + (100_000_000 + i) + " depot-" + random.nextInt(400) + " was seen on lane "
                        + random.nextInt(10, 100) + " by scanner " + random.nextInt(1_000, 10_000) + "\n");
            }
        }
    }

    @Override
    Object ours(int slots) {
        Settings settings = Settings.defaults()
                .with("slots", String.valueOf(slots))
                .with("runs.folder", "")
                .with("split.target", "64MB");
        try (Engine engine = Engine.local(settings)) {
            return engine.read(file.toString())
                    .as(TextSlice.class)
                    .mapReduce(
                            TextSlice.class,
                            TextSlice.class,
                            Program.of("awk", PROGRAM).sliceMapper())
                    .rows()
                    .count();
        }
    }

    @Override
    Object handWritten(int threads) throws Exception {
        long half = lines / threads;
        String shell = threads == 1
                ? "cat '" + file + "' | awk '" + PROGRAM + "' | wc -l"
                : "(head -n " + half + " '" + file + "' | awk '" + PROGRAM + "' | wc -l & tail -n +" + (half + 1) + " '"
                        + file + "' | awk '" + PROGRAM + "' | wc -l; wait)";
        Process process = new ProcessBuilder("sh", "-c", shell).start();
        long count = 0;
        for (String line :
                new String(process.getInputStream().readAllBytes()).strip().split("\\s+")) {
            count += Long.parseLong(line);
        }
        process.waitFor();
        return count;
    }
}
