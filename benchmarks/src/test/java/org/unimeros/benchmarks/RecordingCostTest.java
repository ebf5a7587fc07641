package org.unimeros.benchmarks;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.ByteArrayOutputStream;
import java.io.PrintStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** What it measures at this size is chance. */
class RecordingCostTest {

    @TempDir
    Path folder;

    @Test
    void itSaysWhatARecordCostsForRunsOfFewAndOfManyTasks() throws Exception {
        ByteArrayOutputStream bytes = new ByteArrayOutputStream();
        try (PrintStream out = new PrintStream(bytes, true, StandardCharsets.UTF_8)) {
            new RecordingCost(folder, 2_000, 3, out).run();
        }
        List<String> lines = bytes.toString(StandardCharsets.UTF_8).lines().toList();
        assertEquals(6, lines.size(), lines.toString());
        lines.subList(2, 6)
                .forEach(line -> assertTrue(
                        line.matches("\\| \\w+ \\| \\d+ \\| \\d+ \\| \\d+ \\| [\\d., ]+ \\| \\d+ \\|"), line));
        assertFalse(Files.exists(folder.resolve("recorded-runs")));
    }
}
