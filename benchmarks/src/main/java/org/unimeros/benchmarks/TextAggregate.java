package org.unimeros.benchmarks;

import static java.nio.charset.StandardCharsets.US_ASCII;

import java.io.BufferedOutputStream;
import java.io.OutputStream;
import java.nio.ByteBuffer;
import java.nio.channels.FileChannel;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import java.util.TreeMap;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.Future;
import org.unimeros.Engine;
import org.unimeros.Rows;
import org.unimeros.Settings;

/**
 * Lines such as {@code D017;12.3}: the least, mean and greatest temperature and the count by depot, read as lines of text that expressions
 * take apart, or as CSV. The hand-written program maps the file, reads numbers as tenths and looks names up in an open-addressing table by
 * their bytes.
 */
final class TextAggregate extends Entry {

    private static final int DEPOTS = 400;
    private static final int PLACES = 1 << 12;

    private final Path file;
    private final long rows;
    private final boolean isCsv;

    TextAggregate(Path folder, long rows, boolean isCsv) {
        super(
                isCsv ? "text-as-csv" : "text-aggregate",
                String.format(
                        "%,d lines such as D017;12.3, least, mean, greatest and count by %d depots", rows, DEPOTS),
                rows,
                folder.resolve("temperatures-" + rows + ".csv"));
        this.isCsv = isCsv;
        this.file = folder.resolve("temperatures-" + rows + ".csv");
        this.rows = rows;
    }

    @Override
    void prepare() throws Exception {
        make(file, this::write);
    }

    private void write(Path part) throws Exception {
        SplittableRandom random = new SplittableRandom(5);
        try (OutputStream out = new BufferedOutputStream(Files.newOutputStream(part), 1 << 20)) {
            for (long i = 0; i < rows; i++) {
                int depot = random.nextInt(DEPOTS);
                int tenths = random.nextInt(700) - 250;
                String line = "D" + (depot < 10 ? "00" : depot < 100 ? "0" : "") + depot + ";" + (tenths < 0 ? "-" : "")
                        + Math.abs(tenths) / 10 + "." + Math.abs(tenths) % 10 + "\n";
                out.write(line.getBytes(US_ASCII));
            }
        }
    }

    @Override
    Object ours(int slots) {
        Settings settings = Settings.defaults()
                .with("slots", String.valueOf(slots))
                .with("runs.folder", "")
                .with("split.target", "32MB");
        Map<String, String> result = new TreeMap<>();
        try (Engine engine = Engine.local(settings)) {
            Rows measured = isCsv ? fromCsv(engine) : fromLines(engine);
            measured.groupBy("depot")
                    .summarise(
                            "min(celsius) as least", "sum(celsius) as total", "max(celsius) as most", "count(*) as n")
                    .fetch()
                    .rows()
                    .forEach(r -> result.put(
                            r.text("depot"),
                            r.text("least") + " " + r.text("total") + " " + r.text("most") + " " + r.longValue("n")));
        }
        return result;
    }

    private Rows fromCsv(Engine engine) {
        return engine.read(
                file.toString(),
                o -> o.delimiter(';')
                        .header(false)
                        .column("depot", "text", "column_1")
                        .column("celsius", "decimal(4, 1)", "column_2"));
    }

    private Rows fromLines(Engine engine) {
        return engine.read(file.toString(), o -> o.format("text"))
                .select("split_part(line, ';', 1) as depot, "
                        + "cast(split_part(line, ';', 2) as decimal(4, 1)) as celsius");
    }

    /** Statistics in tenths by name, in the places of a hash table. */
    private static final class Tenths {
        private final long[] names = new long[PLACES];
        private final int[] least = new int[PLACES];
        private final int[] most = new int[PLACES];
        private final long[] total = new long[PLACES];
        private final long[] count = new long[PLACES];

        void add(long name, int tenths) {
            int at = (int) (name * 0x9E3779B97F4A7C15L >>> 52);
            while (names[at] != name && names[at] != 0) {
                at = at + 1 & PLACES - 1;
            }
            if (names[at] == 0) {
                names[at] = name;
                least[at] = Integer.MAX_VALUE;
                most[at] = Integer.MIN_VALUE;
            }
            least[at] = Math.min(least[at], tenths);
            most[at] = Math.max(most[at], tenths);
            total[at] += tenths;
            count[at]++;
        }
    }

    @Override
    Object handWritten(int threads) throws Exception {
        ExecutorService pool = Executors.newFixedThreadPool(threads);
        try (FileChannel channel = FileChannel.open(file, StandardOpenOption.READ)) {
            ByteBuffer text = channel.map(FileChannel.MapMode.READ_ONLY, 0, channel.size());
            List<Future<Tenths>> parts = new ArrayList<>();
            for (int t = 0; t < threads; t++) {
                int from = lineStart(text, (int) ((long) text.capacity() * t / threads));
                int end = lineStart(text, (int) ((long) text.capacity() * (t + 1) / threads));
                parts.add(pool.submit(() -> read(text, from, end)));
            }
            Map<String, long[]> all = new TreeMap<>();
            for (Future<Tenths> part : parts) {
                merge(part.get(), all);
            }
            Map<String, String> result = new TreeMap<>();
            all.forEach(
                    (name, s) -> result.put(name, tenths(s[0]) + " " + tenths(s[1]) + " " + tenths(s[2]) + " " + s[3]));
            return result;
        } finally {
            pool.shutdown();
        }
    }

    static int lineStart(ByteBuffer text, int near) {
        int at = near;
        while (at > 0 && at < text.capacity() && text.get(at - 1) != '\n') {
            at++;
        }
        return at;
    }

    private static Tenths read(ByteBuffer text, int from, int end) {
        Tenths tenths = new Tenths();
        int at = from;
        while (at < end) {
            long name = 0;
            byte b = text.get(at++);
            while (b != ';') {
                name = name << 8 | b;
                b = text.get(at++);
            }
            b = text.get(at++);
            boolean negative = b == '-';
            if (negative) {
                b = text.get(at++);
            }
            int value = 0;
            while (b != '\n') {
                value = b == '.' ? value : value * 10 + b - '0';
                b = text.get(at++);
            }
            tenths.add(name, negative ? -value : value);
        }
        return tenths;
    }

    private static void merge(Tenths part, Map<String, long[]> all) {
        for (int i = 0; i < PLACES; i++) {
            if (part.names[i] != 0) {
                byte[] name = new byte[8];
                int length = 0;
                for (int shift = 56; shift >= 0; shift -= 8) {
                    byte b = (byte) (part.names[i] >> shift);
                    if (b != 0) {
                        name[length++] = b;
                    }
                }
                long[] s = {part.least[i], part.total[i], part.most[i], part.count[i]};
                all.merge(new String(name, 0, length, US_ASCII), s, (a, c) ->
                        new long[] {Math.min(a[0], c[0]), a[1] + c[1], Math.max(a[2], c[2]), a[3] + c[3]});
            }
        }
    }

    private static String tenths(long value) {
        return (value < 0 ? "-" : "") + Math.abs(value) / 10 + "." + Math.abs(value) % 10;
    }
}
