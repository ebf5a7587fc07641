package org.unimeros.storage.dataset;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.LocalDate;
import java.util.ArrayList;
import java.util.List;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.source.BatchReader;
import org.unimeros.engine.source.ReadContext;
import org.unimeros.engine.source.ScanRequest;
import org.unimeros.engine.source.Split;

/** Many small files in one split: their rows come in the order of the files, in batches worth the name. */
class SmallFilesTest {

    @TempDir
    Path root;

    private void write(int file, int rows) throws IOException {
        Path folder = root.resolve("scans/day=2031-03-0" + (1 + file / 100));
        Files.createDirectories(folder);
        StringBuilder text = new StringBuilder();
        for (int i = 0; i < rows; i++) {
            text.append("{\"scan_id\": ")
                    .append(file * 10_000 + i)
                    .append(", \"depot\": \"D")
                    .append(i % 3);
            text.append("\"}\n");
        }
        Files.writeString(folder.resolve(String.format("f%03d.jsonl", file)), text);
    }

    private record Read(List<List<Object>> rows, List<Integer> batches) {}

    private Read read(Split split, Schema schema) {
        List<List<Object>> rows = new ArrayList<>();
        List<Integer> batches = new ArrayList<>();
        try (BatchReader reader = split.open(ReadContext.STRICT)) {
            for (Batch batch = reader.next(); batch != null; batch = reader.next()) {
                batches.add(batch.rowCount());
                for (int i = 0; i < batch.rowCount(); i++) {
                    List<Object> row = new ArrayList<>();
                    for (int c = 0; c < schema.size(); c++) {
                        row.add(Values.get(batch.column(c), i, schema.field(c).type()));
                    }
                    rows.add(row);
                }
            }
        }
        return new Read(rows, batches);
    }

    private Dataset open() {
        return Dataset.open(DatasetSpec.of("scans", root.resolve("scans")), new Formats());
    }

    private Split onlySplit(Dataset dataset) {
        List<Split> splits = dataset.plan(new ScanRequest(List.of(0, 1, 2), List.of(), 64 << 20))
                .splits();
        assertEquals(1, splits.size());
        return splits.get(0);
    }

    @Test
    void rowsComeInTheOrderOfTheFilesWithTheirPartitions() throws IOException {
        List<List<Object>> expected = new ArrayList<>();
        for (int file = 0; file < 250; file++) {
            // Among small ones stand a large file and an empty one.
            int rows = file == 120 ? 9000 : file == 77 ? 0 : 1 + file % 5;
            write(file, rows);
            for (int i = 0; i < rows; i++) {
                expected.add(List.of(file * 10_000 + i, "D" + i % 3, LocalDate.of(2031, 3, 1 + file / 100)));
            }
        }
        Dataset dataset = open();
        Read read = read(onlySplit(dataset), dataset.schema());
        assertEquals(expected, read.rows);
        assertTrue(read.batches.size() < 20, read.batches.toString());
    }

    @Test
    void whoeverWantsAFewRowsDoesNotMeetTheTroubleOfLaterFiles() throws IOException {
        for (int file = 0; file < 90; file++) {
            write(file, 2);
        }
        Dataset dataset = open();
        Files.writeString(root.resolve("scans/day=2031-03-01/f080.jsonl"), "not json\n");
        Split split = onlySplit(dataset);
        try (BatchReader reader = split.open(ReadContext.STRICT)) {
            assertEquals(2, reader.next().rowCount());
            assertEquals(4, reader.next().rowCount());
        }
        assertTrue(assertThrows(BadData.class, () -> read(split, dataset.schema()))
                .getMessage()
                .contains("f080.jsonl:1"));
    }
}
