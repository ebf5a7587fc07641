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

/** Five records of 100 bytes, an hour apart; r0 stands for the oldest. */
class RecordLimitsTest {

    private static final String NAME = "20310304-09150";
    private static final String RECORD = "{\"event\":\"run-started\",";
    private static final long HOUR = 3_600_000;

    @TempDir
    Path folder;

    @BeforeEach
    void write() throws IOException {
        for (int i = 0; i < 5; i++) {
            Path record = folder.resolve(NAME + i + "-7c1a2b.jsonl");
            Files.writeString(record, RECORD + "x".repeat(100 - RECORD.length()));
            assertTrue(record.toFile().setLastModified(System.currentTimeMillis() - (5 - i) * HOUR));
        }
    }

    private List<String> kept(RecordLimits limits) throws IOException {
        limits.apply(new RunFolder(folder));
        try (Stream<Path> files = Files.list(folder)) {
            return files.map(f ->
                            f.getFileName().toString().replace(".jsonl", "").replaceFirst(NAME + "(.)-7c1a2b", "r$1"))
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
        Files.writeString(folder.resolve(NAME + "0-7c1a2b.html"), "page");
        Files.writeString(folder.resolve(NAME + "4-7c1a2b.html"), "page");
        Files.writeString(folder.resolve("notes.txt"), "mine");
        assertEquals(List.of("notes.txt", "r4", "r4.html"), kept(new RecordLimits(1, Long.MAX_VALUE, Long.MAX_VALUE)));
    }

    /** Somebody has records among data, or data among records. */
    @Test
    void whatIsNoRecordStaysAndDoesNotCount() throws IOException {
        for (int i = 0; i < 9; i++) {
            Files.writeString(folder.resolve("scans-" + i + ".jsonl"), "{\"scan\":7}\n");
        }
        Files.writeString(folder.resolve(NAME + "7-7c1a2b.jsonl"), "{\"scan\":8}\n");
        assertTrue(folder.resolve(NAME + "7-7c1a2b.jsonl").toFile().setLastModified(HOUR));
        List<String> kept = kept(new RecordLimits(2, Long.MAX_VALUE, Long.MAX_VALUE));
        assertEquals(12, kept.size(), kept.toString());
        assertTrue(kept.containsAll(List.of("r3", "r4", "r7", "scans-0", "scans-8")), kept.toString());
    }

    @Test
    void aRecordThatIsWrittenStays() throws IOException {
        Path running = folder.resolve(NAME + "0-7c1a2b.jsonl");
        assertTrue(running.toFile().setLastModified(System.currentTimeMillis() + HOUR));
        assertEquals(List.of("r0"), kept(new RecordLimits(1, Long.MAX_VALUE, 1)));
        assertFalse(Files.exists(folder.resolve(NAME + "4-7c1a2b.jsonl")));
    }
}
