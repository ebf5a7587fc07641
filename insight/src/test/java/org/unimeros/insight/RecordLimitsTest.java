package org.unimeros.insight;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.stream.Stream;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** Five records of 100 bytes, an hour apart, the oldest is called r0. */
class RecordLimitsTest {

    private static final long HOUR = 3_600_000;

    @TempDir
    Path folder;

    @BeforeEach
    void write() throws IOException {
        for (int i = 0; i < 5; i++) {
            Path record = folder.resolve("r" + i + ".jsonl");
            Files.writeString(record, "x".repeat(100));
            assertTrue(record.toFile().setLastModified(System.currentTimeMillis() - (5 - i) * HOUR));
        }
    }

    private List<String> kept(RecordLimits limits) throws IOException {
        limits.apply(new RunFolder(folder));
        try (Stream<Path> files = Files.list(folder)) {
            return files.map(f -> f.getFileName().toString().replace(".jsonl", ""))
                    .sorted()
                    .toList();
        }
    }

    @Test
    void theNewestAreKeptByNumberAgeAndBytes() throws IOException {
        assertEquals(List.of("r0", "r1", "r2", "r3", "r4"), kept(RecordLimits.NONE));
        assertEquals(List.of("r1", "r2", "r3", "r4"), kept(new RecordLimits(4, Long.MAX_VALUE, Long.MAX_VALUE)));
        assertEquals(List.of("r2", "r3", "r4"), kept(new RecordLimits(9, 3 * HOUR + HOUR / 2, Long.MAX_VALUE)));
        assertEquals(List.of("r3", "r4"), kept(new RecordLimits(9, Long.MAX_VALUE, 299)));
    }

    @Test
    void pagesGoWithTheirRecordsAndOtherFilesStay() throws IOException {
        Files.writeString(folder.resolve("r0.html"), "page");
        Files.writeString(folder.resolve("r4.html"), "page");
        Files.writeString(folder.resolve("notes.txt"), "mine");
        assertEquals(List.of("notes.txt", "r4", "r4.html"), kept(new RecordLimits(1, Long.MAX_VALUE, Long.MAX_VALUE)));
    }

    @Test
    void aRecordThatIsWrittenStays() throws IOException {
        Path running = folder.resolve("r0.jsonl");
        assertTrue(running.toFile().setLastModified(System.currentTimeMillis() + HOUR));
        assertEquals(List.of("r0"), kept(new RecordLimits(1, Long.MAX_VALUE, 1)));
        assertFalse(Files.exists(folder.resolve("r4.jsonl")));
    }
}
