package org.unimeros.cluster.coordinator;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.time.InstantSource;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.cluster.wire.JobMessages.JobRequest;
import org.unimeros.cluster.wire.JobMessages.JobState;
import org.unimeros.cluster.wire.JobMessages.LogLine;
import org.unimeros.cluster.wire.JobMessages.LogPart;

/** The state and the log of a job, across ends of the process that keeps them. */
class JobEntryTest {

    private static final InstantSource CLOCK = InstantSource.system();

    @TempDir
    Path folder;

    private static JobRequest request() {
        return new JobRequest("j", "totals", "network.Totals", List.of("7"), null, Map.of(), null, 0, true);
    }

    private static List<LogLine> lines(int from, int to) {
        return IntStream.range(from, to)
                .mapToObj(i -> new LogLine(i, i % 3 == 0, "line " + i))
                .toList();
    }

    private static List<String> texts(JobLog log) {
        List<LogLine> all = new ArrayList<>();
        for (long at = 0, next; (next = log.read(at, all)) != at; ) {
            at = next;
        }
        return all.stream().map(LogLine::text).toList();
    }

    private static List<String> expected(int to) {
        return lines(0, to).stream().map(LogLine::text).toList();
    }

    /** Parts come again, overlap, and the process dies between any two of them, or within a line. */
    @Test
    void everyLineIsKeptOnceWhateverIsSentAgain() throws IOException {
        for (int seed = 0; seed < 50; seed++) {
            Random random = new Random(seed);
            Path file = folder.resolve("log-" + seed);
            JobLog log = new JobLog(file);
            int kept = 0;
            while (kept < 60) {
                int from = random.nextInt(kept + 1);
                int to = from + random.nextInt(8);
                log.append(from, lines(from, to));
                kept = Math.max(kept, to);
                if (random.nextInt(4) == 0) {
                    if (random.nextBoolean()) {
                        Files.writeString(file, "{\"at\":5,\"te", StandardOpenOption.CREATE, StandardOpenOption.APPEND);
                    }
                    log = new JobLog(file);
                }
            }
            assertEquals(expected(kept), texts(log), "seed " + seed);
        }
    }

    @Test
    void aJobIsWhatItWasAfterARestart() throws InterruptedException {
        JobEntry job = new JobEntry(request(), folder.resolve("j"), CLOCK);
        assertEquals(JobState.QUEUED, again().state());
        assertTrue(job.start("w1", null));
        assertFalse(job.start("w2", null), "it has begun");
        assertTrue(job.asks("run-1"));
        assertTrue(job.asks("run-2"));
        assertTrue(job.asks("run-1"), "that is the same");
        assertTrue(job.heard(new LogPart("w1", 0, lines(0, 5))));
        assertFalse(job.heard(new LogPart("w2", 5, lines(5, 6))), "it does not run there");
        JobEntry restored = again();
        assertEquals(job.view(), restored.view());
        assertEquals(List.of("run-1", "run-2"), restored.runs());
        assertTrue(restored.isLaunchedBy("w1"));
        assertTrue(restored.heard(new LogPart("w1", 3, lines(3, 8))));
        assertEquals(
                expected(8),
                restored.log(0, 0).lines().stream().map(LogLine::text).toList());
        assertTrue(restored.end(JobState.FAILED, 4, "bad data"));
        assertFalse(restored.end(JobState.DONE, 0, null), "it has ended");
        assertFalse(restored.asks("run-3"));
        assertEquals(restored.view(), again().view());
        assertEquals("bad data", again().view().message());
    }

    private JobEntry again() {
        return JobEntry.restore(folder.resolve("j"), CLOCK).orElseThrow();
    }

    @Test
    void aFolderWithoutAJobIsNone() throws IOException {
        assertTrue(JobEntry.restore(Files.createDirectory(folder.resolve("empty")), CLOCK)
                .isEmpty());
        Path rubbish = Files.createDirectory(folder.resolve("rubbish"));
        Files.writeString(rubbish.resolve("job.json"), "{\"request\":");
        assertTrue(JobEntry.restore(rubbish, CLOCK).isEmpty());
    }
}
