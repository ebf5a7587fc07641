package org.unimeros.cli;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** A program of a user shows the user's own line when something is wrong. */
class TracesTest {

    private static final String PROGRAM = """
            import org.unimeros.Engine;

            public class Mistaken {
                public static void main(String[] args) {
                    try (Engine engine = Engine.local()) {
                        engine.sql(args[0]).fetch();
                    }
                }
            }
            """;

    @TempDir
    Path folder;

    private List<String> traceOf(String query) throws IOException, InterruptedException {
        Path source = folder.resolve("Mistaken.java");
        Files.writeString(source, PROGRAM);
        Path err = folder.resolve("err");
        Process process = new ProcessBuilder(
                        Path.of(System.getProperty("java.home"), "bin", "java").toString(),
                        "-cp",
                        System.getProperty("java.class.path"),
                        source.toString(),
                        query)
                .directory(folder.toFile())
                .redirectError(err.toFile())
                .start();
        assertTrue(process.waitFor(2, TimeUnit.MINUTES), "it ends");
        return Files.readAllLines(err).stream()
                .filter(line -> line.startsWith("\tat "))
                .toList();
    }

    @Test
    void theFirstFrameIsThatOfTheProgram() throws IOException, InterruptedException {
        for (String query : List.of("select nosuch from (values (1)) t(x)", "select 1 / x from (values (0)) t(x)")) {
            List<String> trace = traceOf(query);
            assertEquals("\tat Mistaken.main(Mistaken.java:6)", trace.get(0), query);
            assertTrue(trace.stream().noneMatch(line -> line.contains("org.unimeros")), trace.toString());
        }
    }
}
