package org.unimeros.examples;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.nio.file.Path;
import java.util.List;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.EnumSource;
import org.unimeros.Result;
import org.unimeros.Settings;
import org.unimeros.examples.sick.SickJob;

/** Sick jobs run, are diagnosed, and give what they give when they are cured. What is slow at this size is chance. */
class SickJobsTest {

    private static final int ROWS = 8_000;

    /** The data is the same for all. */
    @TempDir
    private static Path data;

    @TempDir
    private Path records;

    private static List<String> rows(Result result) {
        return result.rows().stream().map(Object::toString).sorted().toList();
    }

    @ParameterizedTest
    @EnumSource
    void theCureChangesTheTimeAndNotTheAnswer(SickJob job) {
        Settings settings = Settings.defaults().with("slots", "2").with("runs.folder", records.toString());
        Result sick = job.run(settings, data, ROWS, false);
        Result cured = job.run(settings, data, ROWS, true);
        assertTrue(sick.size() > 0);
        if (job != SickJob.ONE_WINDOW) {
            assertEquals(rows(sick), rows(cured));
        }
        for (Result result : List.of(sick, cured)) {
            String text = result.run().diagnosis().orElseThrow().text();
            assertTrue(text.startsWith("run " + result.run().id() + ": done in "), text);
        }
    }
}
