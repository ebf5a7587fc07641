package org.unimeros.engine.run;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
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
import org.unimeros.engine.source.Split;
import org.unimeros.engine.stage.Output;
import org.unimeros.engine.stage.PhysicalPlan;
import org.unimeros.engine.stage.Source;
import org.unimeros.engine.stage.Stage;
import org.unimeros.engine.stage.Step;

/**
 * Looks at some rows of a scan that is written by partitions, before anything runs, to tell how many partitions there will be. What no scan
 * gives directly is not looked at.
 *
 * <p>Few rows are enough to see that there are few partitions. Where most rows that were seen have one of their own, more are looked at, up to as many as
 * make it certain that there are too many.
 */
public final class PartitionSample {

    private static final int SPLITS = 3;
    private static final int BATCHES = 3;
    private static final int MORE_SPLITS = 8;
    private static final int LEAST_ROWS = 1_000;

    private final ScanPlan scan;
    private final List<Step> steps;
    private final Schema schema;
    private final List<Integer> partitionColumns;
    private final int enough;
    private final Map<List<Object>, Integer> seen = new HashMap<>();
    private long read;
    private long readBytes;
    private long kept;

    private PartitionSample(Stage stage, ScanPlan scan, List<Integer> partitionColumns, int enough) {
        this.scan = scan;
        this.steps = stage.pipelines().get(0).steps();
        this.schema = stage.schema();
        this.partitionColumns = partitionColumns;
        this.enough = enough;
    }

    /**
     * How many partitions there are.
     *
     * @param least those that were seen
     * @param about those that there probably are
     */
    public record Estimate(long least, long about) {}

    /**
     * How many partitions the rows of a plan will be written to; empty when that is not known.
     *
     * @param enough no more than this, and one, need be seen
     */
    public static Optional<Estimate> of(PhysicalPlan plan, int enough) {
        Stage first = plan.stages().get(0);
        Stage last = plan.stages().get(plan.stages().size() - 1);
        if (!(last.output() instanceof Output.ToSink to)
                || to.sink().partitionColumns().isEmpty()
                || first.pipelines().size() != 1
                || !(first.pipelines().get(0).source() instanceof Source.Table table)
                || !table.plan().splits().stream().allMatch(Split::canBeSampled)
                || !isPlain(plan)) {
            return Optional.empty();
        }
        PartitionSample sample =
                new PartitionSample(first, table.plan(), to.sink().partitionColumns(), enough);
        try {
            sample.look(SPLITS, BATCHES);
            if (sample.seen.size() > sample.kept / 2 && sample.kept >= LEAST_ROWS) {
                sample.look(MORE_SPLITS, 1 + 2 * enough / Batch.TARGET_ROWS / MORE_SPLITS);
            }
        } catch (UnimerosException e) {
            // The run will tell, should it come so far.
            return Optional.empty();
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

    private void look(int mostSplits, int batchesOfEach) {
        seen.clear();
        read = 0;
        readBytes = 0;
        kept = 0;
        int last = scan.splits().size() - 1;
        TreeSet<Integer> chosen = new TreeSet<>();
        for (int i = 0; i < mostSplits && last >= 0; i++) {
            chosen.add((int) ((long) last * i / (mostSplits - 1)));
        }
        // Where there are fewer splits, more is read of each.
        long batches = (long) batchesOfEach * mostSplits / Math.max(1, chosen.size());
        try (Evaluator evaluator = new Evaluator()) {
            for (int split : chosen) {
                try (BatchReader reader = scan.splits().get(split).open(LENIENT)) {
                    Batch batch = reader.next();
                    for (long i = 0; i < batches && batch != null && seen.size() <= enough; i++) {
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

    /** After A. Chao, "Nonparametric estimation of the number of classes in a population", 1984. */
    private Optional<Estimate> estimate() {
        if (kept < LEAST_ROWS) {
            return Optional.empty();
        }
        double once = seen.values().stream().filter(n -> n == 1).count();
        double twice = seen.values().stream().filter(n -> n == 2).count();
        double values = seen.size() + (twice > 0 ? once * once / (2 * twice) : once * (once - 1) / 2);
        double all =
                scan.estimatedRows() >= 0 ? scan.estimatedRows() : scan.bytes() * (read / Math.max(1.0, readBytes));
        long about = (long) Math.max(seen.size(), Math.min(values, all * kept / read));
        return Optional.of(new Estimate(seen.size(), about));
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
