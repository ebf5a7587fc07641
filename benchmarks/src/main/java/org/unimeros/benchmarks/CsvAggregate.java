package org.unimeros.benchmarks;

import static java.nio.charset.StandardCharsets.US_ASCII;

import java.io.BufferedOutputStream;
import java.io.OutputStream;
import java.math.BigDecimal;
import java.nio.ByteBuffer;
import java.nio.channels.FileChannel;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.time.LocalDate;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import java.util.TreeMap;
import org.unimeros.Engine;
import org.unimeros.Settings;

/**
 * Scans of eight typed columns as CSV: eight aggregates by depot and kind of the scans since a day. The hand-written program
 * maps the file, reads only the fields that are asked for, and keeps its figures in arrays by the digits of the depot and
 * the first letter of the kind.
 */
final class CsvAggregate extends Entry {

    private static final String[] KINDS = {"load", "unload", "sort", "hand over", "return"};
    private static final int DEPOTS = 40;
    private static final LocalDate FIRST_DAY = LocalDate.of(2031, 3, 1);
    private static final String SINCE = "2031-03-16";

    private final Path file;
    private final long rows;

    CsvAggregate(Path folder, long rows) {
        super(
                "csv-aggregate",
                String.format("%,d rows of CSV, eight aggregates by depot and kind since a day", rows),
                rows,
                folder.resolve("scans-" + rows + ".csv"));
        this.file = folder.resolve("scans-" + rows + ".csv");
        this.rows = rows;
    }

    @Override
    void prepare() throws Exception {
        make(file, this::write);
    }

    private void write(Path part) throws Exception {
        SplittableRandom random = new SplittableRandom(19);
        StringBuilder line = new StringBuilder("scan_id,depot,kind,at,day,weight_g,fee,share\n");
        try (OutputStream out = new BufferedOutputStream(Files.newOutputStream(part), 1 << 20)) {
            for (long i = 0; i < rows; i++) {
                LocalDate day = FIRST_DAY.plusDays(random.nextInt(30));
                int minute = random.nextInt(60);
                int cents = random.nextInt(100);
                line.append(i).append(",D").append(10 + random.nextInt(DEPOTS)).append(',');
                line.append(KINDS[random.nextInt(KINDS.length)])
                        .append(',')
                        .append(day)
                        .append("T08:");
                line.append(minute < 10 ? "0" : "")
                        .append(minute)
                        .append(":30,")
                        .append(day)
                        .append(',');
                line.append(random.nextInt(31_000))
                        .append(',')
                        .append(random.nextInt(300))
                        .append('.');
                line.append(cents < 10 ? "0" : "").append(cents).append(",0.").append(random.nextInt(1000));
                out.write(line.append('\n').toString().getBytes(US_ASCII));
                line.setLength(0);
            }
        }
    }

    @Override
    Object ours(int slots) {
        Settings settings =
                Settings.defaults().with("slots", String.valueOf(slots)).with("runs.folder", "");
        Map<String, List<Long>> result = new TreeMap<>();
        try (Engine engine = Engine.local(settings)) {
            engine.read(
                            file.toString(),
                            o -> o.column("scan_id", "long")
                                    .column("depot", "text")
                                    .column("kind", "text")
                                    .column("at", "timestamp")
                                    .column("day", "date")
                                    .column("weight_g", "int")
                                    .column("fee", "decimal(8, 2)")
                                    .column("share", "double"))
                    .where("day >= date '" + SINCE + "'")
                    .groupBy("depot", "kind")
                    .summarise(
                            "count(*) as n",
                            "sum(weight_g) as grams",
                            "min(weight_g) as lightest",
                            "max(weight_g) as heaviest",
                            "sum(fee) as fees",
                            "max(fee) as highest",
                            "min(scan_id) as first",
                            "max(scan_id) as last")
                    .fetch()
                    .rows()
                    .forEach(r -> result.put(
                            r.text("depot") + " " + r.text("kind").charAt(0),
                            List.of(
                                    r.longValue("n"),
                                    r.longValue("grams"),
                                    r.longValue("lightest"),
                                    r.longValue("heaviest"),
                                    cents(r.text("fees")),
                                    cents(r.text("highest")),
                                    r.longValue("first"),
                                    r.longValue("last"))));
        }
        return result;
    }

