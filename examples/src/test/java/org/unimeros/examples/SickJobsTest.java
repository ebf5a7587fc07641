package org.unimeros.examples;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.nio.file.Path;
import java.util.List;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.EnumSource;
import org.unimeros.Engine;
import org.unimeros.Result;
import org.unimeros.Settings;
import org.unimeros.examples.sick.SickJob;

/** Sick jobs run, are diagnosed, and give what they give when they are cured. What is slow at this size is chance. */
class SickJobsTest {

    private static final int ROWS = 8_000;

    @TempDir
    private static Path temp;

    @TempDir
    private Path records;

    @BeforeAll
    static void makeTheData() {
        try (Engine engine = Engine.open(Settings.defaults().with("runs.folder", ""))) {
            SickJob.prepare(engine, temp.resolve("data"), ROWS);
        }
    }

    private Result run(SickJob job, boolean isCured) {
        Settings base = Settings.defaults().with("slots", "2").with("runs.folder", records.toString());
        try (Engine engine = Engine.open(job.settings(base, isCured))) {
            return job.run(engine, temp.resolve("data"), isCured);
        }
    }

    private static List<String> rows(Result result) {
        return result.rows().stream().map(Object::toString).sorted().toList();
    }

    @ParameterizedTest
    @EnumSource
    void theCureChangesTheTimeAndNotTheAnswer(SickJob job) {
        Result sick = run(job, false);
        Result cured = run(job, true);
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
