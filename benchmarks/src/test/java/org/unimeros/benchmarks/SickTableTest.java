package org.unimeros.benchmarks;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.ByteArrayOutputStream;
import java.io.PrintStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.util.List;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.examples.sick.SickJob;

/** The table of sick jobs has a line for each; what it says at this size is chance. */
class SickTableTest {

    @TempDir
    Path folder;

    @Test
    void everySickJobHasALine() {
        ByteArrayOutputStream bytes = new ByteArrayOutputStream();
        try (PrintStream out = new PrintStream(bytes, true, StandardCharsets.UTF_8)) {
            new SickJobs(folder, 2_000, out).run();
        }
        List<String> lines = bytes.toString(StandardCharsets.UTF_8).lines().toList();
        assertEquals(2 + SickJob.values().length, lines.size(), lines.toString());
        for (SickJob job : SickJob.values()) {
            String line = lines.get(2 + job.ordinal());
            assertTrue(line.matches("\\| " + job.label() + " \\|.*\\| -?\\d+ \\| \\d+, \\d+ \\|.*\\|"), line);
        }
    }
}
