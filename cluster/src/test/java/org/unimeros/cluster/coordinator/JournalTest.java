package org.unimeros.cluster.coordinator;

import static java.nio.charset.StandardCharsets.UTF_8;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.cluster.coordinator.RunInput.Submitted;
import org.unimeros.cluster.wire.Json;
import org.unimeros.cluster.wire.Messages.Outcome;
import org.unimeros.cluster.wire.Messages.Report;
import org.unimeros.cluster.wire.Messages.RunState;
import org.unimeros.cluster.wire.Messages.RunView;
import org.unimeros.cluster.wire.Messages.Submission;
import org.unimeros.engine.error.Failure;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.schedule.AttemptId;

class JournalTest {

    private static final Path GOLDEN = Path.of("src/test/resources/golden/journal-1.jsonl");

    @TempDir
    private Path temp;

    /** One of each kind. */
    private static List<RunInput> examples() {
        AttemptId attempt = new AttemptId(1, 22, 0);
        Failure failure = new Failure(
                Failure.Kind.RESOURCE, "cannot read demo/scans: no \"space\"", new Failure.Tries(3, 3, "w2"));
        RunView view = new RunView(
                "r-1",
                "scans per depot",
                "j-1",
                RunState.FAILED,
                3,
                1,
                0,
                7,
                120_000,
                1L << 40,
                2,
                5,
                Map.of("scans", Map.of("late", 4L)),
                1,
                failure,
                1_930_000_000_000L,
                1_930_000_009_000L);
        return List.of(
                new Submitted(
                        new Submission(
                                "r-1",
                                "scans per depot",
                                Map.of("slots", "2"),
                                "plan".getBytes(UTF_8),
                                "j-1",
                                true,
                                null),
                        1_930_000_000_000L),
                new RunInput.WorkerJoined("w1", 2, 1, "http://127.0.0.1:7171"),
                new RunInput.WorkerLeaving("w1"),
                new RunInput.WorkerLost("w2", "not heard of for 10 s"),
                new RunInput.Reported(
                        "w1",
                        new Report(
                                "r-1",
                                attempt,
                                Outcome.SUCCEEDED,
                                "result".getBytes(UTF_8),
                                null,
                                false,
                                null,
                                List.of("column weight_g is absent in some files"))),
                new RunInput.Reported(
                        "w1",
                        new Report(
                                "r-1",
                                attempt,
                                Outcome.INPUT_LOST,
                                null,
                                failure,
                                true,
                                new AttemptId(0, 3, 1),
                                List.of())),
                new RunInput.ResultTaken(),
                new RunInput.ResultLost(attempt),
                new RunInput.Copied("w1", attempt),
                new RunInput.Replicate(2),
                new RunInput.Cancelled("no longer wanted"),
                new RunInput.Failed("no worker came for 60 s"),
                new RunInput.Tick(),
                new RunInput.Warned("one key has 40 % of the rows"),
                new RunInput.Ended(view));
    }

    private static String line(RunInput input) {
        return new String(Json.write(input), UTF_8);
    }

    @Test
    void everyInputIsReadAsItWasWritten() {
        Set<Class<?>> kinds = new HashSet<>(Arrays.asList(RunInput.class.getPermittedSubclasses()));
        for (RunInput input : examples()) {
            kinds.remove(input.getClass());
            assertEquals(line(input), line(Json.read(Json.write(input), RunInput.class)));
        }
        assertEquals(Set.of(), kinds, "kinds without an example");
    }

    /** A coordinator that starts again reads what one of an earlier version has left. The file is never written anew. */
    @Test
    void journalsOfTheFirstVersionAreRead() throws IOException {
        Files.copy(GOLDEN, temp.resolve("r-1.jsonl"));
        try (Journal journal = new Journal(temp)) {
            List<RunInput> inputs = journal.read().get(0);
            assertEquals(
                    examples().stream().map(JournalTest::line).toList(),
                    inputs.stream().map(JournalTest::line).toList());
        }
    }

    @Test
    void aLineThatWasNotWrittenWholeIsAsIfItHadNeverBeen() throws IOException {
        try (Journal journal = new Journal(temp)) {
            Journal.OfRun run = journal.of("r-1");
            examples().forEach(run::append);
            run.close();
            Path file = temp.resolve("r-1.jsonl");
            byte[] whole = Files.readAllBytes(file);
            Files.write(file, Arrays.copyOf(whole, whole.length - 20));
            int left = examples().size() - 1;
            assertEquals(left, journal.read().get(0).size());
            run = journal.of("r-1");
            run.append(new RunInput.Tick());
            run.close();
            List<RunInput> read = journal.read().get(0);
            assertEquals(left + 1, read.size(), "what is appended is no part of the line that was cut");
            assertEquals(new RunInput.Tick(), read.get(left));
        }
    }

    @Test
    void whatIsBehindADamagedLineIsLeftOutAndOtherFilesAreNoJournals() throws IOException {
        List<String> lines = new ArrayList<>(Files.readAllLines(GOLDEN));
        lines.set(3, "{\"input\":\"worker-eaten\"}");
        Files.write(temp.resolve("r-1.jsonl"), lines);
        Files.writeString(temp.resolve("r-2.jsonl"), "{\"input\":\"tick\"}\n");
        Files.writeString(temp.resolve("r-3.jsonl"), "rubbish\n");
        Files.writeString(temp.resolve("notes.txt"), "rubbish\n", StandardOpenOption.CREATE);
        try (Journal journal = new Journal(temp)) {
            List<List<RunInput>> all = journal.read();
            assertEquals(1, all.size());
            assertEquals(3, all.get(0).size());
            UserMistake e = assertThrows(UserMistake.class, () -> new Journal(temp));
            assertTrue(e.getMessage().contains("another coordinator has the journal"), e.getMessage());
        }
    }
}