    private static long cents(String amount) {
        return new BigDecimal(amount).movePointRight(2).longValueExact();
    }

    /** Figures by two digits of the depot and five bits of the first letter of the kind. */
    private static final class Figures {
        private static final int PLACES = 100 << 5;
        private final long[][] of = new long[PLACES][];

        void add(int place, long id, long weight, long fee) {
            long[] f = of[place];
            if (f == null) {
                f = new long[] {0, 0, weight, weight, 0, fee, id, id};
                of[place] = f;
            }
            f[0]++;
            f[1] += weight;
            f[2] = Math.min(f[2], weight);
            f[3] = Math.max(f[3], weight);
            f[4] += fee;
            f[5] = Math.max(f[5], fee);
            f[6] = Math.min(f[6], id);
            f[7] = Math.max(f[7], id);
        }

        void addAll(Figures other) {
            for (int p = 0; p < PLACES; p++) {
                long[] a = of[p];
                long[] b = other.of[p];
                if (a == null || b == null) {
                    of[p] = a == null ? b : a;
                } else {
                    of[p] = new long[] {
                        a[0] + b[0],
                        a[1] + b[1],
                        Math.min(a[2], b[2]),
                        Math.max(a[3], b[3]),
                        a[4] + b[4],
                        Math.max(a[5], b[5]),
                        Math.min(a[6], b[6]),
                        Math.max(a[7], b[7])
                    };
                }
            }
        }
    }

    @Override
    Object handWritten(int threads) throws Exception {
        try (FileChannel channel = FileChannel.open(file, StandardOpenOption.READ)) {
            ByteBuffer text = channel.map(FileChannel.MapMode.READ_ONLY, 0, channel.size());
            int header = lineEnd(text, 0) + 1;
            int share = (text.capacity() - header) / threads;
            List<Figures> parts = Threads.each(threads, t -> {
                int from = t == 0 ? header : lineEnd(text, header + share * t) + 1;
                int end = t == threads - 1 ? text.capacity() : lineEnd(text, header + share * (t + 1)) + 1;
                return read(text, from, end);
            });
            Figures all = parts.get(0);
            parts.subList(1, threads).forEach(all::addAll);
            Map<String, List<Long>> result = new TreeMap<>();
            for (int p = 0; p < Figures.PLACES; p++) {
                if (all.of[p] != null) {
                    String name = "D" + (p >> 5) + " " + (char) ('`' + (p & 31));
                    result.put(name, Arrays.stream(all.of[p]).boxed().toList());
                }
            }
            return result;
        }
    }

    private static int lineEnd(ByteBuffer text, int at) {
        int end = at;
        while (text.get(end) != '\n') {
            end++;
        }
        return end;
    }

    private static int fieldEnd(ByteBuffer text, int at) {
        int end = at;
        while (text.get(end) != ',') {
            end++;
        }
        return end;
    }

    /** Lines are {@code 17,D23,load,2031-03-04T08:15:30,2031-03-04,1234,12.50,0.5}. */
    private static Figures read(ByteBuffer text, int from, int end) {
        Figures figures = new Figures();
        int at = from;
        while (at < end) {
            long id = 0;
            byte b = text.get(at++);
            while (b != ',') {
                id = id * 10 + b - '0';
                b = text.get(at++);
            }
            int place = ((text.get(at + 1) - '0') * 10 + text.get(at + 2) - '0' << 5) + (text.get(at + 4) & 31);
            at = fieldEnd(text, at + 5) + 1 + "2031-03-04T08:15:30,".length();
            int month = (text.get(at + 5) - '0') * 10 + text.get(at + 6) - '0';
            int day = (text.get(at + 8) - '0') * 10 + text.get(at + 9) - '0';
            at += 11;
            if (month > 3 || day >= 16) {
                long weight = 0;
                b = text.get(at++);
                while (b != ',') {
                    weight = weight * 10 + b - '0';
                    b = text.get(at++);
                }
                long fee = 0;
                b = text.get(at++);
                while (b != ',') {
                    fee = b == '.' ? fee : fee * 10 + b - '0';
                    b = text.get(at++);
                }
                figures.add(place, id, weight, fee);
            }
            at = lineEnd(text, at) + 1;
        }
        return figures;
    }
}
