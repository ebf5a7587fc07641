package org.unimeros.storage.format.parquet;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.Arrays;
import java.util.List;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.UnimerosException;
import org.unimeros.engine.source.BatchReader;
import org.unimeros.engine.source.ReadContext;
import org.unimeros.storage.format.ColumnSpec;
import org.unimeros.storage.format.DataFile;
import org.unimeros.storage.format.FileWriter;
import org.unimeros.storage.format.FormatOptions;
import org.unimeros.storage.format.Piece;
import org.unimeros.storage.store.StorePath;

/** Files cut off or with changed bytes give an error of one line, or their rows; never anything else, and always an end. */
class DamagedFileTest {

    private static final List<ColumnSpec> COLUMNS = List.of(ColumnSpec.of("id", DataType.LONG));

    @TempDir
    Path folder;

    private final ParquetFormat format = new ParquetFormat(Duration.ofSeconds(4));

    private byte[] good() throws IOException {
        Path path = folder.resolve("good.parquet");
        Schema schema = Schema.of(Field.of("id", DataType.LONG));
        try (FileWriter writer = format.write(StorePath.of(path), schema, FormatOptions.DEFAULTS)) {
            for (int group = 0; group < 3; group++) {
                long[] ids = new long[200];
                Arrays.setAll(ids, i -> i % 17);
                writer.write(new Batch(200, new LongColumn(ids, null)));
                writer.flush();
            }
            writer.finish();
        }
        return Files.readAllBytes(path);
    }

    private String read(String name, byte[] bytes) throws IOException {
        Path path = folder.resolve(name);
        Files.write(path, bytes);
        DataFile file = new DataFile(StorePath.of(path), bytes.length, 1);
        int rows = 0;
        try {
            for (Piece piece : format.pieces(file, COLUMNS, List.of(), 1000).pieces()) {
                try (BatchReader reader = format.read(piece, COLUMNS, FormatOptions.DEFAULTS, ReadContext.STRICT)) {
                    for (Batch batch = reader.next(); batch != null; batch = reader.next()) {
                        rows += batch.rowCount();
                    }
                }
            }
        } catch (UnimerosException e) {
            assertTrue(e.getMessage().contains(path.toString()), e.getMessage());
            assertEquals(-1, e.getMessage().indexOf('\n'), e.getMessage());
            return "refused";
        }
        return rows + " rows";
    }

    @Test
    void aFileThatIsCutOffIsRefused() throws IOException {
        byte[] good = good();
        assertEquals("600 rows", read("whole.parquet", good));
        Random random = new Random(1);
        for (int i = 0; i < 40; i++) {
            int length = 1 + random.nextInt(good.length - 1);
            assertEquals("refused", read("cut-" + i + ".parquet", Arrays.copyOf(good, length)), "cut at " + length);
        }
    }

    @Test
    void aFileWithChangedBytesIsRefusedOrRead() throws IOException {
        byte[] good = good();
        Random random = new Random(2);
        for (int i = 0; i < 40; i++) {
            byte[] bad = good.clone();
            bad[random.nextInt(bad.length)] ^= (byte) (1 << random.nextInt(8));
            String outcome = read("changed-" + i + ".parquet", bad);
            assertTrue(outcome.equals("refused") || outcome.equals("600 rows"), outcome);
        }
    }
}
