package org.unimeros.cli;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.File;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Random;
import java.util.concurrent.TimeUnit;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** Real processes, killed at any moment: the dataset is as before or as after, and the next run cleans up. */
class KilledJobTest {

    private static final int KILLS = Integer.getInteger("unimeros.kills", 12);

    @TempDir
    Path root;

    private ProcessBuilder job(String value) {
        List<String> command = new ArrayList<>(List.of(
                Path.of(System.getProperty("java.home"), "bin", "java").toString(),
                "-Xshare:auto",
                "-XX:TieredStopAtLevel=1",
                "--enable-native-access=ALL-UNNAMED",
                "-cp",
                System.getProperty("java.class.path"),
                "org.unimeros.cli.Main",
                "query",
                "select id, part, '" + value + "' as value from dataset('" + root.resolve("in.csv") + "')",
                "--to",
                root.resolve("target").toString(),
                "--as",
                "csv",
                "--by",
                "part",
                "--mode",
                "replace-partitions",
                "--set",
                "split.target=64kB"));
        return new ProcessBuilder(command)
                .directory(root.toFile())
                .redirectErrorStream(true)
                .redirectOutput(new File(root.toFile(), "job.log"));
    }

    private String seen() {
        Commands.Result result = Commands.run(
                Terminal.NONE,
                "query",
                "select value, count(*) as n, count(id) as ids from dataset('" + root.resolve("target")
                        + "') group by value order by value",
                "--csv");
        assertEquals(0, result.code(), result.err());
        return result.out();
    }

    @Test
    void aJobKilledAtAnyMomentLeavesTheDatasetAsBeforeOrAsAfter() throws Exception {
        StringBuilder lines = new StringBuilder("id,part\n");
        for (int i = 0; i < 20_000; i++) {
            lines.append(i).append(',').append(i % 20).append('\n');
        }
        Files.writeString(root.resolve("in.csv"), lines);
        Process first = job("v0").start();
        assertTrue(first.waitFor(60, TimeUnit.SECONDS));
        long start = System.nanoTime();
        assertTrue(job("v0").start().waitFor(60, TimeUnit.SECONDS));
        long wholeMillis = (System.nanoTime() - start) / 1_000_000;
        String before = "value,n,ids\nv0,20000,20000\n";
        assertEquals(before, seen());
        Random random = new Random(4);
        int killedInTime = 0;
        for (int i = 1; i <= KILLS; i++) {
            String after = before.replaceAll("v\\d+", "v" + i);
            Process process = job("v" + i).start();
            boolean ended =
                    process.waitFor(wholeMillis / 3 + random.nextLong(wholeMillis * 3 / 4), TimeUnit.MILLISECONDS);
            process.destroyForcibly().waitFor();
            String seen = seen();
            assertTrue(seen.equals(before) || seen.equals(after), seen);
            killedInTime += ended ? 0 : 1;
            before = seen;
        }
        assertTrue(killedInTime > 0, "no process was killed in time");
        Process last = job("v99").start();
        assertTrue(last.waitFor(60, TimeUnit.SECONDS));
        assertEquals("value,n,ids\nv99,20000,20000\n", seen());
        assertEquals(List.of("generation", "publish.lock", "published"), leftBehind());
    }

    private List<String> leftBehind() throws IOException {
        try (Stream<Path> all = Files.walk(root.resolve("target/_unimeros"))) {
            return all.filter(Files::isRegularFile)
                    .filter(f -> !f.toString().contains("/_unimeros/replaced/"))
                    .map(f -> f.getFileName().toString())
                    .sorted()
                    .toList();
        }
    }
}
