package org.unimeros;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertNull;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.math.BigDecimal;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Instant;
import java.time.LocalDate;
import java.util.List;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.engine.error.UserMistake;

/** Fetched rows and first looks, as programs read them. */
class TableTest {

    @TempDir
    Path root;

    private final Settings settings = Settings.defaults().with("runs.folder", "");

    @Test
    void valuesComeInTheirJavaTypes() {
        try (Engine engine = Engine.local(settings)) {
            Result result = engine.sql("select 1 as i, 10000000000 as l, 0.5e0 as d, 1.50 as p, 'x' as t, true as b,"
                            + " date '2031-03-04' as day, timestamp '2031-03-04 05:06:07' as at, null as nothing")
                    .fetch();
            Result.Row row = result.row(0);
            assertEquals(1, row.get("i"));
            assertEquals(10_000_000_000L, row.longValue("l"));
            assertEquals(0.5, row.doubleValue("D"));
            assertEquals(new BigDecimal("1.50"), row.decimal("p"));
            assertEquals("x", row.text("t"));
            assertTrue(row.booleanValue("b"));
            assertEquals(LocalDate.of(2031, 3, 4), row.date("day"));
            assertEquals(Instant.parse("2031-03-04T05:06:07Z"), row.timestamp("at"));
            assertNull(row.text("nothing"));
            assertTrue(row.isNull("nothing"));
            assertEquals("2031-03-04 05:06:07", row.text("at"));
            UserMistake e = assertThrows(UserMistake.class, () -> row.longValue("nothing"));
            assertTrue(e.getMessage().contains("ask isNull first"), e.getMessage());
            assertThrows(UserMistake.class, () -> row.get("other"));
        }
    }

    @Test
    void rowsOfManyBatchesAreFoundByTheirNumber() throws IOException {
        StringBuilder text = new StringBuilder("n\n");
        for (int i = 0; i < 20_000; i++) {
            text.append(i).append('\n');
        }
        Path file = root.resolve("n.csv");
        Files.writeString(file, text);
        try (Engine engine = Engine.local(settings.with("split.target", "8kB"))) {
            Result result = engine.read(file.toString()).fetch();
            assertEquals(20_000, result.size());
            for (int i = 0; i < 20_000; i += 37) {
                assertEquals(i, result.row(i).longValue("n"));
            }
            assertEquals(19_999, result.rows().get(19_999).longValue("n"));
            assertThrows(IndexOutOfBoundsException.class, () -> result.row(20_000));
            assertThrows(IndexOutOfBoundsException.class, () -> result.row(-1));
            assertEquals(0, engine.read(file.toString()).where("n < 0").fetch().size());
        }
    }

    @Test
    void aFirstLookTellsPartitionsFilesBytesAndTroubles() throws IOException {
        for (int i = 0; i < 120; i++) {
            Path file = root.resolve("d/day=" + (i % 3) + "/f" + i + ".csv");
            Files.createDirectories(file.getParent());
            Files.writeString(file, i == 7 ? "" : "x\n" + i + "\n");
        }
        try (Engine engine = Engine.local(settings, root)) {
            DatasetInfo info = engine.inspect("d");
            assertEquals("(x int, day int)", info.schema().toString());
            assertEquals(120, info.files());
            assertEquals(-1, info.rows());
            assertEquals(List.of("day"), info.partitionColumns());
            assertEquals(
                    List.of("day=0", "day=1", "day=2"),
                    info.partitions().stream().map(DatasetInfo.Partition::name).toList());
            assertEquals(
                    info.bytes(),
                    info.partitions().stream()
                            .mapToLong(DatasetInfo.Partition::bytes)
                            .sum());
            assertEquals(2, info.warnings().size(), info.warnings().toString());
            assertTrue(
                    info.warnings().get(1).contains("1 file is empty"),
                    info.warnings().toString());
            engine.read("d").write(root.resolve("p").toString(), as -> as.parquet());
            assertEquals(119, engine.inspect(root.resolve("p").toString()).rows());
            assertEquals(List.of("d"), engine.datasets());
        }
    }
}
