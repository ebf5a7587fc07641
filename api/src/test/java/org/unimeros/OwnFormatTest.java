package org.unimeros;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.DataInputStream;
import java.io.DataOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.net.URL;
import java.net.URLClassLoader;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.LocalDate;
import java.util.List;
import java.util.Locale;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.function.Consumer;
import java.util.stream.Stream;
import java.util.zip.GZIPOutputStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.Timeout;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.code.BadRecordException;
import org.unimeros.code.FileFormat;
import org.unimeros.code.LineFormat;
import org.unimeros.code.RecordFormat;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DoubleColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.run.RunEvent;

/** File formats of a job, of lines and of bytes. */
@Timeout(120)
class OwnFormatTest {

    private static final int PARCELS = 20_000;

    @TempDir
    Path folder;

    /** A line of a loading list. */
    public record Loaded(long parcelId, String container, Integer grams, LocalDate day) {}

    /** Fields of fixed width, filled with blanks. */
    public static final class LoadingList implements LineFormat<Loaded> {
        @Override
        public String name() {
            return "loading-list";
        }

        @Override
        public String ending() {
            return ".lst";
        }

        @Override
        public Class<Loaded> type() {
            return Loaded.class;
        }

        @Override
        public Loaded read(String line) {
            if (line.startsWith("#")) {
                return null;
            }
            if (line.length() != 32) {
                throw new IllegalArgumentException(line.length() + " characters instead of 32");
            }
            String grams = line.substring(16, 22).strip();
            return new Loaded(
                    Long.parseLong(line.substring(0, 10).strip()),
                    line.substring(10, 16).strip(),
                    grams.isEmpty() ? null : Integer.valueOf(grams),
                    LocalDate.parse(line.substring(22)));
        }

        @Override
        public String write(Loaded l) {
            return String.format(
                    Locale.ROOT,
                    "%10d%-6s%6s%s",
                    l.parcelId,
                    l.container,
                    l.grams == null ? "" : l.grams.toString(),
                    l.day);
        }
    }

    /** A weight of a scale. */
    public record Weighed(long parcelId, double grams) {}

    /** The same bytes as {@link Scale} makes, read into columns. */
    public static final class FastScale implements FileFormat<Weighed> {
        private static final int BYTES = 16;

        private final boolean isRight;

        FastScale(boolean isRight) {
            this.isRight = isRight;
        }

        @Override
        public String name() {
            return "fast-scale";
        }

        @Override
        public Class<Weighed> type() {
            return Weighed.class;
        }

        @Override
        public ColumnReading<Weighed> read(FilePiece piece) throws IOException {
            DataInputStream in = new DataInputStream(piece.open(0));
            long[] left = {piece.fileBytes() / BYTES};
            return () -> {
                int n = (int) Math.min(1_000, left[0]);
                long[] ids = new long[n];
                double[] grams = new double[n];
                for (int i = 0; i < n; i++) {
                    ids[i] = in.readLong();
                    grams[i] = in.readDouble();
                }
                left[0] -= n;
                Column first = new LongColumn(ids, null);
                return n == 0 ? null : new Batch(n, first, isRight ? new DoubleColumn(grams, null) : first);
            };
        }

        @Override
        public Writing<Weighed> write(OutputStream out) {
            return new Scale().write(out);
        }
    }

    @Test
    void aFormatCanReadIntoColumns() {
        engineWith(new FastScale(true), engine -> {
            engine.sql("select id as parcel_id, id / 8.0 as grams from unnest(series(1, 2500)) t(id)")
                    .write(folder.resolve("weights").toString(), as -> as.format("fast-scale"));
            Rows weights = engine.read(folder.resolve("weights").toString());
            assertEquals(2_500, weights.count());
            assertEquals(
                    "[2500 | 312.5]",
                    weights.where("grams > 312.4")
                            .select("parcel_id, grams")
                            .fetch()
                            .rows()
                            .toString());
            assertEquals(1_250, weights.select("grams").where("grams > 156.25").count());
        });
        engineWith(new FastScale(false), engine -> {
            Rows wrong = engine.read(folder.resolve("weights").toString());
            UserMistake mistake = assertThrows(UserMistake.class, wrong::fetch);
            assertTrue(mistake.getMessage().contains("fast-scale makes other columns"), mistake.getMessage());
        });
    }

    private void engineWith(FastScale format, Consumer<Engine> work) {
        try (Engine engine = Engine.local(Settings.defaults().with("runs.folder", ""))) {
            work.accept(engine.defineFormat(format));
        }
    }

    /** Sixteen bytes a record; a weight below zero is a bad one. */
    public static final class Scale implements FileFormat<Weighed> {
        private static final int BYTES = 16;

        @Override
        public String name() {
            return "scale";
        }

        @Override
        public Class<Weighed> type() {
            return Weighed.class;
        }

        @Override
        public boolean canBeCut() {
            return true;
        }

