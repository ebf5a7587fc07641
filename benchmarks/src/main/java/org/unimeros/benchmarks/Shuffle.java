package org.unimeros.benchmarks;

import com.github.luben.zstd.Zstd;
import java.io.IOException;
import java.io.RandomAccessFile;
import java.nio.ByteBuffer;
import java.nio.LongBuffer;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.OptionalLong;
import java.util.SplittableRandom;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Aggregates;
import org.unimeros.engine.plan.Plan.NamedAggregate;
import org.unimeros.engine.plan.PlanBuilder;
import org.unimeros.engine.source.ScanRequest;
import org.unimeros.engine.stage.Estimate;
import org.unimeros.engine.stage.Output;
import org.unimeros.engine.stage.PhysicalPlan;
import org.unimeros.engine.stage.Source;
import org.unimeros.engine.stage.Stage;
import org.unimeros.engine.stage.Step;

/**
 * Rows of two columns divided by a key into 64 parts that go to files and are read back part by part. The hand-written
 * program keeps a buffer per part and thread, compresses full ones with the same library at its lowest level, appends them
 * to a file per thread, and reads them back.
 */
final class Shuffle extends Entry {

    private static final int PARTS = 64;
    private static final int BUFFER_ROWS = 8192;
    private static final long MEMORY = 64L << 20;

    private final Path folder;
    private final int rows;
    private long[] keys;
    private long[] weights;
    private MemoryTable table;

    Shuffle(Path folder, int rows) {
        super("shuffle", String.format("%,d rows into %d parts, to files and back", rows, PARTS), rows, null);
        this.folder = folder;
        this.rows = rows;
    }

    @Override
    void prepare() throws IOException {
        Files.createDirectories(folder);
        SplittableRandom random = new SplittableRandom(31);
        keys = new long[rows];
        weights = new long[rows];
        for (int i = 0; i < rows; i++) {
            keys[i] = random.nextLong(1L << 40);
            weights[i] = random.nextInt(31_000);
        }
    }

    @Override
    void prepareOurs() {
        table = new MemoryTable("scans", List.of("parcel_id", "weight_g"), keys, weights);
    }

    /** Two stages: rows are divided, then each part is summed by a task. */
    @Override
    Object ours(int slots) {
        var scan = new Source.Table(
                "scans",
                List.of("parcel_id", "weight_g"),
                table.plan(new ScanRequest(List.of(0, 1), List.of(), 32L << 20)));
        Estimate size = new Estimate(rows, 16L * rows);
        Output divided =
                new Output.ToParts(List.of(PlanBuilder.column(table.schema(), 0)), PARTS, Output.ToParts.Notes.NONE);
        Stage write = Stage.numbered(
                1,
                1,
                List.of(new Stage.Pipeline(scan, List.of())),
                divided,
                table.schema(),
                size,
                OptionalLong.empty());
        Aggregate mix = Aggregates.of(Aggregates.Call.of("max", List.of(PlanBuilder.column(table.schema(), 0))));
        Aggregate grams = Aggregates.of(Aggregates.Call.of("max", List.of(PlanBuilder.column(table.schema(), 1))));
        Step sums = new Step.PartialGroup(
                List.of(),
                List.of(
                        new NamedAggregate(Aggregate.countRows(), "n"),
                        new NamedAggregate(mix, "last"),
                        new NamedAggregate(grams, "heaviest")));
        Stage read = Stage.numbered(
                2,
                10,
                List.of(new Stage.Pipeline(new Source.Parts(1), List.of(sums))),
                new Output.ToResult(),
                table.schema(),
                size,
                OptionalLong.empty());
        long[] answer = new long[3];
        for (Batch batch : MemoryTable.run(
                new PhysicalPlan(List.of(write, read), table.schema()), slots, MEMORY, folder.resolve("scratch"))) {
            for (int i = 0; i < batch.rowCount(); i++) {
                answer[0] += ((LongColumn) batch.column(0)).values()[i];
                answer[1] = Math.max(answer[1], ((LongColumn) batch.column(1)).values()[i]);
                answer[2] = Math.max(answer[2], ((LongColumn) batch.column(2)).values()[i]);
            }
        }
        return List.of(answer[0], answer[1], answer[2]);
    }

