package org.unimeros.cli;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.File;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
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

    /** Also in the middle of a step that makes very many pairs of few rows and passes none of them on. */
    @Test
    void aJobThatIsAskedToEndIsCancelledAndSaysSo() throws Exception {
        String pairs = "select a.x from unnest(series(1, 60000)) as a(x) join unnest(series(1, 60000)) as b(y)"
                + " on sqrt(a.x + b.y) < 0";
        ProcessBuilder job = job("v");
        List<String> command = job.command();
        command.set(command.indexOf("query") + 1, pairs);
        command.subList(command.indexOf("--by"), command.indexOf("--set")).clear();
        Process process = job.start();
        Path staging = root.resolve("target/_unimeros/staging");
        while (process.isAlive() && !hasFiles(staging)) {
            Thread.sleep(20);
        }
        process.destroy();
        assertTrue(process.waitFor(120, TimeUnit.SECONDS));
        String said = Files.readString(root.resolve("job.log"));
        assertEquals(143, process.exitValue(), said);
        assertTrue(said.contains("unimeros: interrupted; what is under way is cancelled"), said);
        assertTrue(!hasFiles(staging), "something was left in staging");
    }

    private static boolean hasFiles(Path folder) throws IOException {
        if (!Files.exists(folder)) {
            return false;
        }
        try (Stream<Path> files = Files.walk(folder)) {
            return files.anyMatch(Files::isRegularFile);
        } catch (UncheckedIOException | NoSuchFileException e) {
            return hasFiles(folder);
        }
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
        assertEquals(List.of(".changing", "generation", "publish.lock", "published"), leftBehind());
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
