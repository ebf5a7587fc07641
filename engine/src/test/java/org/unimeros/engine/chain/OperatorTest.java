package org.unimeros.engine.chain;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.ArrayList;
import java.util.Collections;
import java.util.Comparator;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.TreeMap;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.SortKey;
import org.unimeros.engine.group.FinalGroup;
import org.unimeros.engine.group.PartialGroup;
import org.unimeros.engine.join.JoinTable;
import org.unimeros.engine.model.MemoryScratch;
import org.unimeros.engine.model.TestRuns;
import org.unimeros.engine.model.TestTable;
import org.unimeros.engine.operator.Operator;
import org.unimeros.engine.operator.Part;
import org.unimeros.engine.operator.SimpleOperators;
import org.unimeros.engine.operator.TaskResult;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.Plan.NamedAggregate;
import org.unimeros.engine.sort.OrderRows;
import org.unimeros.engine.sort.RowOrder;
import org.unimeros.engine.spill.Chunk;
import org.unimeros.engine.spill.StepSpace;
import org.unimeros.engine.spill.Workspace;
import org.unimeros.engine.stage.Output;
import org.unimeros.engine.stage.Step;

class OperatorTest {

    private static final Schema SCHEMA = Schema.of(Field.of("k", DataType.LONG), Field.of("v", DataType.LONG));
    private static final ColumnRef K = new ColumnRef(0, "k", DataType.LONG);
    private static final ColumnRef V = new ColumnRef(1, "v", DataType.LONG);

    /** Keeps what arrives. */
    private static final class Collector extends Operator {
        final List<Batch> batches = new ArrayList<>();
        long wanted = Long.MAX_VALUE;
        int finished;

        @Override
        public void accept(Batch batch) {
            assertTrue(batch.rowCount() > 0, "an empty batch was pushed");
            batches.add(batch.dense());
            wanted -= batch.rowCount();
        }

        @Override
        public void finish() {
            finished++;
        }

        @Override
        public boolean wantsMore() {
            return wanted > 0;
        }

        List<List<Object>> rows(Schema schema) {
            return TestTable.toRows(schema, batches);
        }
    }

    private static Batch batch(long[] k, long[] v) {
        return new Batch(k.length, new LongColumn(k, null), new LongColumn(v, null));
    }

    private static List<NamedAggregate> sumOfV() {
        Aggregate sum = new Aggregate(Aggregate.Kind.SUM, V, DataType.LONG);
        return List.of(new NamedAggregate(sum, "s"));
    }

    private static Workspace workspace(long budget) {
        return new Workspace(new MemoryScratch(), budget, 1);
    }

    private static StepSpace space(long limit) {
        return new StepSpace(workspace(0), limit);
    }

    private static List<List<Object>> rows(Part part) {
        return TestTable.toRows(SCHEMA, part.chunks().stream().map(Chunk::load).toList());
    }

    @Test
    void groupsOfManyKeysGiveTheSameSumsWhetherTheyReduceOrNot() {
        Schema result = Schema.of(Field.of("k", DataType.LONG), Field.of("s", DataType.LONG));
        for (int round = 0; round < 6; round++) {
            int keys = new int[] {1, 1000, 400_000}[round % 3];
            StepSpace space = space(round < 3 ? TestRuns.AMPLE_MEMORY : 1 << 20);
            Random random = new Random(keys);
            Map<Object, Long> model = new HashMap<>();
            Collector collector = new Collector();
            FinalGroup last = new FinalGroup(new Evaluator(), List.of(Named.of("k", K)), sumOfV(), space, collector);
            PartialGroup first = new PartialGroup(new Evaluator(), List.of(K), sumOfV(), space, last);
            for (int b = 0; b < 150; b++) {
                long[] k = random.longs(4096, 0, keys).toArray();
                long[] v = random.longs(4096, -50, 50).toArray();
                for (int i = 0; i < k.length; i++) {
                    model.merge(k[i], v[i], Long::sum);
                }
                first.accept(batch(k, v));
            }
            first.finish();
            Map<Object, Object> sums = new TreeMap<>();
            collector.rows(result).forEach(r -> sums.put(r.get(0), r.get(1)));
            assertEquals(new TreeMap<>(model), sums, keys + " keys");
            assertEquals(1, collector.finished);
            assertEquals(round == 5, space.spilledBytes() > 0);
        }
    }

