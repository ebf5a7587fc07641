package org.unimeros.engine.operator;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertNotSame;
import static org.junit.jupiter.api.Assertions.assertSame;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.SpareArrays;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.Functions;
import org.unimeros.engine.expr.Operators;
import org.unimeros.engine.group.PartialGroup;
import org.unimeros.engine.join.JoinTable;
import org.unimeros.engine.join.ProbeJoin;
import org.unimeros.engine.model.MemoryScratch;
import org.unimeros.engine.model.TestRuns;
import org.unimeros.engine.plan.Plan.JoinKind;
import org.unimeros.engine.plan.Plan.NamedAggregate;
import org.unimeros.engine.spill.Chunk;
import org.unimeros.engine.spill.StepSpace;
import org.unimeros.engine.spill.Workspace;
import org.unimeros.engine.stage.Step;

/** Columns of pairs and of sums stand in arrays that are written again and again: nothing that is still needed may stand in them. */
class SpareArraysTest {

    private static final Schema SCANS =
            Schema.of(Field.of("container", DataType.LONG), Field.of("weight", DataType.LONG));
    private static final ColumnRef CONTAINER = new ColumnRef(0, "container", DataType.LONG);
    private static final ColumnRef WEIGHT = new ColumnRef(1, "weight", DataType.LONG);
    private static final ColumnRef OTHER = new ColumnRef(3, "other", DataType.LONG);
    /** Of the pairs of two scans. */
    private static final Expression APART = Functions.call("abs", List.of(Operators.arithmetic("-", WEIGHT, OTHER)));

    /** Keeps the batches themselves, and looks at them at the end. */
    private static final class Keeper extends Operator {
        final List<Batch> batches = new ArrayList<>();

        @Override
        public void accept(Batch batch) {
            batches.add(batch.dense());
        }

        @Override
        public void finish() {
            // nothing is held back
        }

        /** The sums of one column by others; the last of them alone where there are none. */
        Map<List<Long>, Long> sums(int... keys) {
            Map<List<Long>, Long> sums = new HashMap<>();
            for (Batch batch : batches) {
                for (int row = 0; row < batch.rowCount(); row++) {
                    List<Long> key = new ArrayList<>();
                    for (int c : keys) {
                        key.add(((LongColumn) batch.column(c)).values()[row]);
                    }
                    long value = ((LongColumn) batch.column(keys.length)).values()[row];
                    sums.merge(key, value, Long::sum);
                }
            }
            return sums;
        }
    }

    private static Step.Probe join(boolean conditional) {
        Optional<Expression> condition =
                conditional ? Optional.of(Operators.compare("<", WEIGHT, OTHER)) : Optional.empty();
        List<Expression> key = List.of(CONTAINER);
        return new Step.Probe(1, true, false, JoinKind.INNER, key, key, SCANS, SCANS, condition, "test");
    }

    /** A few containers have far more scans than go into one batch, and a few hundred have some. */
    private static Batch scans(Random random, int rows) {
        long[] containers = new long[rows];
        for (int i = 0; i < rows; i++) {
            containers[i] = random.nextInt(3) == 0 ? random.nextInt(2) : random.nextInt(400);
        }
        return new Batch(
                rows,
                new LongColumn(containers, null),
                new LongColumn(random.longs(rows, 0, 31_000).toArray(), null));
    }

    private static Map<List<Long>, Long> expected(Batch left, Batch right, boolean conditional, boolean byWeights) {
        long[] a = ((LongColumn) left.column(1)).values();
        long[] b = ((LongColumn) right.column(1)).values();
        Map<List<Long>, Long> sums = new HashMap<>();
        for (int i = 0; i < a.length; i++) {
            for (int k = 0; k < b.length; k++) {
                long container = ((LongColumn) left.column(0)).values()[i];
                if (container == ((LongColumn) right.column(0)).values()[k] && (!conditional || a[i] < b[k])) {
                    sums.merge(byWeights ? List.of(a[i], b[k]) : List.of(container), Math.abs(a[i] - b[k]), Long::sum);
                }
            }
        }
        return sums;
    }

    private static PartialGroup group(List<Expression> keys, Operator next) {
        StepSpace space = new StepSpace(new Workspace(new MemoryScratch(), TestRuns.AMPLE_MEMORY, 1), 1 << 22);
        Aggregate sum = new Aggregate(Aggregate.Kind.SUM, APART, DataType.LONG);
        return new PartialGroup(new Evaluator(), keys, List.of(new NamedAggregate(sum, "apart")), space, next);
    }

    private static void run(Batch left, Batch right, boolean conditional, Operator next) {
        JoinTable table = JoinTable.build(List.of(Chunk.inMemory(right)), SCANS, List.of(CONTAINER));
        ProbeJoin join = new ProbeJoin(new Evaluator(), join(conditional), table, (p, k, n) -> {}, next);
        for (int from = 0; from < left.rowCount(); from += 1000) {
            join.accept(left.slice(from, Math.min(1000, left.rowCount() - from)));
        }
        join.finish();
    }

    @Test
    void groupsOfPairsAreThoseOfPlainLoops() {
        Random random = new Random(1);
        for (boolean conditional : new boolean[] {false, true}) {
            Batch left = scans(random, 3000);
            Batch right = scans(random, 3000);
            Keeper few = new Keeper();
            run(left, right, conditional, group(List.of(CONTAINER), few));
            assertEquals(expected(left, right, conditional, false), few.sums(0));
            // So many groups that they are given up, and pairs passed on one by one.
            Keeper many = new Keeper();
            run(left, right, conditional, group(List.of(WEIGHT, OTHER), many));
            assertTrue(many.batches.size() > 100, "groups of one come in batches: " + many.batches.size());
            assertEquals(expected(left, right, conditional, true), many.sums(0, 1));
        }
    }

    @Test
    void whoKeepsBatchesGetsArraysOfTheirOwn() {
        Batch left = scans(new Random(2), 2000);
        Keeper keeper = new Keeper();
        SimpleOperators.Select select = new SimpleOperators.Select(new Evaluator(), List.of(CONTAINER, APART), keeper);
        run(
                left,
                left,
                false,
                new SimpleOperators.Where(new Evaluator(), Operators.compare("<", WEIGHT, OTHER), select));
        assertEquals(expected(left, left, true, false), keeper.sums(0));
    }

    @Test
    void arraysComeAgainOnlyWhereTheyAreAskedFor() {
        assertNotSame(SpareArrays.forLongs(10), SpareArrays.forLongs(10));
        SpareArrays spare = new SpareArrays();
        long[] first = spare.during(() -> SpareArrays.forLongs(10));
        assertNotSame(first, spare.during(() -> SpareArrays.forLongs(10)), "both are still in use");
        spare.reuse();
        assertSame(first, spare.during(() -> SpareArrays.forLongs(4000)));
        assertTrue(first.length >= 4000);
        assertEquals(1 << 20, spare.during(() -> SpareArrays.forInts(1 << 20)).length);
        assertTrue(spare.during(() -> SpareArrays.forDoubles(5000)).length >= 5000);
        assertEquals(10, SpareArrays.forDoubles(10).length, "outside again");
    }
}
