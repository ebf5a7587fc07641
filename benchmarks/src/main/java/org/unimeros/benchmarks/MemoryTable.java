package org.unimeros.benchmarks;

import java.nio.file.Path;
import java.time.InstantSource;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ThreadLocalRandom;
import java.util.function.Function;
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

/** Columns in memory as a table, and runs over it. */
final class MemoryTable implements TableSource {

    private static final int SPLITS = 32;
    private static final PlanSettings SETTINGS = new PlanSettings(32L << 20, 32L << 20, 32);

    private final String name;
    private final Schema schema;
    private final List<Values> columns;
    private final int rows;
    private final int splits;

    /** The values of a column. */
    interface Values {
        DataType type();

        Column slice(int from, int rows);
    }

    MemoryTable(String name, List<String> names, long[]... columns) {
        this(name, names, Stream.of(columns).map(MemoryTable::longs).toList(), columns[0].length, SPLITS);
    }

    /** @param splits how many tasks read it */
    MemoryTable(String name, List<String> names, List<Values> columns, int rows, int splits) {
        this.name = name;
        this.columns = columns;
        this.rows = rows;
        this.splits = splits;
        List<Field> fields = new ArrayList<>();
        for (int c = 0; c < columns.size(); c++) {
            fields.add(Field.of(names.get(c), columns.get(c).type()));
        }
        this.schema = new Schema(fields);
    }

    private record OfType(DataType type, Slice slice) implements Values {
        @Override
        public Column slice(int from, int rows) {
            return slice.of(from, from + rows);
        }
    }

    /** A column of the rows of a range. */
    @FunctionalInterface
    private interface Slice {
        Column of(int from, int end);
    }

    static Values longs(long[] values) {
        return longs(DataType.LONG, values);
    }

    static Values longs(DataType type, long[] values) {
        return new OfType(type, (from, end) -> new LongColumn(Arrays.copyOfRange(values, from, end), null));
    }

    static Values ints(DataType type, int[] values) {
        return new OfType(type, (from, end) -> new IntColumn(Arrays.copyOfRange(values, from, end), null));
    }

    static Values doubles(double[] values) {
        return new OfType(
                DataType.DOUBLE, (from, end) -> new DoubleColumn(Arrays.copyOfRange(values, from, end), null));
    }

    /** Texts by their numbers in a list. */
    static Values texts(int[] numbers, List<String> texts) {
        BatchBuilder dictionary = new BatchBuilder(List.of(DataType.TEXT));
        for (String text : texts) {
            dictionary.column(0).appendText(text);
            dictionary.endRow();
        }
        TextColumn entries = (TextColumn) dictionary.build().column(0);
        return new OfType(
                DataType.TEXT,
                (from, end) -> TextColumn.encoded(Arrays.copyOfRange(numbers, from, end), entries, texts.size(), null));
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
        for (int s = 0; s < splits; s++) {
            parts.add(new Part((int) ((long) rows * s / splits), (int) ((long) rows * (s + 1) / splits), request));
        }
        return new ScanPlan(
                parts, 0, 8L * rows * request.columns().size(), 0, 0, rows, request.conditions(), List.of());
    }

    private final class Part implements Split {
        private final int from;
        private final int end;
        private final ScanRequest request;

        Part(int from, int end, ScanRequest request) {
            this.from = from;
            this.end = end;
            this.request = request;
        }

        @Override
        public long bytes() {
            return 8L * (end - from) * request.columns().size();
        }

        @Override
        public String describe() {
            return "rows " + from + " to " + end;
        }

        @Override
        public BatchReader open(ReadContext context) {
            return new BatchReader() {
                private int at = from;

                @Override
                public Batch next() {
                    int n = Math.min(Batch.TARGET_ROWS, end - at);
                    if (n == 0) {
                        return null;
                    }
                    Column[] picked = new Column[request.columns().size()];
                    for (int c = 0; c < picked.length; c++) {
                        picked[c] = columns.get(request.columns().get(c)).slice(at, n);
                    }
                    at += n;
                    return new Batch(n, picked);
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
        Plan plan = SqlQuery.plan(sql, name -> PlanBuilder.scan(tables.get(name), null));
        return run(StagePlanner.forResult(Rewrite.apply(plan), SETTINGS), slots, memory, scratch);
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
        RunSettings settings = new RunSettings(slots, 1, 16L << 20, memory, RunSettings.BadRecordPolicy.FAIL, 0);
        RunOutcome outcome = new LocalRunner(
                        physical,
                        settings,
                        event -> {},
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