    @Test
    void bigResultsArePushedInPieces() {
        Collector collector = new Collector();
        StepSpace space = space(TestRuns.AMPLE_MEMORY);
        FinalGroup last = new FinalGroup(new Evaluator(), List.of(Named.of("k", K)), sumOfV(), space, collector);
        PartialGroup first = new PartialGroup(new Evaluator(), List.of(K), sumOfV(), space, last);
        first.accept(batch(IntStream.range(0, 30_000).asLongStream().toArray(), new long[30_000]));
        first.finish();
        assertTrue(collector.batches.stream().allMatch(b -> b.rowCount() <= 2 * Batch.TARGET_ROWS));
        assertEquals(
                30_000, collector.batches.stream().mapToInt(Batch::rowCount).sum());
    }

    private static Step.Order order(long limit, boolean descending) {
        return new Step.Order(List.of(new SortKey(K, descending, descending)), SCHEMA, limit);
    }

    @Test
    void orderIsStableAndALimitKeepsTheFirst() {
        Random random = new Random(8);
        for (long limit : new long[] {0, 1, 10, 5000, 120_000, Long.MAX_VALUE}) {
            for (boolean descending : new boolean[] {false, true}) {
                StepSpace space = space(descending ? 1 << 18 : TestRuns.AMPLE_MEMORY);
                List<List<Object>> all = new ArrayList<>();
                Collector collector = new Collector();
                OrderRows operator = new OrderRows(new Evaluator(), order(limit, descending), space, collector);
                for (int b = 0; b < 40; b++) {
                    long[] k = random.longs(4096, 0, 500).toArray();
                    long[] v = new long[k.length];
                    for (int i = 0; i < k.length; i++) {
                        v[i] = all.size();
                        all.add(List.of(k[i], v[i]));
                    }
                    operator.accept(batch(k, v));
                }
                operator.finish();
                Comparator<List<Object>> byKey = Comparator.comparing(r -> (Long) r.get(0));
                all.sort(descending ? byKey.reversed() : byKey);
                List<List<Object>> expected = all.subList(0, (int) Math.min(limit, all.size()));
                assertEquals(expected, collector.rows(SCHEMA), "limit " + limit);
                assertTrue(limit < 100_000 || descending == space.spilledBytes() > 0);
            }
        }
    }

    @Test
    void takingStopsInTheMiddleOfABatch() {
        Collector collector = new Collector();
        SimpleOperators.Take take = new SimpleOperators.Take(3, 4, collector);
        take.accept(batch(new long[] {0, 1}, new long[2]));
        assertTrue(take.wantsMore());
        take.accept(batch(new long[] {2, 3, 4, 5, 6, 7}, new long[6]));
        assertEquals(false, take.wantsMore() && collector.rows(SCHEMA).size() >= 4);
        take.accept(batch(new long[] {8, 9}, new long[2]));
        assertEquals(
                List.of(3L, 4L, 5L, 6L),
                collector.rows(SCHEMA).stream().map(r -> r.get(0)).toList());
    }

    @Test
    void everyKeyGoesToOnePartAndAllPartsAreUsed() {
        List<Expression> keys = List.of(K);
        Outputs.Divide divide = new Outputs.Divide(
                new Evaluator(),
                new Output.ToParts(keys, 7, Output.ToParts.Notes.OF_JOIN),
                List.of(DataType.LONG, DataType.LONG),
                workspace(100_000).newStore(),
                20_000);
        Random random = new Random(9);
        int total = 0;
        for (int b = 0; b < 20; b++) {
            divide.accept(batch(random.longs(3000, 0, 2000).toArray(), new long[3000]));
            total += 3000;
        }
        divide.finish();
        Map<Object, Integer> partOf = new HashMap<>();
        List<Part> parts = divide.result().parts();
        for (int p = 0; p < parts.size(); p++) {
            List<List<Object>> rows = rows(parts.get(p));
            assertEquals(parts.get(p).rows(), rows.size());
            assertTrue(rows.size() > total / 7 / 2, "part " + p + " has " + rows.size());
            total -= rows.size();
            for (List<Object> row : rows) {
                assertEquals(p, partOf.getOrDefault(row.get(0), p));
                partOf.put(row.get(0), p);
            }
        }
        assertEquals(0, total);
    }

