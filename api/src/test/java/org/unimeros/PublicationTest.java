package org.unimeros;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Set;
import java.util.concurrent.ConcurrentSkipListSet;
import java.util.concurrent.CountDownLatch;
import java.util.concurrent.atomic.AtomicBoolean;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.concurrent.atomic.AtomicReference;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.engine.error.UnimerosException;

/** Readers and writers at the same time. */
class PublicationTest {

    private static final int ROWS = 600;
    private static final int VERSIONS = 25;
    private static final CountDownLatch READS = new CountDownLatch(1);
    private static final CountDownLatch REPLACED = new CountDownLatch(1);

    @TempDir
    Path root;

    private Settings settings() {
        return Settings.defaults().with("runs.folder", "").with("split.target", "2kB");
    }

    private void writeInput() throws IOException {
        StringBuilder text = new StringBuilder("id,part\n");
        for (int i = 0; i < ROWS; i++) {
            text.append(i).append(',').append(i % 6).append('\n');
        }
        Files.writeString(root.resolve("in.csv"), text);
    }

    private void writeVersion(Engine engine, int version) {
        engine.read(root.resolve("in.csv").toString())
                .derive("version", String.valueOf(version))
                .write(
                        root.resolve("d").toString(),
                        as -> as.csv().partitionedBy("part").replacing());
    }

    /** Every look sees one version, whole; a file that goes away under a slow reader is an error and never wrong rows. */
    @Test
    void readersSeeOneVersionWhole() throws Exception {
        writeInput();
        AtomicBoolean done = new AtomicBoolean();
        Set<String> wrong = new ConcurrentSkipListSet<>();
        AtomicInteger looks = new AtomicInteger();
        try (Engine engine = Engine.local(settings())) {
            writeVersion(engine, 0);
            List<Thread> readers = new ArrayList<>();
            for (int r = 0; r < 2; r++) {
                readers.add(Thread.ofPlatform().start(() -> {
                    while (!done.get()) {
                        look(engine, wrong, looks);
                    }
                }));
            }
            for (int version = 1; version <= VERSIONS; version++) {
                writeVersion(engine, version);
            }
            done.set(true);
            for (Thread reader : readers) {
                reader.join();
            }
            assertEquals(Set.of(), wrong);
            assertTrue(looks.get() > 0, "nobody looked");
            Result last = engine.sql("select min(version) a, max(version) b, count(*) n from dataset('"
                            + root.resolve("d") + "')")
                    .fetch();
            assertEquals(VERSIONS + " | " + VERSIONS + " | " + ROWS, last.row(0).toString());
        }
    }

    private void look(Engine engine, Set<String> wrong, AtomicInteger looks) {
        try {
            Result result = engine.sql(
                            "select version, count(*) n from dataset('" + root.resolve("d") + "') group by version")
                    .fetch();
            looks.incrementAndGet();
            if (result.size() != 1 || result.row(0).longValue("n") != ROWS) {
                wrong.add(result.rows().toString());
            }
        } catch (UnimerosException e) {
            if (!e.getMessage().contains("does not exist")) {
                wrong.add(e.getMessage());
            }
        }
    }

    @Test
    void writersAtTheSameTimeAllGetTheirRowsIn() throws Exception {
        writeInput();
        try (Engine engine = Engine.local(settings())) {
            List<Thread> writers = new ArrayList<>();
            for (int w = 0; w < 4; w++) {
                int version = w;
                writers.add(Thread.ofPlatform()
                        .start(() -> engine.read(root.resolve("in.csv").toString())
                                .derive("version", String.valueOf(version))
                                .write(
                                        root.resolve("all").toString(),
                                        as -> as.json().partitionedBy("part").appending())));
            }
            for (Thread writer : writers) {
                writer.join();
            }
            Result counts = engine.sql("select version, count(*) n, count(id) i from dataset('" + root.resolve("all")
                            + "') group by version order by version")
                    .fetch();
            assertEquals(4, counts.size());
            counts.rows().forEach(r -> assertEquals(ROWS, r.longValue("n")));
        }
        try (Stream<Path> left = Files.walk(root.resolve("all/_unimeros/staging"))) {
            assertEquals(1, left.count(), "something was left in staging");
        }
    }

    /** The rows are asked for while the first of many files is read; the others are replaced by then. */
    @Test
    void aReaderWhoseFilesAreReplacedGoesOnWithThem() throws Exception {
        writeInput();
        Settings one = settings().with("slots", "1");
        try (Engine engine = Engine.local(one);
                Engine writer = Engine.local(one)) {
            writeVersion(writer, 1);
            engine.define("slow", Long.class, Long.class, PublicationTest::slow);
            AtomicReference<String> seen = new AtomicReference<>();
            Thread reader = Thread.ofPlatform()
                    .start(() -> seen.set(engine.sql(
                                    "select min(slow(version)), max(version), count(*), count(distinct id) from dataset('"
                                            + root.resolve("d") + "')")
                            .fetch()
                            .row(0)
                            .toString()));
            READS.await();
            writeVersion(writer, 2);
            writeVersion(writer, 3);
            REPLACED.countDown();
            reader.join();
            assertEquals("1 | 1 | " + ROWS + " | " + ROWS, seen.get());
        }
    }

    private static Long slow(Long version) {
        READS.countDown();
        try {
            REPLACED.await();
        } catch (InterruptedException e) {
            Thread.currentThread().interrupt();
        }
        return version;
    }

    @Test
    void morePartitionsThanOpenFilesAreWrittenAllTheSame() {
        try (Engine engine = Engine.local(settings().with("write.together", "off"))) {
            StringBuilder text = new StringBuilder("id,part\n");
            for (int i = 0; i < 3000; i++) {
                text.append(i).append(',').append(i % 700).append('\n');
            }
            Files.writeString(root.resolve("many.csv"), text);
            Run run = engine.read(root.resolve("many.csv").toString())
                    .write(root.resolve("parts").toString(), as -> as.parquet().partitionedBy("part"));
            assertEquals(3000, run.rows());
            assertTrue(
                    run.warnings().get(0).contains("set write.together to on"),
                    run.warnings().toString());
            Result back = engine.sql(
                            "select count(*) n, sum(id) s, max(part) p from dataset('" + root.resolve("parts") + "')")
                    .fetch();
            assertEquals("3000 | 4498500 | 699", back.row(0).toString());
            assertEquals(
                    700,
                    engine.inspect(root.resolve("parts").toString())
                            .partitions()
                            .size());
        } catch (IOException e) {
            throw new IllegalStateException(e);
        }
    }
}
