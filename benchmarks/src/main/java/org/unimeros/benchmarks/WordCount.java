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
import org.unimeros.Settings;
import org.unimeros.code.Combiners;
import org.unimeros.engine.record.TextSlice;

/**
 * How often each word occurs in delivery notes, as a map-reduce step with lambdas over strings. The hand-written program maps the file and
 * counts words in an open-addressing table by their bytes.
 */
final class WordCount extends Entry {

    private static final int WORDS = 20_000;
    private static final int PLACES = 1 << 16;

    private final Path file;
    private final long lines;

    record Counted(String word, long n) {}

    WordCount(Path folder, long lines) {
        super(
                "word-count",
                String.format("%,d lines of about nine words, counted by a mapper, a combiner and a reducer", lines),
                lines,
                folder.resolve("notes-" + lines + ".txt"));
        this.file = folder.resolve("notes-" + lines + ".txt");
        this.lines = lines;
    }

    @Override
    void prepare() throws Exception {
        make(file, this::write);
    }

    private void write(Path part) throws Exception {
        SplittableRandom random = new SplittableRandom(8);
        byte[][] words = new byte[WORDS][];
        for (int w = 0; w < WORDS; w++) {
            StringBuilder word = new StringBuilder(Integer.toString(w, 26).replaceAll("[0-9]", "x"));
            for (int i = random.nextInt(6); i >= 0; i--) {
                word.append((char) ('a' + random.nextInt(26)));
            }
            words[w] = word.toString().getBytes(US_ASCII);
        }
        try (OutputStream out = new BufferedOutputStream(Files.newOutputStream(part), 1 << 20)) {
            for (long i = 0; i < lines; i++) {
                int count = 6 + random.nextInt(7);
                for (int w = 0; w < count; w++) {
                    double u = random.nextDouble();
                    out.write(words[(int) (WORDS * u * u * u)]);
                    out.write(w == count - 1 ? '\n' : ' ');
                }
            }
        }
    }

    @Override
    Object ours(int slots) {
        Settings settings = Settings.defaults()
                .with("slots", String.valueOf(slots))
                .with("runs.folder", "")
                .with("split.target", "64MB");
        Map<String, Long> result = new TreeMap<>();
        try (Engine engine = Engine.local(settings)) {
            engine.read(file.toString())
                    .as(TextSlice.class)
                    .mapReduce(TextSlice.class, Long.class, (line, out) -> {
                        int start = 0;
                        for (int end = line.indexOf(' ', 0); end >= 0; end = line.indexOf(' ', start)) {
                            out.add(line.slice(start, end), 1L);
                            start = end + 1;
                        }
                        out.add(line.slice(start, line.length()), 1L);
                    })
                    .combine(Combiners.sum())
                    .reducers(8)
                    .reduce(Counted.class, (word, counts, out) -> out.add(new Counted(word.toString(), sum(counts))))
                    .fetch()
                    .forEach(c -> result.put(c.word(), c.n()));
        }
        return result;
    }

    private static long sum(Iterable<Long> counts) {
        long sum = 0;
        for (long count : counts) {
            sum += count;
        }
        return sum;
    }

    /** Counts by word, in the places of a hash table. */
    private static final class Counts {
        private final ByteBuffer text;
        private final long[] hashes = new long[PLACES];
        private final int[] starts = new int[PLACES];
        private final int[] lengths = new int[PLACES];
        private final long[] counts = new long[PLACES];

        Counts(ByteBuffer text) {
            this.text = text;
        }

        void read(int from, int end) {
            int start = from;
            long hash = 0;
            for (int at = from; at < end; at++) {
                byte b = text.get(at);
                if (b <= ' ') {
                    add(hash, start, at - start);
                    start = at + 1;
                    hash = 0;
                } else {
                    hash = (hash + b) * 0x9E3779B97F4A7C15L;
                    hash ^= hash >>> 32;
                }
            }
        }

        private void add(long hash, int start, int length) {
            int at = (int) (hash >>> 48);
            while (counts[at] != 0 && (hashes[at] != hash || !same(at, start, length))) {
                at = at + 1 & PLACES - 1;
            }
            if (counts[at] == 0) {
                hashes[at] = hash;
                starts[at] = start;
                lengths[at] = length;
            }
            counts[at]++;
        }

        private boolean same(int at, int start, int length) {
            if (lengths[at] != length) {
                return false;
            }
            for (int i = 0; i < length; i++) {
                if (text.get(starts[at] + i) != text.get(start + i)) {
                    return false;
                }
            }
            return true;
        }
    }

    @Override
    Object handWritten(int threads) throws Exception {
        ExecutorService pool = Executors.newFixedThreadPool(threads);
        try (FileChannel channel = FileChannel.open(file, StandardOpenOption.READ)) {
            ByteBuffer text = channel.map(FileChannel.MapMode.READ_ONLY, 0, channel.size());
            List<Future<Counts>> parts = new ArrayList<>();
            for (int t = 0; t < threads; t++) {
                int from = TextAggregate.lineStart(text, (int) ((long) text.capacity() * t / threads));
                int end = TextAggregate.lineStart(text, (int) ((long) text.capacity() * (t + 1) / threads));
                parts.add(pool.submit(() -> {
                    Counts counts = new Counts(text);
                    counts.read(from, end);
                    return counts;
                }));
            }
            Map<String, Long> all = new TreeMap<>();
            for (Future<Counts> part : parts) {
                merge(part.get(), all);
            }
            return all;
        } finally {
            pool.shutdown();
        }
    }

    private static void merge(Counts part, Map<String, Long> all) {
        for (int i = 0; i < PLACES; i++) {
            if (part.counts[i] > 0) {
                byte[] word = new byte[part.lengths[i]];
                part.text.get(part.starts[i], word);
                all.merge(new String(word, US_ASCII), part.counts[i], Long::sum);
            }
        }
    }
}
