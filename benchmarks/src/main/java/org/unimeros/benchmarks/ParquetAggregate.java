package org.unimeros.benchmarks;

import dev.hardwood.HardwoodContext;
import dev.hardwood.InputFile;
import dev.hardwood.metadata.RowGroup;
import dev.hardwood.reader.ColumnReader;
import dev.hardwood.reader.ColumnReaders;
import dev.hardwood.reader.ParquetFileReader;
import dev.hardwood.reader.RowGroupPredicate;
import dev.hardwood.schema.ColumnProjection;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.LocalDate;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import java.util.TreeMap;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import org.unimeros.Engine;
import org.unimeros.Result;
import org.unimeros.Settings;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.storage.dataset.Formats;
import org.unimeros.storage.format.FileWriter;
import org.unimeros.storage.format.FormatOptions;
import org.unimeros.storage.store.StorePath;

/**
 * Ten million scans in one Parquet file: the heavy ones counted and weighed by depot and day. The hand-written program
 * uses the same library to read, one thread per slot with row groups shared out, and primitive tables made for these two
 * keys.
 */
final class ParquetAggregate extends Entry {

    private static final int DEPOTS = 40;
    private static final int DAYS = 30;
    private static final int FIRST_DAY = (int) LocalDate.of(2031, 3, 1).toEpochDay();
    private static final int LIGHTEST = 10_000;
    private static final Schema SCHEMA = Schema.of(
            Field.of("scan_id", DataType.LONG),
            Field.of("depot_id", DataType.TEXT),
            Field.of("day", DataType.DATE),
            Field.of("weight_g", DataType.INT));

    private final Path file;
    private final long rows;

    ParquetAggregate(Path folder, long rows) {
        super(
                "parquet-aggregate",
                String.format("%,d rows of Parquet, filtered, count and sum by depot and day", rows),
                rows,
                folder.resolve("scans-" + rows + ".parquet"));
        this.file = folder.resolve("scans-" + rows + ".parquet");
        this.rows = rows;
    }

    @Override
    void prepare() throws IOException {
        if (Files.exists(file)) {
            return;
        }
        Files.createDirectories(file.toAbsolutePath().getParent());
        Path part = file.resolveSibling("unfinished");
        SplittableRandom random = new SplittableRandom(7);
        BatchBuilder batch = new BatchBuilder(SCHEMA);
        try (FileWriter out =
                new Formats().byName("parquet").write(StorePath.of(part), SCHEMA, FormatOptions.DEFAULTS)) {
            for (long i = 0; i < rows; i++) {
                batch.column(0).appendLong(i);
                batch.column(1).appendText("D" + (10 + random.nextInt(DEPOTS)));
                batch.column(2).appendInt(FIRST_DAY + random.nextInt(DAYS));
                batch.column(3).appendInt(random.nextInt(31_000));
                batch.endRow();
                if (batch.rowCount() == Batch.TARGET_ROWS || i == rows - 1) {
                    out.write(batch.build());
                }
                if (i % 1_000_000 == 999_999) {
                    out.flush();
                }
            }
            out.finish();
        }
        Files.move(part, file);
    }

    /** Count and sum of weights by depot and day. */
    @Override
    Map<String, String> ours(int slots) {
        Settings settings = Settings.defaults()
                .with("slots", String.valueOf(slots))
                .with("runs.folder", "")
                .with("split.target", "4MB");
        try (Engine engine = Engine.local(settings)) {
            Result table = engine.sql("select depot_id, day, count(*) as n, sum(weight_g) as grams from dataset('"
                            + file + "') where weight_g >= " + LIGHTEST + " group by depot_id, day")
                    .fetch();
            Map<String, String> result = new TreeMap<>();
            table.rows()
                    .forEach(r -> result.put(
                            r.text("depot_id") + " " + r.text("day"), r.longValue("n") + " " + r.longValue("grams")));
            return result;
        }
    }

    /** The same by a program for this alone. Depots are "D10" to "D49", so two digits are a perfect hash. */
    @Override
    Map<String, String> handWritten(int threads) throws Exception {
        List<long[]> ranges = ranges();
        long[][] counts = new long[threads][100 * DAYS];
        long[][] sums = new long[threads][100 * DAYS];
        ExecutorService pool = Executors.newFixedThreadPool(threads);
        List<Future<?>> futures = new ArrayList<>();
        for (int t = 0; t < threads; t++) {
            int thread = t;
            futures.add(pool.submit(() -> {
                for (int i = thread; i < ranges.size(); i += threads) {
                    aggregate(ranges.get(i), counts[thread], sums[thread]);
                }
                return null;
            }));
        }
        for (Future<?> future : futures) {
            future.get();
        }
        pool.shutdown();
        Map<String, String> result = new TreeMap<>();
        for (int slot = 0; slot < 100 * DAYS; slot++) {
            long n = 0;
            long grams = 0;
            for (int t = 0; t < threads; t++) {
                n += counts[t][slot];
                grams += sums[t][slot];
            }
            if (n > 0) {
                String day = LocalDate.ofEpochDay(FIRST_DAY + slot % DAYS).toString();
                result.put("D" + slot / DAYS + " " + day, n + " " + grams);
            }
        }
        return result;
    }

    private List<long[]> ranges() throws IOException {
        try (HardwoodContext context = HardwoodContext.create(1);
                ParquetFileReader reader = ParquetFileReader.open(InputFile.of(file), context)) {
            List<RowGroup> groups = reader.getFileMetaData().rowGroups();
            List<long[]> ranges = new ArrayList<>();
            for (int g = 0; g < groups.size(); g++) {
                long start = groups.get(g).columns().get(0).chunkStartOffset();
                long end = g + 1 < groups.size()
                        ? groups.get(g + 1).columns().get(0).chunkStartOffset()
                        : Files.size(file);
                ranges.add(new long[] {start, end});
            }
            return ranges;
        }
    }

    private void aggregate(long[] range, long[] counts, long[] sums) throws IOException {
        try (HardwoodContext context = HardwoodContext.create(1);
                ParquetFileReader reader = ParquetFileReader.open(InputFile.of(file), context);
                ColumnReaders columns = reader.buildColumnReaders(
                                ColumnProjection.columns("depot_id", "day", "weight_g"))
                        .filter(RowGroupPredicate.byteRange(range[0], range[1]))
                        .batchSize(16_384)
                        .build()) {
            ColumnReader depots = columns.getColumnReader("depot_id");
            ColumnReader days = columns.getColumnReader("day");
            ColumnReader weights = columns.getColumnReader("weight_g");
            while (columns.nextBatch()) {
                int n = columns.getRecordCount();
                byte[] bytes = depots.getBinaryValues();
                int[] offsets = depots.getBinaryOffsets();
                int[] day = days.getInts();
                int[] weight = weights.getInts();
                for (int i = 0; i < n; i++) {
                    if (weight[i] >= LIGHTEST) {
                        int at = offsets[i];
                        int slot = ((bytes[at + 1] - '0') * 10 + (bytes[at + 2] - '0')) * DAYS + day[i] - FIRST_DAY;
                        counts[slot]++;
                        sums[slot] += weight[i];
                    }
                }
            }
        }
    }
}
