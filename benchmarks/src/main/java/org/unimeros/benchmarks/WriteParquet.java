package org.unimeros.benchmarks;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.LocalDate;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import java.util.stream.IntStream;
import org.unimeros.Engine;
import org.unimeros.Settings;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.storage.commit.DatasetSink;
import org.unimeros.storage.commit.WriteMode;
import org.unimeros.storage.commit.WriteSpec;
import org.unimeros.storage.dataset.Formats;
import org.unimeros.storage.format.FileWriter;
import org.unimeros.storage.format.FormatOptions;
import org.unimeros.storage.store.StorePath;

/**
 * Scans of eight columns in memory, written as Parquet by day. The hand-written program sorts the numbers of the rows by day
 * and hands the rows of each to the writer of the format, days shared out to threads.
 */
final class WriteParquet extends Entry {

    private static final int DAYS = 30;
    /** Each writes a file a day. */
    private static final int TASKS = 8;

    private static final int FIRST_DAY = (int) LocalDate.of(2031, 3, 1).toEpochDay();
    private static final List<String> NAMES =
            List.of("scan_id", "depot", "kind", "at", "weight_g", "fee", "share", "day");
    private static final List<String> KINDS = List.of("load", "unload", "sort", "hand over", "return");

    private final Path folder;
    private final int rows;
    private List<MemoryTable.Values> columns;
    private int[] days;
    private MemoryTable scans;

    WriteParquet(Path folder, int rows) {
        super(
                "write-parquet",
                String.format("%,d rows of eight columns written as Parquet by %d days", rows, DAYS),
                rows,
                null);
        this.folder = folder;
        this.rows = rows;
    }

    @Override
    void prepare() {
        SplittableRandom random = new SplittableRandom(37);
        long[] ids = new long[rows];
        int[] depots = new int[rows];
        int[] kinds = new int[rows];
        long[] times = new long[rows];
        int[] weights = new int[rows];
        long[] fees = new long[rows];
        double[] shares = new double[rows];
        days = new int[rows];
        for (int i = 0; i < rows; i++) {
            ids[i] = i;
            depots[i] = random.nextInt(40);
            kinds[i] = random.nextInt(KINDS.size());
            days[i] = FIRST_DAY + random.nextInt(DAYS);
            times[i] = days[i] * 86_400_000_000L + random.nextInt(86_400) * 1_000_000L;
            weights[i] = random.nextInt(31_000);
            fees[i] = random.nextInt(30_000);
            shares[i] = random.nextInt(1000) / 1000.0;
        }
        List<String> depotNames = IntStream.range(10, 50).mapToObj(d -> "D" + d).toList();
        columns = List.of(
                MemoryTable.longs(ids),
                MemoryTable.texts(depots, depotNames),
                MemoryTable.texts(kinds, KINDS),
                MemoryTable.longs(DataType.TIMESTAMP, times),
                MemoryTable.ints(DataType.INT, weights),
                MemoryTable.longs(new DataType.Decimal(10, 2), fees),
                MemoryTable.doubles(shares),
                MemoryTable.ints(DataType.DATE, days));
    }

    @Override
    void prepareOurs() {
        scans = new MemoryTable("scans", NAMES, columns, rows, TASKS);
    }

    @Override
    Object ours(int slots) throws Exception {
        Path to = empty("written-by-the-engine");
        WriteSpec spec = new WriteSpec(
                StorePath.of(to),
                new Formats().byName("parquet"),
                FormatOptions.DEFAULTS,
                List.of("day"),
                WriteMode.REPLACE);
        MemoryTable.write(
                "select * from scans",
                Map.of("scans", scans),
                schema -> new DatasetSink(spec, schema, "benchmark"),
                slots,
                folder.resolve("scratch"));
        return readBack(to);
    }

    @Override
    Object handWritten(int threads) throws Exception {
        Path to = empty("written-by-hand");
        int[] starts = new int[DAYS + 1];
        for (int day : days) {
            starts[day - FIRST_DAY + 1]++;
        }
        for (int d = 0; d < DAYS; d++) {
            starts[d + 1] += starts[d];
        }
        int[] sorted = new int[rows];
        int[] next = starts.clone();
        for (int i = 0; i < rows; i++) {
            sorted[next[days[i] - FIRST_DAY]++] = i;
        }
        Column[] whole = new Column[NAMES.size() - 1];
        Field[] fields = new Field[whole.length];
        for (int c = 0; c < whole.length; c++) {
            whole[c] = columns.get(c).whole();
            fields[c] = Field.of(NAMES.get(c), columns.get(c).type());
        }
        Threads.each(threads, t -> {
            for (int d = t; d < DAYS; d += threads) {
                Path day = to.resolve("day=" + LocalDate.ofEpochDay(FIRST_DAY + d));
                Files.createDirectories(day);
                write(whole, Schema.of(fields), sorted, starts[d], starts[d + 1], day.resolve("rows.parquet"));
            }
            return null;
        });
        return readBack(to);
    }

    private static void write(Column[] whole, Schema schema, int[] sorted, int from, int end, Path file) {
        int[] picked = new int[Batch.TARGET_ROWS];
        try (FileWriter out =
                new Formats().byName("parquet").write(StorePath.of(file), schema, FormatOptions.DEFAULTS)) {
            for (int at = from; at < end; at += picked.length) {
                int n = Math.min(picked.length, end - at);
                System.arraycopy(sorted, at, picked, 0, n);
                Column[] slice = new Column[whole.length];
                for (int c = 0; c < slice.length; c++) {
                    slice[c] = whole[c].gather(picked, n);
                }
                out.write(new Batch(n, slice));
            }
            out.finish();
        }
    }

    private Path empty(String name) throws IOException {
        Path to = folder.resolve(name);
        if (Files.exists(to)) {
            try (var all = Files.walk(to)) {
                for (Path path : all.sorted(Comparator.reverseOrder()).toList()) {
                    Files.delete(path);
                }
            }
        }
        return to;
    }

    private static Object readBack(Path to) {
        Settings settings = Settings.defaults().with("runs.folder", "");
        try (Engine engine = Engine.local(settings)) {
            return engine
                    .sql(
                            "select count(*) as n, sum(weight_g) as grams, sum(day - date '2031-01-01') as days from dataset('"
                                    + to + "')")
                    .fetch()
                    .rows()
                    .stream()
                    .map(r -> r.longValue("n") + " " + r.longValue("grams") + " " + r.longValue("days"))
                    .toList();
        }
    }
}
