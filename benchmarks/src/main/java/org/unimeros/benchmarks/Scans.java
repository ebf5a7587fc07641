package org.unimeros.benchmarks;

import static java.nio.charset.StandardCharsets.US_ASCII;

import java.io.BufferedOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.math.BigDecimal;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.LocalDate;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import java.util.TreeMap;
import java.util.function.BiConsumer;
import org.unimeros.Engine;
import org.unimeros.Settings;

/** Made-up scans of eight typed columns as lines of text, and eight aggregates by depot and kind of those since a day. */
final class Scans {

    private static final String[] KINDS = {"load", "unload", "sort", "hand over", "return"};
    private static final int DEPOTS = 40;
    private static final LocalDate FIRST_DAY = LocalDate.of(2031, 3, 1);
    private static final String SINCE = "2031-03-16";

    private Scans() {}

    /**
     * A scan.
     *
     * @param share in thousandths
     */
    record Scan(
            long id, String depot, String kind, LocalDate day, int minute, int weight, int fee, int cents, int share) {

        String at() {
            return day + (minute < 10 ? "T08:0" : "T08:") + minute + ":30";
        }

        String amount() {
            return fee + (cents < 10 ? ".0" : ".") + cents;
        }
    }

    /** Writes a line for each of so many scans, always the same. */
    static void write(Path file, String header, long rows, BiConsumer<StringBuilder, Scan> form) throws IOException {
        SplittableRandom random = new SplittableRandom(19);
        StringBuilder line = new StringBuilder(header);
        try (OutputStream out = new BufferedOutputStream(Files.newOutputStream(file), 1 << 20)) {
            for (long i = 0; i < rows; i++) {
                LocalDate day = FIRST_DAY.plusDays(random.nextInt(30));
                int minute = random.nextInt(60);
                int cents = random.nextInt(100);
                String depot = "D" + (10 + random.nextInt(DEPOTS));
                String kind = KINDS[random.nextInt(KINDS.length)];
                int weight = random.nextInt(31_000);
                int fee = random.nextInt(300);
                form.accept(line, new Scan(i, depot, kind, day, minute, weight, fee, cents, random.nextInt(1000)));
                out.write(line.append('\n').toString().getBytes(US_ASCII));
                line.setLength(0);
            }
        }
    }

    /** What the engine makes of a file of them. */
    static Map<String, List<Long>> summarise(Path file, int slots) {
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

    /** Whether a month of that year and a day of it are among those that are asked for. */
    static boolean isSince(int month, int day) {
        return month > 3 || day >= 16;
    }

    /** The same in a program for this alone: figures by two digits of the depot and five bits of the first letter of the kind. */
    static final class Figures {
        private static final int PLACES = 100 << 5;
        private final long[][] of = new long[PLACES][];

        static int place(int tens, int ones, int letter) {
            return ((tens - '0') * 10 + ones - '0' << 5) + (letter & 31);
        }

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

        private void addAll(Figures other) {
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

        /** What the threads have found together. */
        static Map<String, List<Long>> result(List<Figures> parts) {
            Figures all = new Figures();
            parts.forEach(all::addAll);
            Map<String, List<Long>> result = new TreeMap<>();
            for (int p = 0; p < PLACES; p++) {
                if (all.of[p] != null) {
                    String name = "D" + (p >> 5) + " " + (char) ('`' + (p & 31));
                    result.put(name, Arrays.stream(all.of[p]).boxed().toList());
                }
            }
            return result;
        }
    }
}
