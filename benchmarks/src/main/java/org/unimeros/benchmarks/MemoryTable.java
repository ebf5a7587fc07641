package org.unimeros.benchmarks;

import java.nio.file.Path;
import java.time.InstantSource;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.concurrent.ThreadLocalRandom;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Rewrite;
import org.unimeros.engine.run.LocalRunner;
import org.unimeros.engine.run.RunOutcome;
import org.unimeros.engine.run.RunSettings;
import org.unimeros.engine.source.BatchReader;
import org.unimeros.engine.source.ReadContext;
import org.unimeros.engine.source.ScanPlan;
import org.unimeros.engine.source.ScanRequest;
import org.unimeros.engine.source.Split;
import org.unimeros.engine.source.TableSource;
import org.unimeros.engine.spill.Chunk;
import org.unimeros.engine.stage.PlanSettings;
import org.unimeros.engine.stage.StagePlanner;
import org.unimeros.storage.scratch.ScratchFolder;

/** Columns of longs in memory as a table, and runs over it. */
final class MemoryTable implements TableSource {

    private static final int SPLITS = 32;

    private final String name;
    private final Schema schema;
    private final long[][] columns;
    private final int rows;

    MemoryTable(String name, List<String> names, long[]... columns) {
        this.name = name;
        this.schema =
                new Schema(names.stream().map(n -> Field.of(n, DataType.LONG)).toList());
        this.columns = columns;
        this.rows = columns[0].length;
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
        List<Split> splits = new ArrayList<>();
        for (int s = 0; s < SPLITS; s++) {
            splits.add(new Part((int) ((long) rows * s / SPLITS), (int) ((long) rows * (s + 1) / SPLITS), request));
        }
        return new ScanPlan(
                splits, 0, 8L * rows * request.columns().size(), 0, 0, rows, request.conditions(), List.of());
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
                        long[] values = new long[n];
                        System.arraycopy(columns[request.columns().get(c)], at, values, 0, n);
                        picked[c] = new LongColumn(values, null);
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

    /** Carries a plan out and gives its rows. */
    static List<Batch> run(Plan plan, int slots, long memory, Path scratch) {
        var physical = StagePlanner.forResult(Rewrite.apply(plan), new PlanSettings(32L << 20, 64L << 20, 32));
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
