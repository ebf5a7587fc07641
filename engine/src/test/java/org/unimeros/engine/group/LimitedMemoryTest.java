package org.unimeros.engine.group;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.Collections;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import java.util.TreeMap;
import java.util.function.BiConsumer;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Aggregates;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.Operators;
import org.unimeros.engine.expr.SortKey;
import org.unimeros.engine.key.Hashing;
import org.unimeros.engine.key.KeySketch;
import org.unimeros.engine.key.KeySketch.Frequent;
import org.unimeros.engine.key.RowDivider;
import org.unimeros.engine.model.MemoryScratch;
import org.unimeros.engine.model.TestTable;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.Plan.NamedAggregate;
import org.unimeros.engine.sort.RowSorter;
import org.unimeros.engine.spill.Chunk;
import org.unimeros.engine.spill.StepSpace;
import org.unimeros.engine.spill.Workspace;
import org.unimeros.engine.stage.Step;

/** Sorts, groups and divisions far beyond their space, and what is noted of keys on the way. */
class LimitedMemoryTest {

    private static final Schema SCHEMA =
            Schema.of(Field.of("shipper_id", DataType.LONG), Field.of("parcel_id", DataType.LONG));
    private static final ColumnRef SHIPPER = new ColumnRef(0, "shipper_id", DataType.LONG);
    private static final ColumnRef PARCEL = new ColumnRef(1, "parcel_id", DataType.LONG);

    private static Batch batch(long[] shippers, long[] parcels) {
        return new Batch(shippers.length, new LongColumn(shippers, null), new LongColumn(parcels, null));
    }

    /** Random rows in batches of all sizes, and the same as a list. */
    private static List<long[]> rows(Random random, int n, int shippers) {
        List<long[]> rows = new ArrayList<>();
        for (int i = 0; i < n; i++) {
            rows.add(new long[] {random.nextInt(shippers), i});
        }
        return rows;
    }

    private static List<Batch> batches(Random random, List<long[]> rows) {
        List<Batch> batches = new ArrayList<>();
        for (int from = 0; from < rows.size(); ) {
            List<long[]> some = rows.subList(from, Math.min(rows.size(), from + 1 + random.nextInt(3000)));
            batches.add(batch(
                    some.stream().mapToLong(r -> r[0]).toArray(),
                    some.stream().mapToLong(r -> r[1]).toArray()));
            from += some.size();
        }
        return batches;
    }

    private static void inSpace(long limit, BiConsumer<StepSpace, MemoryScratch> work) {
        MemoryScratch scratch = new MemoryScratch();
        try (Workspace workspace = new Workspace(scratch, 0, 1)) {
            work.accept(new StepSpace(workspace, limit), scratch);
        }
        assertEquals(0, scratch.open());
    }

    @Test
    void moreRunsThanCanBeMergedAtOnceAreMergedInRounds() {
        Random random = new Random(1);
        List<long[]> rows = rows(random, 60_000, 700);
        List<Batch> batches = batches(random, rows);
        List<long[]> expected = new ArrayList<>(rows);
        expected.sort(Comparator.comparingLong((long[] r) -> -r[0]));
        for (long limit : new long[] {30_000, 100_000, 1 << 20}) {
            inSpace(limit, (space, scratch) -> {
                RowSorter sorter = new RowSorter(
                        new Evaluator(),
                        List.of(DataType.LONG, DataType.LONG),
                        List.of(new SortKey(SHIPPER, true, false)),
                        space);
                batches.forEach(sorter::add);
                List<long[]> made = new ArrayList<>();
                sorter.finish(b -> TestTable.toRows(SCHEMA, List.of(b))
                        .forEach(r -> made.add(new long[] {(long) r.get(0), (long) r.get(1)})));
                assertEquals(expected.size(), made.size());
                for (int i = 0; i < made.size(); i++) {
                    assertTrue(Arrays.equals(expected.get(i), made.get(i)), "row " + i + " with " + limit);
                }
                assertTrue(space.spilledBytes() > 0);
                assertEquals(0, scratch.open(), "runs are let go as soon as they are merged");
            });
        }
    }

    @Test
    void aSorterThatKeepsTheFirstRowsForgetsTheOthers() {
        inSpace(1 << 20, (space, scratch) -> {
            RowSorter sorter = new RowSorter(
                    new Evaluator(), List.of(DataType.LONG, DataType.LONG), List.of(SortKey.ascending(PARCEL)), space);
            sorter.add(batch(new long[] {1, 2, 3, 4}, new long[] {40, 10, 30, 20}));
            sorter.keepFirst(2);
            assertEquals(2, sorter.heldRows());
            List<List<Object>> made = new ArrayList<>();
            sorter.finish(b -> made.addAll(TestTable.toRows(SCHEMA, List.of(b))));
            assertEquals(List.of(List.of(2L, 10L), List.of(4L, 20L)), made);
        });
    }

