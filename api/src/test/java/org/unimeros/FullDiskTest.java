package org.unimeros;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.junit.jupiter.api.Assumptions.assumeTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.InstantSource;
import java.util.List;
import java.util.stream.Stream;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.cluster.coordinator.Coordinator;
import org.unimeros.cluster.http.ClusterAccess;
import org.unimeros.cluster.worker.Worker;
import org.unimeros.engine.error.ResourceFailure;

/** Disks that are full: one line that names the folder, nothing half-written, nothing left behind. Needs the right to mount a small one. */
@Timeout(120)
class FullDiskTest {

    private static final int PARCELS = 1_500_000;

    @TempDir
    Path folder;

    /** A disk of two megabytes. */
    private Path small;

    @BeforeEach
    void mount() throws IOException {
        small = Files.createDirectory(folder.resolve("small"));
        assumeTrue(ran("mount", "-t", "tmpfs", "-o", "size=2m", "none", small.toString()), "no right to mount a disk");
    }

    @AfterEach
    void unmount() {
        ran("umount", "-l", small.toString());
    }

    private static boolean ran(String... command) {
        try {
            Process process =
                    new ProcessBuilder(command).redirectErrorStream(true).start();
            process.getInputStream().readAllBytes();
            return process.waitFor() == 0;
        } catch (IOException | InterruptedException e) {
            return false;
        }
    }

    private Settings settings(Path scratch) {
        return Settings.defaults()
                .with("slots", "2")
                .with("runs.folder", "")
                .with("memory.budget", "64MB")
                .with("memory.scratch", scratch.toString());
    }

    /** Rows that do not fit into the budget when they are sorted. */
    private Path parcels() throws IOException {
        Path file = folder.resolve("parcels.csv");
        StringBuilder lines = new StringBuilder("parcel_id,note\n");
        for (int i = 0; i < PARCELS; i++) {
            lines.append(i)
                    .append(",note ")
                    .append(Integer.toHexString(i * 0x9E3779B9))
                    .append(" of a parcel\n");
        }
        Files.writeString(file, lines);
        return file;
    }

    private static List<String> files(Path at) throws IOException {
        try (Stream<Path> all = Files.walk(at)) {
            return all.filter(Files::isRegularFile)
                    .map(f -> at.relativize(f).toString())
                    .sorted()
                    .toList();
        }
    }

    private static void assertOneLine(ResourceFailure failure, Path where) {
        String message = failure.getMessage();
        assertFalse(message.contains("\n"), message);
        assertTrue(message.contains(where.toString()), message);
        assertTrue(message.contains("No space left on device"), message);
    }

    @Test
    void aSpillThatDoesNotFitFailsTheRunAndLeavesNothing() throws IOException {
        Path scans = parcels();
        try (Engine engine = Engine.local(settings(small))) {
            Rows sorted = engine.read(scans.toString()).sortBy("note");
            assertOneLine(assertThrows(ResourceFailure.class, sorted::fetch), small);
            assertEquals(List.of(), files(small));
            assertEquals(PARCELS, engine.read(scans.toString()).count());
        }
    }

    @Test
    void anOutputThatDoesNotFitIsNotThere() throws IOException {
        Path scans = parcels();
        try (Engine engine = Engine.local(settings(folder.resolve("scratch")))) {
            Rows all = engine.read(scans.toString());
            Path out = small.resolve("out");
            all.limit(100).write(out.toString(), as -> as.csv());
            List<String> before = files(out);
            for (String format : List.of("csv", "parquet", "json")) {
                assertOneLine(
                        assertThrows(
                                ResourceFailure.class,
                                () -> all.write(
                                        out.toString(), as -> as.format(format).replacing())),
                        out);
                assertEquals(before, files(out), format);
            }
            assertEquals(100, engine.read(out.toString()).count());
        }
    }

    @Test
    void rowsOfAShuffleThatDoNotFitFailTheirRunAndNotTheWorkers() throws IOException {
        Path scans = parcels();
        try (Coordinator coordinator =
                new Coordinator(new Coordinator.Config(null, 0, ClusterAccess.NONE), InstantSource.system())) {
            String url = coordinator.start();
            try (Worker onSmallDisk = new Worker(new Worker.Config(
                            url, null, null, 0, 1, 1, 64 << 20, small.resolve("scratch"), ClusterAccess.NONE));
                    Engine engine = Engine.connect(url, settings(folder.resolve("scratch")))) {
                onSmallDisk.start();
                Rows sorted = engine.read(scans.toString()).sortBy("note");
                assertOneLine(assertThrows(ResourceFailure.class, sorted::fetch), small);
                assertEquals(PARCELS, engine.read(scans.toString()).count());
                assertEquals(List.of(), files(small));
            }
        }
    }

    @Test
    void aJournalThatDoesNotFitEndsTheRunAndTheCoordinatorGoesOn() throws IOException {
        Path scans = parcels();
        Path journal = small.resolve("journal");
        Coordinator.Config config = new Coordinator.Config(null, 0, ClusterAccess.NONE).withJournal(journal);
        try (Coordinator coordinator = new Coordinator(config, InstantSource.system())) {
            String url = coordinator.start();
            try (Worker worker = new Worker(new Worker.Config(
                            url, null, null, 0, 1, 1, 64 << 20, folder.resolve("w/scratch"), ClusterAccess.NONE));
                    Engine engine = Engine.connect(url, settings(folder.resolve("scratch")))) {
                worker.start();
                fill(small.resolve("more"));
                Rows rows = engine.read(scans.toString());
                ResourceFailure failure = assertThrows(ResourceFailure.class, rows::count);
                assertTrue(failure.getMessage().contains("journal"), failure.getMessage());
                Files.delete(small.resolve("more"));
                assertEquals(PARCELS, rows.count());
            }
        }
    }

    /** Takes all space that is left. */
    private static void fill(Path file) throws IOException {
        byte[] page = new byte[4096];
        try (var out = Files.newOutputStream(file)) {
            while (true) {
                out.write(page);
            }
        } catch (IOException e) {
            assertTrue(String.valueOf(e.getMessage()).contains("No space left"), e.toString());
        }
    }
}
