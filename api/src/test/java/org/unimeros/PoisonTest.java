package org.unimeros;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.engine.error.UnimerosException;

/** Functions of a job that take their process with them, or all of its memory. */
@Timeout(300)
class PoisonTest {

    private static final String LIVELY = "select count(*) as n, sum(weight_g) as g from dataset('%s')";

    @TempDir
    Path folder;

    /** Never comes back from itself. */
    private static int deep(int n) {
        return deep(n + 1) + 1;
    }

    private static Long poisoned(String how, Long value) {
        if (value != 77) {
            return value;
        }
        switch (how) {
            case "halt" -> Runtime.getRuntime().halt(9);
            case "deep" -> deep(0);
            default -> {
                List<long[]> all = new ArrayList<>();
                while (true) {
                    all.add(new long[1 << 20]);
                }
            }
        }
        return value;
    }

    @Test
    void theRunFailsWithTheNameOfTheTaskAndTheEngineStaysUsable() throws IOException {
        StringBuilder lines = new StringBuilder("parcel_id,weight_g\n");
        for (int i = 0; i < 100; i++) {
            lines.append(i).append(',').append(i * 10).append('\n');
        }
        Path parcels = folder.resolve("parcels.csv");
        Files.writeString(parcels, lines);
        Settings settings = Settings.defaults()
                .with("slots", "1")
                .with("runs.folder", "")
                .with("worker.memory", "150MB")
                .with("memory.scratch", folder.resolve("scratch").toString());
        try (Engine engine = Engine.localWorkers(2, settings)) {
            for (String how : List.of("halt", "deep", "memory")) {
                engine.define("poisoned_" + how, Long.class, Long.class, value -> poisoned(how, value));
                UnimerosException failure = assertThrows(
                        UnimerosException.class,
                        () -> engine.sql("select sum(poisoned_" + how + "(parcel_id)) from dataset('" + parcels + "')")
                                .fetch(),
                        how);
                assertTrue(failure.getMessage().contains("stage 1 task 0"), how + ": " + failure.getMessage());
                assertEquals(
                        "100 | 49500",
                        engine.sql(LIVELY.formatted(parcels)).fetch().row(0).toString(),
                        how);
            }
        }
    }
}
