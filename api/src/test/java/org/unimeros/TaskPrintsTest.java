package org.unimeros;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.PrintStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.concurrent.CopyOnWriteArrayList;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.engine.run.RunEvent;

/** What code of a job prints in tasks of this process. */
class TaskPrintsTest {

    @TempDir
    Path folder;

    private static Long loud(Long parcel) {
        if (parcel % 2 == 0) {
            System.out.print("seen parcel " + parcel + ", Größe M" + (parcel == 4 ? "" : "\n"));
        }
        return parcel;
    }

    @Test
    void goesToTheErrorOutputAndTheRecordAndNotIntoTheOutput() throws IOException {
        Files.writeString(folder.resolve("parcels.csv"), "parcel_id\n1\n2\n3\n4\n");
        PrintStream usualOut = System.out;
        PrintStream usualErr = System.err;
        ByteArrayOutputStream out = new ByteArrayOutputStream();
        ByteArrayOutputStream err = new ByteArrayOutputStream();
        List<String> told = new CopyOnWriteArrayList<>();
        Run run;
        try (Engine engine =
                Engine.local(Settings.defaults().with("slots", "1").with("runs.folder", folder.toString()))) {
            System.setOut(new PrintStream(out, true, StandardCharsets.UTF_8));
            System.setErr(new PrintStream(err, true, StandardCharsets.UTF_8));
            engine.define("loud", Long.class, Long.class, TaskPrintsTest::loud);
            engine.watch(event -> {
                if (event instanceof RunEvent.Printed printed) {
                    told.addAll(printed.lines());
                }
            });
            run = engine.sql("select loud(parcel_id) from dataset('" + folder.resolve("parcels.csv") + "')")
                    .fetch()
                    .run();
            System.out.println("the program goes on, Größe L");
        } finally {
            System.setOut(usualOut);
            System.setErr(usualErr);
        }
        List<String> lines = List.of("seen parcel 2, Größe M", "seen parcel 4, Größe M");
        assertEquals(lines, told);
        assertEquals(String.join("\n", lines) + "\n", err.toString(StandardCharsets.UTF_8));
        assertEquals("the program goes on, Größe L\n", out.toString(StandardCharsets.UTF_8));
        String record = Files.readString(run.record().orElseThrow());
        assertTrue(record.contains("seen parcel 4"), record);
        assertFalse(record.contains("the program goes on"), record);
    }
}