        @Override
        public Reading<Weighed> read(FilePiece piece) throws IOException {
            long first = (piece.start() + BYTES - 1) / BYTES;
            long end = (piece.end() + BYTES - 1) / BYTES;
            DataInputStream in = new DataInputStream(piece.open(first * BYTES));
            long[] at = {first};
            return () -> {
                if (at[0] >= end) {
                    return null;
                }
                Weighed record = new Weighed(in.readLong(), in.readDouble());
                at[0]++;
                if (record.grams < 0) {
                    throw new BadRecordException(
                            "record " + at[0] + ": a weight below zero",
                            String.valueOf(record.parcelId).getBytes(StandardCharsets.UTF_8));
                }
                return record;
            };
        }

        @Override
        public Writing<Weighed> write(OutputStream out) {
            DataOutputStream data = new DataOutputStream(out);
            return record -> {
                data.writeLong(record.parcelId);
                data.writeDouble(record.grams);
            };
        }
    }

    private Settings settings() {
        return Settings.defaults()
                .with("slots", "2")
                .with("split.target", "64KB")
                .with("runs.folder", "")
                .with("memory.scratch", folder.resolve("scratch").toString());
    }

    private Engine engine() {
        return Engine.local(settings()).defineFormat(new LoadingList()).defineFormat(new Scale());
    }

    private static List<String> rows(Rows rows) {
        return rows.fetch().rows().stream().map(Result.Row::toString).toList();
    }

    private static final String LISTED = "select n as parcel_id, 'C' || cast(n % 7 as text) as container,"
            + " case when n % 5 > 0 then cast(n % 900 as int) end as grams,"
            + " cast(case when n % 2 = 0 then '2031-03-01' else '2031-03-02' end as date) as day"
            + " from unnest(series(1, " + PARCELS + ")) as t(n)";

    @Test
    void whatIsWrittenIsReadInPiecesHereAndOnWorkers() throws IOException {
        String lists = folder.resolve("lists").toString();
        String summary =
                "select container, count(*), count(grams), sum(grams), sum(parcel_id), min(day), max(day) from ";
        List<String> expected;
        try (Engine engine = engine()) {
            engine.sql(LISTED).write(lists, as -> as.format("loading-list"));
            expected = rows(engine.sql(summary + "(" + LISTED + ") t group by 1 order by 1"));
            assertEquals(expected, rows(engine.sql(summary + "dataset('" + lists + "') group by 1 order by 1")));
            Result read =
                    engine.sql("select count(*) from dataset('" + lists + "')").fetch();
            assertEquals("" + PARCELS, read.rows().get(0).toString());
            assertEquals("loading-list", engine.inspect(lists).format());
        }
        try (Stream<Path> files = Files.list(folder.resolve("lists"))) {
            Path file =
                    files.filter(f -> f.toString().endsWith(".lst")).findFirst().orElseThrow();
            assertEquals(
                    "         1C1         12031-03-02", Files.readAllLines(file).get(0));
        }
        try (Engine engine = Engine.localWorkers(2, settings().with("slots", "1"))) {
            engine.defineFormat(new LoadingList());
            assertEquals(expected, rows(engine.sql(summary + "dataset('" + lists + "') group by 1 order by 1")));
            String again = folder.resolve("again").toString();
            engine.read(lists).write(again, as -> as.format("loading-list"));
            assertEquals(expected, rows(engine.sql(summary + "dataset('" + again + "') group by 1 order by 1")));
            UserMistake folders = assertThrows(
                    UserMistake.class,
                    () -> engine.read(lists)
                            .write(
                                    again + "-by-day",
                                    as -> as.format("loading-list").partitionedBy("day")));
            assertTrue(folders.getMessage().contains("day"), "what becomes a folder is not in the files");
        }
    }

    @Test
    void filesOfBytesAreCutWhereTheFormatSaysSo() {
        String weights = folder.resolve("weights").toString();
        try (Engine engine = engine()) {
            engine.sql("select n as parcel_id, cast(n as double) / 4 as grams from unnest(series(1, 50000)) as t(n)")
                    .write(weights, as -> as.format("scale"));
            Rows rows = engine.read(weights);
            AtomicInteger tasks = new AtomicInteger();
            engine.watch(event -> {
                if (event instanceof RunEvent.AttemptFinished attempt
                        && attempt.attempt().stage() == 1) {
                    tasks.incrementAndGet();
                }
            });
            assertEquals(
                    List.of("50000 | 1250025000 | 3.1250625E8"),
                    rows(rows.groupBy().summarise("count(*)", "sum(parcel_id)", "sum(grams)")));
            assertTrue(tasks.get() > 5, tasks + " pieces");
            assertEquals(List.of("0.25"), rows(rows.where("parcel_id = 1").select("grams")));
        }
    }