    /** Where compressed rows of a part stand. */
    private record Block(int part, long start, int bytes, int rows) {}

    /** A file of blocks, and buffers for the rows of each part. */
    private static final class Writer implements AutoCloseable {
        private final RandomAccessFile file;
        private final List<Block> blocks = new ArrayList<>();
        private final long[][] keys = new long[PARTS][BUFFER_ROWS];
        private final long[][] weights = new long[PARTS][BUFFER_ROWS];
        private final int[] filled = new int[PARTS];
        private final ByteBuffer plain = ByteBuffer.allocate(BUFFER_ROWS * 16);
        private final byte[] packed = new byte[(int) Zstd.compressBound(BUFFER_ROWS * 16)];
        private long end;

        Writer(Path path) throws IOException {
            file = new RandomAccessFile(path.toFile(), "rw");
        }

        void add(long key, long weight) throws IOException {
            int part = (int) (key * Divided.PRIME >>> 58);
            int at = filled[part]++;
            keys[part][at] = key;
            weights[part][at] = weight;
            if (at == BUFFER_ROWS - 1) {
                flush(part);
            }
        }

        void flush(int part) throws IOException {
            int n = filled[part];
            plain.clear().asLongBuffer().put(keys[part], 0, n).put(weights[part], 0, n);
            int bytes = (int) Zstd.compressByteArray(packed, 0, packed.length, plain.array(), 0, n * 16, 1);
            file.write(packed, 0, bytes);
            blocks.add(new Block(part, end, bytes, n));
            end += bytes;
            filled[part] = 0;
        }

        @Override
        public void close() throws IOException {
            file.close();
        }
    }

    @Override
    Object handWritten(int threads) throws Exception {
        List<Writer> writers = Threads.each(threads, t -> {
            Writer writer = new Writer(folder.resolve("shuffled-" + t));
            for (int i = Threads.from(rows, t, threads); i < Threads.from(rows, t + 1, threads); i++) {
                writer.add(keys[i], weights[i]);
            }
            for (int part = 0; part < PARTS; part++) {
                writer.flush(part);
            }
            return writer;
        });
        List<long[]> answers = Threads.each(threads, t -> {
            long[] answer = new long[3];
            for (int part = t; part < PARTS; part += threads) {
                for (Writer writer : writers) {
                    read(writer, part, answer);
                }
            }
            return answer;
        });
        for (int t = 0; t < threads; t++) {
            writers.get(t).close();
            Files.delete(folder.resolve("shuffled-" + t));
        }
        return List.of(
                answers.stream().mapToLong(a -> a[0]).sum(),
                answers.stream().mapToLong(a -> a[1]).max().orElse(0),
                answers.stream().mapToLong(a -> a[2]).max().orElse(0));
    }

    private static void read(Writer writer, int part, long[] answer) throws IOException {
        byte[] plain = new byte[BUFFER_ROWS * 16];
        for (Block block : writer.blocks) {
            if (block.part != part) {
                continue;
            }
            ByteBuffer packed = ByteBuffer.allocate(block.bytes);
            writer.file.getChannel().read(packed, block.start);
            Zstd.decompressByteArray(plain, 0, block.rows * 16, packed.array(), 0, block.bytes);
            LongBuffer values = ByteBuffer.wrap(plain).asLongBuffer();
            answer[0] += block.rows;
            for (int i = 0; i < block.rows; i++) {
                answer[1] = Math.max(answer[1], values.get(i));
                answer[2] = Math.max(answer[2], values.get(block.rows + i));
            }
        }
    }
}