    @Test
    void everyRowGoesToOneDivisionAndEqualKeysStayTogether() {
        Random random = new Random(2);
        List<long[]> rows = rows(random, 20_000, 300);
        inSpace(50_000, (space, scratch) -> {
            RowDivider divider = new RowDivider(7, 1, space);
            for (Batch b : batches(random, rows)) {
                divider.add(b, new Column[] {b.column(0)});
            }
            Map<Object, Integer> divisionOf = new TreeMap<>();
            int total = 0;
            for (int d = 0; d < 7; d++) {
                long before = -1;
                for (Chunk chunk : divider.divisions().get(d)) {
                    for (List<Object> row : TestTable.toRows(SCHEMA, List.of(chunk.load()))) {
                        assertEquals(d, divisionOf.getOrDefault(row.get(0), d));
                        divisionOf.put(row.get(0), d);
                        assertTrue((long) row.get(1) > before, "rows keep their order");
                        before = (long) row.get(1);
                        total++;
                    }
                }
            }
            assertEquals(rows.size(), total);
            assertEquals(7, divisionOf.values().stream().distinct().count());
        });
    }

    private static NamedAggregate collected(String name, Expression... arguments) {
        Aggregate a = Aggregates.of(new Aggregates.Call(
                name, List.of(arguments), false, List.of(SortKey.ascending(PARCEL)), Optional.empty()));
        return new NamedAggregate(a, name);
    }

    @Test
    void wholeGroupsAreTheSameDividedAndNot() {
        Random random = new Random(3);
        List<long[]> rows = rows(random, 12_000, 900);
        Collections.shuffle(rows, random);
        List<Batch> batches = batches(random, rows);
        Step.WholeGroup step = new Step.WholeGroup(
                List.of(new Named(SHIPPER, SCHEMA.field(0))),
                List.of(
                        collected("percentile_disc", new Literal(0.5, DataType.DOUBLE)),
                        new NamedAggregate(
                                Aggregates.of(Aggregates.Call.of("last_by", List.of(SHIPPER, PARCEL))), "last"),
                        new NamedAggregate(Aggregate.countRows(), "n")),
                List.of(DataType.LONG, DataType.LONG));
        List<List<String>> results = new ArrayList<>();
        for (long limit : new long[] {1 << 30, 60_000, 2_000}) {
            inSpace(limit, (space, scratch) -> {
                GroupCollector collector = new GroupCollector(new Evaluator(), step, space, 0);
                batches.forEach(collector::add);
                List<String> made = new ArrayList<>();
                Schema result = Schema.of(
                        Field.of("shipper_id", DataType.LONG),
                        Field.of("middle", DataType.LONG),
                        Field.of("last", DataType.LONG),
                        Field.of("n", DataType.LONG));
                collector.finish(b -> TestTable.toRows(result, List.of(b)).forEach(r -> made.add(r.toString())));
                made.sort(null);
                results.add(made);
                assertEquals(limit < 1 << 20, space.spilledBytes() > 0);
            });
        }
        assertEquals(900, results.get(0).size());
        assertEquals(results.get(0), results.get(1));
        assertEquals(results.get(0), results.get(2));
    }

    /** One group holds nearly all rows; every kind of aggregate reads it from files when it does not fit. */
    @Test
    void aSingleGroupCanBeLargerThanMemory() {
        Random random = new Random(5);
        List<long[]> rows = rows(random, 30_000, 40);
        rows.forEach(r -> r[0] = r[1] % 100 == 0 ? r[0] : 1000);
        List<Batch> batches = batches(random, rows);
        Expression bucket = Operators.arithmetic("%", PARCEL, new Literal(7L, DataType.LONG));
        List<NamedAggregate> aggregates = new ArrayList<>();
        for (String name : List.of("list_agg", "array_agg")) {
            aggregates.add(collected(name, PARCEL));
        }
        aggregates.add(collected("percentile_disc", new Literal(0.3, DataType.DOUBLE)));
        aggregates.add(collected("percentile_cont", new Literal(0.7, DataType.DOUBLE)));
        aggregates.add(collected("string_agg", PARCEL, new Literal(",", DataType.TEXT)));
        aggregates.add(named("top_values", List.of(bucket, new Literal(3, DataType.INT)), false));
        aggregates.add(named("first_by", List.of(bucket, PARCEL), false));
        aggregates.add(named("sum", List.of(bucket), true));
        aggregates.add(named("count", List.of(bucket), true));
        aggregates.add(named("max", List.of(PARCEL), false));
        aggregates.add(new NamedAggregate(Aggregate.countRows(), "n"));
        for (List<Named> keys : List.of(List.of(new Named(SHIPPER, SCHEMA.field(0))), List.<Named>of())) {
            Step.WholeGroup step = new Step.WholeGroup(keys, aggregates, List.of(DataType.LONG, DataType.LONG));
            List<Field> fields = new ArrayList<>(keys.stream().map(Named::field).toList());
            aggregates.forEach(a -> fields.add(Field.of(a.name(), a.aggregate().type())));
            List<List<String>> results = new ArrayList<>();
            for (long limit : new long[] {1 << 30, 200_000, 5_000}) {
                inSpace(limit, (space, scratch) -> {
                    GroupCollector collector = new GroupCollector(new Evaluator(), step, space, 0);
                    batches.forEach(collector::add);
                    List<String> made = new ArrayList<>();
                    collector.finish(b ->
                            TestTable.toRows(new Schema(fields), List.of(b)).forEach(r -> made.add(r.toString())));
                    made.sort(null);
                    results.add(made);
                    assertEquals(limit < 1 << 20, space.spilledBytes() > 0);
                });
            }
            assertEquals(keys.isEmpty() ? 1 : 41, results.get(0).size());
            assertEquals(results.get(0), results.get(1));
            assertEquals(results.get(0), results.get(2));
        }
    }