    @Test
    void badRecordsAreToldWithTheirPlaceLeftOutOrKept() throws IOException {
        Path lists = Files.createDirectory(folder.resolve("bad"));
        String good = new LoadingList().write(new Loaded(7, "C1", null, LocalDate.of(2031, 3, 1)));
        Files.writeString(
                lists.resolve("a.lst"), "# a remark\n" + good + "\nshort\n" + good.replace("7C", "xC") + "\n");
        try (OutputStream out = new GZIPOutputStream(Files.newOutputStream(lists.resolve("b.lst.gz")))) {
            out.write((good + "\n").getBytes(StandardCharsets.UTF_8));
        }
        try (Engine engine = engine()) {
            BadData bad = assertThrows(BadData.class, () -> rows(engine.read(lists.toString())));
            assertTrue(bad.getMessage().startsWith(lists.resolve("a.lst") + ":3: "), bad.getMessage());
            assertTrue(bad.getMessage().contains("5 characters instead of 32"), bad.getMessage());
        }
        Path kept = folder.resolve("kept");
        Settings diverting = settings().with("bad-records", "divert").with("bad-records.folder", kept.toString());
        try (Engine engine =
                Engine.local(diverting).defineFormat(new LoadingList()).defineFormat(new Scale())) {
            Result result = engine.read(lists.toString()).fetch();
            assertEquals(2, result.size());
            assertEquals(2, result.run().skippedRecords());
            String weights = folder.resolve("scales").toString();
            engine.sql("select 1 as parcel_id, 2.5e0 as grams union all select 2, -1 union all select 3, 7")
                    .write(weights, as -> as.format("scale"));
            assertEquals(
                    List.of("1 | 2.5", "3 | 7.0"), rows(engine.read(weights).sortBy("parcel_id")));
        }
        try (Stream<Path> files = Files.list(kept)) {
            StringBuilder all = new StringBuilder();
            for (Path file : files.sorted().toList()) {
                all.append(Files.readString(file));
            }
            assertTrue(
                    all.toString().contains("a.lst\",\"line\":3,")
                            && all.toString().contains("\"record\":\"short\"}\n"),
                    all.toString());
            assertTrue(all.toString().contains("a weight below zero\",\"record\":\"2\"}\n"), all.toString());
        }
    }

    @Test
    void whatDoesNotFitIsRefusedWhenItIsDescribed() throws IOException {
        try (Engine engine = engine()) {
            String out = folder.resolve("out").toString();
            Rows other = engine.sql("select 1 as parcel_id, 'x' as remark");
            UserMistake missing =
                    assertThrows(UserMistake.class, () -> other.write(out, as -> as.format("loading-list")));
            assertTrue(missing.getMessage().contains("container"), missing.getMessage());
            Rows wide = engine.sql("select 1 as parcel_id, 2e0 as grams, 'x' as remark");
            UserMistake more = assertThrows(UserMistake.class, () -> wide.write(out, as -> as.format("scale")));
            assertTrue(more.getMessage().contains("remark"), more.getMessage());
            assertTrue(!Files.exists(Path.of(out)), "nothing was made");
            assertThrows(UserMistake.class, () -> engine.defineFormat(new Scale()), "there is one of that name");
            UserMistake unknown =
                    assertThrows(UserMistake.class, () -> other.write(out, as -> as.format("loading-lists")));
            assertTrue(unknown.getMessage().contains("loading-list"), unknown.getMessage());
            Path list = Files.createDirectory(folder.resolve("declared"));
            Files.writeString(list.resolve("a.lst"), "");
            Files.writeString(list.resolve("b.lst"), "# nothing\n");
            UserMistake declared = assertThrows(
                    UserMistake.class, () -> rows(engine.read(list.toString(), o -> o.column("grams", "double"))));
            assertTrue(declared.getMessage().contains("grams double is declared"), declared.getMessage());
            assertEquals(List.of(), rows(engine.read(list.toString())));
        }
    }

    /** Nobody defines it: a file in the jar of the job says that it is there. */
    @Test
    void aFormatIsFoundInTheJarOfTheJob() throws IOException {
        Path services = Files.createDirectories(folder.resolve("jar/META-INF/services"));
        Files.writeString(services.resolve(RecordFormat.class.getName()), LoadingList.class.getName() + "\n");
        Path list = Files.createDirectory(folder.resolve("found"));
        Files.writeString(
                list.resolve("a.lst"),
                new LoadingList().write(new Loaded(7, "C1", 3, LocalDate.of(2031, 3, 1))) + "\n");
        Thread thread = Thread.currentThread();
        ClassLoader before = thread.getContextClassLoader();
        try (URLClassLoader loader =
                new URLClassLoader(new URL[] {folder.resolve("jar/").toUri().toURL()}, before)) {
            thread.setContextClassLoader(loader);
            try (Engine engine = Engine.local(settings())) {
                assertEquals(List.of("7 | C1 | 3 | 2031-03-01"), rows(engine.read(list.toString())));
            }
        } finally {
            thread.setContextClassLoader(before);
        }
        try (Engine engine = Engine.local(settings())) {
            UserMistake unknown = assertThrows(UserMistake.class, () -> engine.read(list.toString()));
            assertTrue(unknown.getMessage().contains("is not known from its ending"), unknown.getMessage());
        }
    }
}
