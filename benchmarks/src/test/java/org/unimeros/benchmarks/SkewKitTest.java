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

/** Both ways give the same rows, or it would fail; what it measures at this size is chance. */
class SkewKitTest {

    @TempDir
    Path folder;

    @Test
    void itHasALineForEachKindOfSkew() {
        ByteArrayOutputStream bytes = new ByteArrayOutputStream();
        try (PrintStream out = new PrintStream(bytes, true, StandardCharsets.UTF_8)) {
            new SkewKit(folder, 20_000, out).run();
        }
        List<String> lines = bytes.toString(StandardCharsets.UTF_8).lines().toList();
        assertEquals(9, lines.size(), lines.toString());
        lines.subList(2, 9)
                .forEach(line -> assertTrue(line.matches("\\|[^|]+\\|( [\\d.]+ \\|){4} \\d+ \\| \\d+ \\|"), line));
    }
}
