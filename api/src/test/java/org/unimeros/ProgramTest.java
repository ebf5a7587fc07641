package org.unimeros;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import java.util.stream.Collectors;
import java.util.stream.Stream;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.api.condition.DisabledOnOs;
import org.junit.jupiter.api.condition.OS;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.code.Program;
import org.unimeros.engine.error.UserMistake;

/** Programs that read and write lines, as mappers, combiners and reducers. */
@Timeout(60)
@DisabledOnOs(OS.WINDOWS)
class ProgramTest {

    private static final String[] WORDS = {"fragile", "leave", "at", "door", "ring", "twice", "größer"};

    private static final Program SPLIT = Program.shell("tr ' ' '\\n'");
    private static final Program COUNT =
            Program.shell("awk -F'\\t' '$1 != k {if (NR > 1) print k \" \" n; k = $1; n = 0} {n += $2 == \"\" ? 1 : $2}"
                    + " END {if (NR) print k \" \" n}'");

    @TempDir
    Path folder;

    private Engine engine;

    @BeforeEach
    void open() {
        engine = Engine.local(Settings.defaults()
                .with("slots", "2")
                .with("runs.folder", "")
                .with("memory.scratch", folder.resolve("scratch").toString())
                .with("split.target", "200kB"));
    }

    @AfterEach
    void close() {
        engine.close();
    }

    private Records<String> notes(int lines, Map<String, Long> expected) throws IOException {
        Random random = new Random(5);
        StringBuilder text = new StringBuilder();
        for (int i = 0; i < lines; i++) {
            for (int w = 0; w < 1 + random.nextInt(9); w++) {
                String word = WORDS[random.nextInt(WORDS.length)];
                text.append(w == 0 ? "" : " ").append(word);
                expected.merge(word, 1L, Long::sum);
            }
            text.append('\n');
        }
        Files.writeString(folder.resolve("notes.txt"), text);
        return engine.read(folder.resolve("notes.txt").toString()).as(String.class);
    }

    private static Map<String, Long> counts(List<String> lines) {
        return lines.stream()
                .map(l -> l.split(" "))
                .collect(Collectors.toMap(l -> l[0], l -> Long.parseLong(l[1]), (a, b) -> -1L, TreeMap::new));
    }

    @Test
    void wordsAreCountedByTwoPrograms() throws IOException {
        Map<String, Long> expected = new TreeMap<>();
        MapReduce<String, String> pairs = notes(50_000, expected)
                .mapReduce(String.class, String.class, SPLIT.mapper())
                .reducers(3);
        assertEquals(
                expected, counts(pairs.reduce(String.class, COUNT.reducer()).fetch()));
        String plan =
                pairs.reduce(String.class, Program.of("cat").reducer()).rows().explain();
        assertTrue(
                plan.contains("map (tr ' ' '\\n') String to keys String")
                        && plan.contains("reduce (cat) String by String"),
                plan);
        Program combining = Program.shell("awk '{n[$1]++} END {for (w in n) print w \"\\t\" n[w]}'");
        assertEquals(
                expected,
                counts(pairs.combine(combining.combiner())
                        .reduce(String.class, COUNT.reducer())
                        .fetch()));
    }

    @Test
    void aProgramThatWritesFarMoreThanItReadsDoesNotStall() throws IOException {
        Program many =
                Program.of("awk", "{for (i = 0; i < 2000; i++) print i % 7 \"\\tsome value that is rather long\"}");
        List<String> counts = notes(300, new TreeMap<>())
                .mapReduce(String.class, String.class, many.mapper())
                .reducers(2)
                .reduce(
                        String.class,
                        Program.shell("awk -F'\\t' '{n[$1]++} END {for (k in n) print k, n[k]}'")
                                .reducer())
                .fetch();
        assertEquals(7, counts.size());
        assertEquals(600_000, counts(counts).values().stream().mapToLong(n -> n).sum());
    }

    @Test
    void otherSeparatorsAndCountersOfAProgram() throws IOException {
        Files.writeString(folder.resolve("scans.txt"), "D1;3\nD2;4\nD1;5\n");
        Program mapper = Program.shell(
                        "tee /dev/stderr | sed 's/;/=>/' ; echo '{\"group\": \"scans\", \"name\": \"seen\", \"add\": 3}' >> $UNIMEROS_COUNTERS")
                .separatedBy("=>");
        Result table = engine.read(folder.resolve("scans.txt").toString())
                .as(String.class)
                .mapReduce(String.class, String.class, mapper.mapper())
                .reducers(1)
                .reduce(String.class, (key, values, out) -> out.add(key + ":" + String.join("+", values)))
                .rows()
                .fetch();
        assertEquals(
                List.of("D1:3+5", "D2:4"),
                table.rows().stream().map(r -> r.get(0)).toList());
        assertEquals(3, table.run().counter("scans", "seen"));
    }