    @Test
    void smallBatchesAreKeptTogether() {
        Outputs.Keep keep = new Outputs.Keep(
                List.of(DataType.LONG, DataType.LONG),
                workspace(TestRuns.AMPLE_MEMORY).newStore());
        for (int i = 0; i < 5000; i++) {
            keep.accept(batch(new long[] {i}, new long[] {-i}));
        }
        keep.finish();
        TaskResult result = keep.result();
        assertEquals(5000, result.rows());
        assertEquals(2, result.parts().get(0).chunks().size());
        List<List<Object>> rows = rows(result.parts().get(0));
        assertEquals(List.of(4999L, -4999L), rows.get(4999));
    }

    @Test
    void aJoinTableFindsRowsInTheOrderInWhichTheyCame() {
        long[] k = {5, 6, 5, 7, 5};
        JoinTable table = JoinTable.build(
                List.of(
                        Chunk.inMemory(batch(k, new long[] {0, 1, 2, 3, 4})),
                        Chunk.inMemory(batch(new long[] {6}, new long[] {5}))),
                SCHEMA,
                List.of(K));
        int[] found = new int[3];
        table.prober().find(new LongColumn[] {new LongColumn(new long[] {5, 6, 99}, null)}, 3, found);
        assertEquals(List.of(0L, 2L, 4L), rowsOf(table, found[0]));
        assertEquals(List.of(1L, 5L), rowsOf(table, found[1]));
        assertEquals(-1, found[2]);
        JoinTable empty = JoinTable.build(List.of(), SCHEMA, List.of(K));
        empty.prober().find(new LongColumn[] {new LongColumn(new long[] {5}, null)}, 1, found);
        assertEquals(-1, found[0]);
    }

    @Test
    void aTableWithARowForEachKeySaysSoUnlessAKeyIsNull() {
        long[] nulls = {0b100};
        LongColumn keys = new LongColumn(new long[] {4, 9, 9, 2}, nulls);
        Batch rows = new Batch(4, keys, new LongColumn(new long[] {0, 1, 2, 3}, null));
        JoinTable withNull = JoinTable.build(List.of(Chunk.inMemory(rows)), SCHEMA, List.of(K));
        assertFalse(withNull.isUnique());
        int[] found = new int[3];
        LongColumn probes = new LongColumn(new long[] {2, 9, 0}, nulls);
        withNull.prober().find(new LongColumn[] {probes}, 3, found);
        assertEquals(List.of(3L), rowsOf(withNull, found[0]));
        assertEquals(List.of(1L), rowsOf(withNull, found[1]));
        assertTrue(found[2] < 0 || rowsOf(withNull, found[2]).isEmpty(), "null found a row");
        assertEquals(4, withNull.rows().rowCount());
        JoinTable unique = JoinTable.build(
                List.of(Chunk.inMemory(batch(new long[] {4, 9}, new long[] {0, 1}))), SCHEMA, List.of(K));
        assertTrue(unique.isUnique());
    }

    private static List<Long> rowsOf(JoinTable table, int key) {
        long[] values = ((LongColumn) table.rows().column(1)).values();
        return IntStream.range(table.start(key), table.end(key))
                .mapToObj(row -> values[row])
                .toList();
    }

    @Test
    void sortedRowNumbersAgreeWithTheJdk() {
        Random random = new Random(10);
        for (int size : new int[] {0, 1, 2, 12, 13, 100, 5000}) {
            long[] values = random.longs(size, 0, 1 + size / 3).toArray();
            int[] sorted = new RowOrder(
                            new LongColumn[] {new LongColumn(values, null)}, List.of(new SortKey(K, false, false)))
                    .sorted(size);
            List<Integer> expected =
                    new ArrayList<>(IntStream.range(0, size).boxed().toList());
            Collections.sort(expected, Comparator.comparing(i -> values[i]));
            assertEquals(expected, IntStream.of(sorted).boxed().toList());
        }
    }
}
