package org.unimeros.cli;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.condition.DisabledOnOs;
import org.junit.jupiter.api.condition.OS;
import org.junit.jupiter.api.io.TempDir;

/** External programs from the command line. */
@DisabledOnOs(OS.WINDOWS)
class MapReduceCommandTest {

    @TempDir
    Path root;

    private Commands.Result run(String... more) throws IOException {
        Files.writeString(root.resolve("notes.txt"), "left at door\nring twice\nleft at porch\n");
        List<String> arguments = new ArrayList<>(List.of(
                "mapreduce",
                "--set",
                "runs.folder=" + root.resolve("runs"),
                "--set",
                "memory.scratch=" + root.resolve("scratch")));
        arguments.addAll(List.of(more));
        arguments.add(root.resolve("notes.txt").toString());
        arguments.add(root.resolve("out").toString());
        return Commands.run(Terminal.NONE, arguments.toArray(String[]::new));
    }

    private List<String> written() throws IOException {
        List<String> lines = new ArrayList<>();
        try (Stream<Path> files = Files.list(root.resolve("out"))) {
            for (Path file :
                    files.filter(f -> f.toString().endsWith(".txt")).sorted().toList()) {
                lines.addAll(Files.readAllLines(file));
            }
        }
        return lines;
    }

    @Test
    void linesOfTheReducersAreTheFiles() throws IOException {
        Files.writeString(root.resolve("count.awk"), "{n[$1]++} END {for (w in n) print w, n[w]}");
        Commands.Result result = run(
                "--mapper",
                "tr ' ' '\\n'",
                "--reducer",
                "awk -f count.awk; echo '{\"group\": \"reducers\", \"name\": \"done\", \"add\": 1}' >> $UNIMEROS_COUNTERS",
                "--reducers",
                "2",
                "--attach",
                root.resolve("count.awk").toString());
        assertEquals(0, result.code(), result.err());
        assertEquals("", result.out());
        assertTrue(result.err().contains("reducers done 2"), result.err());
        assertEquals(
                List.of("at 2", "door 1", "left 2", "porch 1", "ring 1", "twice 1"),
                written().stream().sorted().toList());
    }

    @Test
    void theRecordTellsWhatProgramsDidWithText() throws IOException {
        assertEquals(0, run("--mapper", "tr ' ' '\\n'", "--reducer", "cat").code());
        Commands.Result plan = Commands.run(
                Terminal.NONE, "explain", "--record", "last", "--set", "runs.folder=" + root.resolve("runs"));
        assertEquals(0, plan.code(), plan.err());
        assertTrue(plan.out().contains("map (tr ' ' '\\n') text to keys text and values text"), plan.out());
        assertTrue(plan.out().contains("reduce (cat) text by text to text, ordered by key"), plan.out());
    }

    @Test
    void aProgramThatFailsIsAMistakeInOneLine() throws IOException {
        Commands.Result result =
                run("--mapper", "cat", "--reducer", "cat > /dev/null; echo no map of the depot >&2; exit 4");
        assertEquals(ExitCode.USER_MISTAKE, result.code());
        assertEquals(
                "unimeros: the reducer program ended with the exit code 4 (cat > /dev/null; echo no map of the depot >&2;"
                        + " exit 4); it said: no map of the depot\n",
                result.err());
        assertFalse(Files.exists(root.resolve("out")) && !written().isEmpty());
    }
}
