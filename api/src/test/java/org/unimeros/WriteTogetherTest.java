package org.unimeros;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import java.util.stream.Stream;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.run.RunEvent;

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
            Result all = engine.sql(
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
        Run together = write("on", "select * from scans");
        assertEquals(DAYS, together.files());
        assertEquals(List.of(), together.warnings());
        assertEquals(
                DAYS,
                write("auto", "select scan_id, day, weight_g from scans where scan_id >= 0")
                        .files());
    }

    @Test
    void aWriteThatWouldMakeAFolderForEveryRowIsRefusedBeforeItStarts() throws IOException {
        StringBuilder lines = new StringBuilder("scan_id,weight_g\n");
        for (int i = 0; i < 300_000; i++) {
            lines.append(i).append(",7\n");
        }
        Files.writeString(root.resolve("many.csv"), lines);
        try (Engine engine = Engine.local(Settings.defaults().with("runs.folder", ""), root)) {
            List<RunEvent> events = new ArrayList<>();
            engine.watch(events::add);
            String out = root.resolve("out").toString();
            UserMistake refused = assertThrows(
                    UserMistake.class,
                    () -> engine.sql("select scan_id * 3 as id, weight_g from many")
                            .write(out, as -> as.csv().partitionedBy("id")));
            assertTrue(
                    refused.getMessage().startsWith("the rows have more than 200,000 values of id, each of which"),
                    refused.getMessage());
            assertEquals(List.of(), events);
            // Values that come again after very many others are not taken for more than they are.
            assertEquals(
                    13_000,
                    engine.sql("select scan_id % 13000 as id, weight_g from many")
                            .write(
                                    root.resolve("cycle").toString(),
                                    as -> as.csv().partitionedBy("id"))
                            .files());
            assertEquals(
                    100,
                    engine.sql("select scan_id % 100 as id, weight_g from many")
                            .write(out, as -> as.csv().partitionedBy("id"))
                            .files());
        }
    }

    @Test
    void heldRowsAreWrittenByPartitions() {
        try (Engine engine = Engine.local(Settings.defaults().with("runs.folder", ""), root);
                Held held = engine.sql("select * from scans").hold()) {
            Run run = held.rows()
                    .write(root.resolve("held").toString(), as -> as.csv().partitionedBy("day"));
            assertEquals(ROWS, run.rows());
        }
    }

    @Test
    void rowsInAnOrderStayInIt() throws IOException {
        write("on", "select * from scans order by scan_id desc");
        requireDescending();
        // what orders them is not among the columns
        write("on", "select scan_id, day, weight_g from scans order by -scan_id");
        requireDescending();
    }

    private void requireDescending() throws IOException {
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
