package org.unimeros.benchmarks;

import java.io.BufferedInputStream;
import java.io.BufferedOutputStream;
import java.io.DataInputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.nio.ByteBuffer;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.List;
import java.util.PriorityQueue;
import java.util.SplittableRandom;
import java.util.zip.CRC32C;
import org.unimeros.Engine;
import org.unimeros.Settings;

/**
 * Lines of 99 characters and a line feed, in the order of their first ten: two gigabytes within a budget of 512 MB. The
 * hand-written program reads runs of 64 MB a thread, sorts the first eight bytes of the keys together with the numbers of
 * the records, writes the runs, and merges them.
 */
final class SortLines extends Entry {

    private static final int RECORD = 100;
    private static final int KEY = 10;
    private static final int RUN_RECORDS = (64 << 20) / RECORD;

    private final Path file;
    private final Path folder;
    private final long rows;

    SortLines(Path folder, long rows) {
        super(
                "sort",
                String.format("%,d lines of 100 bytes sorted within 512 MB, and written", rows),
                rows,
                folder.resolve("records-" + rows + ".txt"));
        this.folder = folder;
        this.file = folder.resolve("records-" + rows + ".txt");
        this.rows = rows;
    }

    Path file() {
        return file;
    }

    @Override
    void prepare() throws Exception {
        if (Files.exists(file)) {
            return;
        }
        Files.createDirectories(folder);
        Path part = folder.resolve("unfinished");
        SplittableRandom random = new SplittableRandom(29);
        byte[] record = new byte[RECORD];
        try (OutputStream out = new BufferedOutputStream(Files.newOutputStream(part), 1 << 20)) {
            for (long i = 0; i < rows; i++) {
                for (int b = 0; b < RECORD - 1; b++) {
                    record[b] = (byte) (b < 2 * KEY ? '!' + random.nextInt(90) : 'a' + b % 26);
                }
                record[RECORD - 1] = '\n';
                out.write(record);
            }
        }
        Files.move(part, file);
    }

    @Override
    Object ours(int slots) throws Exception {
        Path sorted = folder.resolve("sorted-by-the-engine");
        Settings settings = Settings.defaults()
                .with("slots", String.valueOf(slots))
                .with("memory.budget", "512MB")
                .with("memory.scratch", folder.resolve("scratch").toString())
                .with("runs.folder", "");
        try (Engine engine = Engine.local(settings)) {
            engine.sql("select line from dataset('" + file + "') order by line")
                    .write(sorted.toString(), as -> as.replacing().format("text"));
        }
        try (var parts = Files.list(sorted)) {
            return checked(
                    parts.filter(p -> p.toString().endsWith(".txt")).sorted().toList());
        }
    }

    @Override
    Object handWritten(int threads) throws Exception {
        Path sorted = folder.resolve("sorted-by-hand.txt");
        List<Path> runs = new ArrayList<>();
        for (List<Path> of : Threads.each(threads, t -> runs(t, threads))) {
            runs.addAll(of);
        }
        merge(runs, sorted);
        for (Path run : runs) {
            Files.delete(run);
        }
        return checked(List.of(sorted));
    }

    /** Fails unless lines are in order; a number that does not depend on it but changes with any line. */
    static long checked(List<Path> files) throws IOException {
        byte[] record = new byte[RECORD];
        byte[] before = new byte[RECORD];
        CRC32C crc = new CRC32C();
        long sum = 0;
        for (Path file : files) {
            try (DataInputStream in = new DataInputStream(open(file))) {
                long records = Files.size(file) / RECORD;
                for (long i = 0; i < records; i++) {
                    in.readFully(record);
                    if (Arrays.compareUnsigned(before, record) > 0) {
                        throw new IllegalStateException(file + " is not sorted at line " + (i + 1));
                    }
                    crc.reset();
                    crc.update(record);
                    sum += crc.getValue();
                    byte[] other = before;
                    before = record;
                    record = other;
                }
            }
        }
        return sum;
    }

    private static InputStream open(Path file) throws IOException {
        return new BufferedInputStream(Files.newInputStream(file), 1 << 20);
    }

    private List<Path> runs(int thread, int threads) throws IOException {
        List<Path> runs = new ArrayList<>();
        long from = rows * thread / threads;
        long end = rows * (thread + 1) / threads;
        byte[] records = new byte[RUN_RECORDS * RECORD];
        byte[] sorted = new byte[RUN_RECORDS * RECORD];
        long[] heads = new long[RUN_RECORDS];
        try (InputStream in = Files.newInputStream(file)) {
            in.skipNBytes(from * RECORD);
            while (from < end) {
                int n = (int) Math.min(RUN_RECORDS, end - from);
                in.readNBytes(records, 0, n * RECORD);
                order(records, n, heads, sorted);
                Path run = folder.resolve("run-" + thread + "-" + runs.size());
                try (OutputStream out = Files.newOutputStream(run)) {
                    out.write(sorted, 0, n * RECORD);
                }
                runs.add(run);
                from += n;
            }
        }
        return runs;
    }

    /**
     * Sorts by the first 44 bits with the number of the record behind them, and puts the few runs of equal heads right by
     * comparing whole keys.
     */
    private static void order(byte[] records, int n, long[] heads, byte[] sorted) {
        ByteBuffer keys = ByteBuffer.wrap(records);
        for (int i = 0; i < n; i++) {
            heads[i] = keys.getLong(i * RECORD) >>> 20 << 20 | i;
        }
        Arrays.sort(heads, 0, n);
        int mask = (1 << 20) - 1;
        for (int i = 0; i < n; ) {
            int end = i + 1;
            while (end < n && heads[end] >>> 20 == heads[i] >>> 20) {
                end++;
            }
            for (int a = i + 1; a < end; a++) {
                for (int b = a; b > i && compare(records, heads[b - 1] & mask, heads[b] & mask) > 0; b--) {
                    long head = heads[b];
                    heads[b] = heads[b - 1];
                    heads[b - 1] = head;
                }
            }
            i = end;
        }
        for (int i = 0; i < n; i++) {
            System.arraycopy(records, (int) (heads[i] & mask) * RECORD, sorted, i * RECORD, RECORD);
        }
    }

    private static int compare(byte[] records, long a, long b) {
        int from = (int) a * RECORD;
        int other = (int) b * RECORD;
        return Arrays.compareUnsigned(records, from, from + RECORD, records, other, other + RECORD);
    }

    /** A run that is being read. */
    private static final class Cursor {
        private final DataInputStream in;
        private final byte[] record = new byte[RECORD];
        private long head;
        private long left;

        Cursor(Path run) throws IOException {
            this.in = new DataInputStream(open(run));
            this.left = Files.size(run) / RECORD;
        }

        boolean advance() throws IOException {
            if (left-- == 0) {
                in.close();
                return false;
            }
            in.readFully(record);
            head = ByteBuffer.wrap(record).getLong(0);
            return true;
        }
    }

    private static void merge(List<Path> runs, Path to) throws IOException {
        PriorityQueue<Cursor> queue = new PriorityQueue<>(Comparator.<Cursor>comparingLong(c -> c.head)
                .thenComparing((a, b) -> Arrays.compareUnsigned(a.record, b.record)));
        for (Path run : runs) {
            Cursor cursor = new Cursor(run);
            if (cursor.advance()) {
                queue.add(cursor);
            }
        }
        try (OutputStream out = new BufferedOutputStream(Files.newOutputStream(to), 1 << 20)) {
            while (!queue.isEmpty()) {
                Cursor least = queue.poll();
                out.write(least.record);
                if (least.advance()) {
                    queue.add(least);
                }
            }
        }
    }
}
