package org.unimeros;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import java.util.stream.Stream;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** How many files a dataset of many partitions gets. */
class WriteTogetherTest {

    private static final int DAYS = 40;
    private static final int ROWS = 4_000;

    @TempDir
    Path root;

    @BeforeEach
    void makeInput() throws IOException {
        String lines = IntStream.range(0, ROWS)
                .mapToObj(i -> i + "," + i % DAYS + "," + i * 7 % 1000)
                .collect(Collectors.joining("\n", "scan_id,day,weight_g\n", "\n"));
        Files.writeString(root.resolve("scans.csv"), lines);
    }

    private Run write(String together, String query) {
        Settings settings = Settings.defaults()
                .with("runs.folder", "")
                .with("split.target", "4kB")
                .with("write.together", together);
        try (Engine engine = Engine.local(settings, root)) {
            Run run = engine.sql(query)
                    .write(
                            root.resolve("days").toString(),
                            as -> as.csv().partitionedBy("day").replacing());
            Table all = engine.sql(
                            "select count(*), count(distinct scan_id), sum(weight_g), count(distinct day) from days")
                    .fetch();
            long weight = IntStream.range(0, ROWS).mapToLong(i -> i * 7 % 1000).sum();
            assertEquals(
                    ROWS + " | " + ROWS + " | " + weight + " | " + DAYS,
                    all.row(0).toString());
            return run;
        }
    }

    @Test
    void eachPartitionGetsOneFileAndNotOneOfEachTask() {
        Run apart = write("off", "select * from scans");
        assertTrue(apart.files() > 5 * DAYS, apart.files() + " files");
        assertTrue(
                apart.warnings().toString().contains("set write.together to on"),
                apart.warnings().toString());
        assertEquals(DAYS, write("on", "select * from scans").files());
    }

    @Test
    void rowsInAnOrderStayInIt() throws IOException {
        write("on", "select * from scans order by scan_id desc");
        try (Stream<Path> files = Files.walk(root.resolve("days/day=7"))) {
            for (Path file : files.filter(f -> f.toString().endsWith(".csv")).toList()) {
                int[] ids = Files.readAllLines(file).stream()
                        .skip(1)
                        .mapToInt(line -> Integer.parseInt(line.split(",")[0]))
                        .toArray();
                for (int i = 1; i < ids.length; i++) {
                    assertTrue(ids[i] < ids[i - 1], file + ": " + ids[i - 1] + " before " + ids[i]);
                }
            }
        }
    }
}