    @Test
    void countersThatAreNoneAreToldOf() throws IOException {
        Files.writeString(folder.resolve("scans.txt"), "D1\n");
        for (String[] programAndMessage : new String[][] {
            {"cat; echo counter:scans,seen,3 >&2", "in the file that the variable UNIMEROS_COUNTERS names"},
            {"cat; echo '{\"group\": \"scans\"}' > $UNIMEROS_COUNTERS", "has written a counter that is none"},
            {"cat; echo scans > $UNIMEROS_COUNTERS", "has written a counter that is none: scans"},
        }) {
            UserMistake e = assertThrows(
                    UserMistake.class,
                    () -> engine.read(folder.resolve("scans.txt").toString())
                            .as(String.class)
                            .mapReduce(
                                    String.class,
                                    String.class,
                                    Program.shell(programAndMessage[0]).mapper())
                            .reduce(String.class, (key, values, out) -> out.add(key))
                            .fetch());
            assertTrue(e.getMessage().contains(programAndMessage[1]), e.getMessage());
        }
    }

    @Test
    void attachedFilesLieWhereTheProgramRuns() throws IOException {
        Path zones = Files.writeString(folder.resolve("zones.txt"), "fragile near\nring far\n");
        engine.attach("zones.txt", zones);
        Program mapper = Program.of("awk", "NR == FNR {z[$1] = $2; next} $1 in z {print z[$1]}", "zones.txt", "-");
        Map<String, Long> expected = new TreeMap<>();
        Files.writeString(folder.resolve("words.txt"), "fragile\nring\nring\ndoor\n");
        List<String> zoned = engine.read(folder.resolve("words.txt").toString())
                .as(String.class)
                .mapReduce(String.class, String.class, mapper.mapper())
                .reducers(1)
                .reduce(String.class, COUNT.reducer())
                .fetch();
        expected.put("far", 2L);
        expected.put("near", 1L);
        assertEquals(expected, counts(zoned));
    }

    private String failure(Program mapper) throws IOException {
        Records<String> result = notes(30_000, new TreeMap<>())
                .mapReduce(String.class, String.class, mapper.mapper())
                .reducers(1)
                .reduce(String.class, COUNT.reducer());
        return assertThrows(UserMistake.class, result::fetch).getMessage();
    }

    private static Set<String> filesOfCounters() throws IOException {
        try (Stream<Path> files = Files.list(Path.of(System.getProperty("java.io.tmpdir")))) {
            return files.map(file -> file.getFileName().toString())
                    .filter(name -> name.startsWith("unimeros-counters-"))
                    .collect(Collectors.toCollection(TreeSet::new));
        }
    }

    @Test
    void whatGoesWrongIsToldWithTheProgram() throws IOException, InterruptedException {
        Set<String> before = filesOfCounters();
        assertTrue(failure(Program.of("no-such-program", "x"))
                .startsWith("the mapper program cannot be started: no-such-program x: "));
        assertEquals(
                "the mapper program ended with the exit code 3 (cat > /dev/null; echo \"a bad scan\" >&2; exit 3); it said:"
                        + " a bad scan",
                failure(Program.shell("cat > /dev/null; echo \"a bad scan\" >&2; exit 3")));
        assertTrue(failure(Program.shell("head -n 1"))
                .startsWith("the mapper program ended before it had read all of its input; let it read to the end"));
        String silent = failure(Program.shell("sleep 50").limitedTo(Duration.ofMillis(300)));
        assertTrue(silent.startsWith("the mapper program has neither read nor written anything for 0.3 s"), silent);
        for (int i = 0; i < 200 && sleeps(); i++) {
            Thread.sleep(50);
        }
        assertFalse(sleeps(), "the program still runs");
        assertEquals(before, filesOfCounters());
    }

    private static boolean sleeps() {
        return ProcessHandle.current()
                .descendants()
                .anyMatch(p -> p.info().command().orElse("").endsWith("sleep"));
    }

    @Test
    void aCommandIsCheckedWhenItIsGiven() {
        assertThrows(UserMistake.class, () -> Program.of());
        assertThrows(UserMistake.class, () -> Program.shell(" "));
        assertThrows(UserMistake.class, () -> SPLIT.separatedBy(""));
        assertThrows(UserMistake.class, () -> SPLIT.limitedTo(Duration.ZERO));
    }
}