    private static NamedAggregate named(String name, List<Expression> arguments, boolean distinct) {
        return new NamedAggregate(
                Aggregates.of(new Aggregates.Call(name, arguments, distinct, List.of(), Optional.empty())), name);
    }

    @Test
    void frequentKeysAreFoundAmongManyOthersAndNeverCountedTooHigh() {
        Random random = new Random(4);
        List<KeySketch> sketches = new ArrayList<>();
        long frequent = 0;
        for (int task = 0; task < 3; task++) {
            KeySketch sketch = new KeySketch(List.of(DataType.LONG), false);
            for (int b = 0; b < 40; b++) {
                long[] keys = new long[2000];
                for (int i = 0; i < keys.length; i++) {
                    boolean often = random.nextInt(20) == 0;
                    keys[i] = often ? 7 : 1000 + random.nextInt(1_000_000);
                    frequent += often ? 1 : 0;
                }
                Column column = new LongColumn(keys, null);
                long[] hashes = new long[keys.length];
                Hashing.rows(new Column[] {column}, keys.length, hashes);
                sketch.add(hashes, keys.length, column);
            }
            assertEquals(80_000, sketch.rows());
            sketches.add(sketch);
        }
        List<Frequent> found = new ArrayList<>(KeySketch.merged(sketches).values());
        assertEquals(1, found.size(), found.toString());
        assertEquals("7", found.get(0).text());
        assertTrue(found.get(0).count() <= frequent, found + " of " + frequent);
        assertTrue(found.get(0).count() > frequent * 8 / 10, found + " of " + frequent);
    }

    @Test
    void aNullIsAKeyWhereItIsAsked() {
        long[] keys = new long[1000];
        long[] nulls = new long[(keys.length + 63) / 64];
        Arrays.fill(nulls, -1L);
        Column column = new LongColumn(keys, nulls);
        long[] hashes = new long[keys.length];
        Hashing.rows(new Column[] {column}, keys.length, hashes);
        for (boolean hasNulls : new boolean[] {false, true}) {
            KeySketch sketch = new KeySketch(List.of(DataType.LONG), hasNulls);
            sketch.add(hashes, keys.length, column);
            assertEquals(
                    hasNulls ? List.of(new Frequent("null", 1000)) : List.of(),
                    List.copyOf(KeySketch.merged(List.of(sketch)).values()));
        }
    }

    @Test
    void aKeyThatIsFrequentOnlyLateIsFoundAndNeverCountedTooHigh() {
        Random random = new Random(5);
        KeySketch sketch = new KeySketch(List.of(DataType.LONG), false);
        long frequent = 0;
        for (int b = 0; b < 150; b++) {
            long[] keys = new long[4000];
            for (int i = 0; i < keys.length; i++) {
                boolean often = b >= 100 && random.nextInt(20) == 0;
                keys[i] = often ? 7 : random.nextLong();
                frequent += often ? 1 : 0;
            }
            Column column = new LongColumn(keys, null);
            long[] hashes = new long[keys.length];
            Hashing.rows(new Column[] {column}, keys.length, hashes);
            sketch.add(hashes, keys.length, column);
        }
        assertEquals(600_000, sketch.rows());
        List<Frequent> found = new ArrayList<>(KeySketch.merged(List.of(sketch)).values());
        assertEquals(List.of("7"), found.stream().map(Frequent::text).toList());
        assertTrue(found.get(0).count() <= frequent, found + " of " + frequent);
        // Up to eight of the fifty batches go by before it is noticed.
        assertTrue(found.get(0).count() > frequent * 7 / 10, found + " of " + frequent);
    }
}
