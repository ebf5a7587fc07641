package org.unimeros.benchmarks;

import java.nio.file.Path;
import java.time.InstantSource;
import java.util.ArrayList;
import java.util.Iterator;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ThreadLocalRandom;
import java.util.function.Function;
import java.util.stream.IntStream;
import java.util.stream.Stream;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DoubleColumn;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.PlanBuilder;
import org.unimeros.engine.plan.Rewrite;
import org.unimeros.engine.run.LocalRunner;
import org.unimeros.engine.run.RunListener;
import org.unimeros.engine.run.RunOutcome;
import org.unimeros.engine.run.RunSettings;
import org.unimeros.engine.source.BatchReader;
import org.unimeros.engine.source.ReadContext;
import org.unimeros.engine.source.ScanPlan;
import org.unimeros.engine.source.ScanRequest;
import org.unimeros.engine.source.Split;
import org.unimeros.engine.source.TableSink;
import org.unimeros.engine.source.TableSource;
import org.unimeros.engine.spill.Chunk;
import org.unimeros.engine.stage.PhysicalPlan;
import org.unimeros.engine.stage.PlanSettings;
import org.unimeros.engine.stage.StagePlanner;
import org.unimeros.sql.SqlQuery;
import org.unimeros.storage.scratch.ScratchFolder;

/**
 * Rows in memory as a table, and runs over it. They are made batches of once, in the form that the engine keeps rows in, as the program by
 * hand has its arrays: what is measured is work on rows that are there.
 */
final class MemoryTable implements TableSource {

    private static final int SPLITS = 32;
    private static final long PART_BYTES = 16L << 20;
    private static final PlanSettings SETTINGS = new PlanSettings(32L << 20, 32L << 20, 32);

    private final String name;
    private final Schema schema;
    private final int rows;
    /** The batches of each split. */
    private final List<List<Batch>> splits;

    /** The values of a column. */
    interface Values {
        DataType type();

        /** All of them, which are not copied. */
        Column whole();

        default Column slice(int from, int rows) {
            return whole().slice(from, rows);
        }
    }

    MemoryTable(String name, List<String> names, long[]... columns) {
        this(name, names, Stream.of(columns).map(MemoryTable::longs).toList(), columns[0].length, SPLITS);
    }

    /** @param splits how many tasks read it */
    MemoryTable(String name, List<String> names, List<Values> columns, int rows, int splits) {
        this.name = name;
        this.rows = rows;
        List<Field> fields = new ArrayList<>();
        for (int c = 0; c < columns.size(); c++) {
            fields.add(Field.of(names.get(c), columns.get(c).type()));
        }
        this.schema = new Schema(fields);
        this.splits = IntStream.range(0, splits)
                .mapToObj(
                        s -> batches(columns, (int) ((long) rows * s / splits), (int) ((long) rows * (s + 1) / splits)))
                .toList();
    }

    private static List<Batch> batches(List<Values> columns, int from, int end) {
        List<Batch> batches = new ArrayList<>();
        for (int at = from; at < end; at += Batch.TARGET_ROWS) {
            int first = at;
            int n = Math.min(Batch.TARGET_ROWS, end - at);
            batches.add(
                    new Batch(n, columns.stream().map(c -> c.slice(first, n)).toArray(Column[]::new)));
        }
        return batches;
    }

    private record OfType(DataType type, Column whole) implements Values {}

    static Values longs(long[] values) {
        return longs(DataType.LONG, values);
    }

    static Values longs(DataType type, long[] values) {
        return new OfType(type, new LongColumn(values, null));
    }

    static Values ints(DataType type, int[] values) {
        return new OfType(type, new IntColumn(values, null));
    }

    static Values doubles(double[] values) {
        return new OfType(DataType.DOUBLE, new DoubleColumn(values, null));
    }

    /** Texts by their numbers in a list. */
    static Values texts(int[] numbers, List<String> texts) {
        BatchBuilder dictionary = new BatchBuilder(List.of(DataType.TEXT));
        for (String text : texts) {
            dictionary.column(0).appendText(text);
            dictionary.endRow();
        }
        TextColumn entries = (TextColumn) dictionary.build().column(0);
        return new OfType(DataType.TEXT, TextColumn.encoded(numbers, entries, texts.size(), null));
    }

    @Override
    public String name() {
        return name;
    }

    @Override
    public Schema schema() {
        return schema;
    }

    @Override
    public ScanPlan plan(ScanRequest request) {
        List<Split> parts = new ArrayList<>();
        splits.forEach(batches -> parts.add(new Part(batches, request)));
        return new ScanPlan(
                parts, 0, 8L * rows * request.columns().size(), 0, 0, rows, request.conditions(), List.of());
    }

    private record Part(List<Batch> batches, ScanRequest request) implements Split {
        @Override
        public long bytes() {
            return 8L
                    * batches.stream().mapToLong(Batch::rowCount).sum()
                    * request.columns().size();
        }

        @Override
        public String describe() {
            return batches.size() + " batches in memory";
        }

        @Override
        public BatchReader open(ReadContext context) {
            int[] columns = request.columns().stream().mapToInt(c -> c).toArray();
            Iterator<Batch> left = batches.iterator();
            return new BatchReader() {
                @Override
                public Batch next() {
                    return left.hasNext() ? left.next().pick(columns) : null;
                }

                @Override
                public void close() {
                    // nothing to close
                }
            };
        }
    }

    /** Carries a query over tables out and gives its rows. */
    static List<Batch> query(String sql, Map<String, MemoryTable> tables, int slots, long memory, Path scratch) {
        return run(StagePlanner.forResult(plan(sql, tables), SETTINGS), slots, memory, scratch);
    }

    /** What a query over tables means. */
    static Plan plan(String sql, Map<String, MemoryTable> tables) {
        return Rewrite.apply(SqlQuery.plan(sql, name -> PlanBuilder.scan(tables.get(name), null)));
    }

    /** Carries a query over tables out and gives its rows to a sink. */
    static void write(
            String sql, Map<String, MemoryTable> tables, Function<Schema, TableSink> sink, int slots, Path scratch) {
        Plan plan = SqlQuery.plan(sql, name -> PlanBuilder.scan(tables.get(name), null));
        TableSink to = sink.apply(plan.schema());
        run(StagePlanner.forSink(Rewrite.apply(plan), to, SETTINGS), slots, 4L << 30, scratch);
    }

    /** Carries a plan out and gives its rows. */
    static List<Batch> run(PhysicalPlan physical, int slots, long memory, Path scratch) {
        return run(physical, slots, PART_BYTES, memory, scratch, event -> {});
    }

    /** The same with parts of another size, for somebody who wants to know what happens. */
    static List<Batch> run(
            PhysicalPlan physical, int slots, long partBytes, long memory, Path scratch, RunListener listener) {
        RunSettings settings = new RunSettings(slots, 1, partBytes, memory, RunSettings.BadRecordPolicy.FAIL, 0);
        RunOutcome outcome = new LocalRunner(
                        physical,
                        settings,
                        listener,
                        InstantSource.system(),
                        System::nanoTime,
                        null,
                        new ScratchFolder(scratch))
                .run("benchmark-" + ThreadLocalRandom.current().nextInt(1 << 20), "a benchmark", Map.of());
        List<Batch> batches = outcome.chunks().stream().map(Chunk::load).toList();
        outcome.workspace().close();
        return batches;
    }
}
