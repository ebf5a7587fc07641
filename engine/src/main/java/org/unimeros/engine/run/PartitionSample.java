package org.unimeros.engine.run;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.OptionalLong;
import java.util.TreeSet;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.error.UnimerosException;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expressions;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.source.BadRecord;
import org.unimeros.engine.source.BatchReader;
import org.unimeros.engine.source.ReadContext;
import org.unimeros.engine.source.ScanPlan;
import org.unimeros.engine.stage.Output;
import org.unimeros.engine.stage.PhysicalPlan;
import org.unimeros.engine.stage.Source;
import org.unimeros.engine.stage.Stage;
import org.unimeros.engine.stage.Step;

/**
 * Looks at a few rows of a scan that is written by partitions, before anything runs, to tell how many partitions there will be at
 * least. What no scan gives directly, or needs code of the job, is not looked at.
 *
 * <p>The number of values is that of A. Chao, "Nonparametric estimation of the number of classes in a population" (1984): those
 * seen, and the square of those seen once by twice those seen twice; it errs to the low side.
 */
public final class PartitionSample {

    private static final int SPLITS = 3;
    private static final int BATCHES = 3;
    private static final int LEAST_ROWS = 1_000;

    private final ScanPlan scan;
    private final List<Step> steps;
    private final Schema schema;
    private final List<Integer> partitionColumns;
    private final Map<List<Object>, Integer> seen = new HashMap<>();
    private long read;
    private long readBytes;
    private long kept;

    private PartitionSample(Stage stage, ScanPlan scan, List<Integer> partitionColumns) {
        this.scan = scan;
        this.steps = stage.pipelines().get(0).steps();
        this.schema = stage.schema();
        this.partitionColumns = partitionColumns;
    }

    /** How many partitions the rows of a plan will be written to, at least; empty when that is not known. */
    public static OptionalLong leastPartitions(PhysicalPlan plan) {
        Stage first = plan.stages().get(0);
        Stage last = plan.stages().get(plan.stages().size() - 1);
        if (!(last.output() instanceof Output.ToSink to)
                || to.sink().partitionColumns().isEmpty()
                || first.pipelines().size() != 1
                || !(first.pipelines().get(0).source() instanceof Source.Table table)
                || !isPlain(plan)) {
            return OptionalLong.empty();
        }
        PartitionSample sample =
                new PartitionSample(first, table.plan(), to.sink().partitionColumns());
        try {
            sample.look();
        } catch (UnimerosException e) {
            // The run will tell, should it come so far.
            return OptionalLong.empty();
        }
        return sample.estimate();
    }

    /** Whether a row that is read is one that is written, with other columns, or left out. */
    private static boolean isPlain(PhysicalPlan plan) {
        boolean onlyMoves = plan.stages().size() == 1
                || plan.stages().size() == 2
                        && plan.stages().get(1).pipelines().stream()
                                .allMatch(p -> p.steps().isEmpty());
        return onlyMoves
                && plan.stages().get(0).pipelines().get(0).steps().stream().allMatch(step -> switch (step) {
                    case Step.Where s -> !Expressions.hasOwnCode(s.condition());
                    case Step.Select s -> s.outputs().stream().noneMatch(o -> Expressions.hasOwnCode(o.expression()));
                    default -> false;
                });
    }

    private void look() {
        int last = scan.splits().size() - 1;
        TreeSet<Integer> chosen = new TreeSet<>();
        for (int i = 0; i < SPLITS && last >= 0; i++) {
            chosen.add((int) ((long) last * i / (SPLITS - 1)));
        }
        try (Evaluator evaluator = new Evaluator()) {
            for (int split : chosen) {
                try (BatchReader reader = scan.splits().get(split).open(LENIENT)) {
                    Batch batch = reader.next();
                    for (int i = 0; i < BATCHES && batch != null; i++) {
                        take(batch, evaluator);
                        batch = reader.next();
                    }
                }
            }
        }
    }

    private void take(Batch batch, Evaluator evaluator) {
        read += batch.rowCount();
        readBytes += batch.sizeInBytes();
        Batch rows = batch;
        for (Step step : steps) {
            if (step instanceof Step.Where where) {
                rows = evaluator.filter(where.condition(), rows);
            } else if (step instanceof Step.Select select) {
                Batch from = rows;
                Column[] columns = select.outputs().stream()
                        .map(Named::expression)
                        .map((Expression e) -> evaluator.evaluate(e, from))
                        .toArray(Column[]::new);
                rows = new Batch(from.rowCount(), columns);
            }
        }
        kept += rows.rowCount();
        for (int row = 0; row < rows.rowCount(); row++) {
            List<Object> key = new ArrayList<>();
            for (int column : partitionColumns) {
                key.add(Values.get(
                        rows.column(column), row, schema.field(column).type()));
            }
            seen.merge(key, 1, Integer::sum);
        }
    }

    private OptionalLong estimate() {
        if (kept < LEAST_ROWS) {
            return OptionalLong.empty();
        }
        double once = seen.values().stream().filter(n -> n == 1).count();
        double twice = seen.values().stream().filter(n -> n == 2).count();
        double values = seen.size() + (twice > 0 ? once * once / (2 * twice) : once * (once - 1) / 2);
        double all =
                scan.estimatedRows() >= 0 ? scan.estimatedRows() : scan.bytes() * (read / Math.max(1.0, readBytes));
        return OptionalLong.of((long) Math.min(values, all * kept / read));
    }

    private static final ReadContext LENIENT = new ReadContext() {
        @Override
        public void badRecord(BadRecord record, String advice) {
            // the run tells of it
        }

        @Override
        public boolean leavesOutBadRecords() {
            return true;
        }

        @Override
        public void warn(String message) {
            // the run tells of it
        }
    };
}
