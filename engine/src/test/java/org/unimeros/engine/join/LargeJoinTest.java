package org.unimeros.engine.join;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.Operators;
import org.unimeros.engine.model.MemoryScratch;
import org.unimeros.engine.model.TestTable;
import org.unimeros.engine.operator.Operator;
import org.unimeros.engine.plan.Plan.JoinKind;
import org.unimeros.engine.spill.Chunk;
import org.unimeros.engine.spill.StepSpace;
import org.unimeros.engine.spill.Workspace;
import org.unimeros.engine.stage.Step;

/** A join in pieces gives the rows that it gives in memory, whatever the keys are like. */
class LargeJoinTest {

    private static final Schema LEFT =
            Schema.of(Field.of("depot_id", DataType.LONG), Field.of("scan_id", DataType.LONG));
    private static final Schema RIGHT =
            Schema.of(Field.of("depot_id", DataType.LONG), Field.of("capacity", DataType.LONG));

    /** Passes rows on to a list. */
    private static final class Rows extends Operator {
        private final Schema schema;
        private final List<String> rows = new ArrayList<>();

        Rows(Schema schema) {
            this.schema = schema;
        }

        @Override
        public void accept(Batch batch) {
            TestTable.toRows(schema, List.of(batch)).forEach(r -> rows.add(r.toString()));
        }

        @Override
        public void finish() {
            rows.sort(null);
        }
    }

    private static List<List<Object>> rows(Random random, int n, int keys, boolean oneKey) {
        List<List<Object>> rows = new ArrayList<>();
        for (long i = 0; i < n; i++) {
            Long key = random.nextInt(20) == 0 ? null : oneKey ? 7L : (Long) (long) random.nextInt(keys);
            List<Object> row = new ArrayList<>();
            row.add(key);
            row.add(i);
            rows.add(row);
        }
        return rows;
    }

    private static Step.Probe step(JoinKind kind, boolean buildIsLeft, boolean keyed, boolean conditional) {
        Expression k = new ColumnRef(0, "depot_id", DataType.LONG);
        List<Expression> keys = keyed ? List.of(k) : List.of();
        Expression a = new ColumnRef(1, "scan_id", DataType.LONG);
        Expression b = new ColumnRef(3, "capacity", DataType.LONG);
        Optional<Expression> condition = conditional ? Optional.of(Operators.compare("<", a, b)) : Optional.empty();
        return new Step.Probe(
                1,
                false,
                buildIsLeft,
                kind,
                keys,
                keys,
                buildIsLeft ? LEFT : RIGHT,
                buildIsLeft ? RIGHT : LEFT,
                condition,
                "test");
    }

    private static Schema made(JoinKind kind) {
        return switch (kind) {
            case SEMI, ANTI -> LEFT;
            case MARK -> LEFT.concat(Schema.of(Field.of("has match", DataType.BOOLEAN)));
            default -> LEFT.concat(RIGHT);
        };
    }

    private static List<Chunk> chunks(Schema schema, List<List<Object>> rows) {
        List<Chunk> chunks = new ArrayList<>();
        for (int from = 0; from < rows.size(); from += 100) {
            chunks.add(Chunk.inMemory(
                    TestTable.toBatch(schema, rows.subList(from, Math.min(rows.size(), from + 100)))));
        }
        return chunks;
    }

    private static List<String> inMemory(Step.Probe step, List<List<Object>> build, List<List<Object>> probe) {
        Rows out = new Rows(made(step.kind()));
        JoinTable table = JoinTable.build(chunks(step.buildSchema(), build), step.buildSchema(), step.buildKeys());
        drive(new ProbeJoin(new Evaluator(), step, table, (n, key, most) -> {}, out), step, probe);
        return out.rows;
    }

    private static void drive(Operator join, Step.Probe step, List<List<Object>> probe) {
        chunks(step.probeSchema(), probe).forEach(c -> join.accept(c.load()));
        join.finish();
    }

    private static List<String> inPieces(
            Step.Probe step, List<List<Object>> build, List<List<Object>> probe, long limit) {
        Rows out = new Rows(made(step.kind()));
        MemoryScratch scratch = new MemoryScratch();
        try (Workspace workspace = new Workspace(scratch, 0, 1)) {
            StepSpace space = new StepSpace(workspace, limit);
            List<Chunk> chunks = chunks(step.buildSchema(), build);
            drive(new SpillJoin(new Evaluator(), step, chunks, space, (n, key, most) -> {}, out), step, probe);
            assertTrue(probe.isEmpty() || space.spilledBytes() > 0);
        }
        assertEquals(0, scratch.open());
        return out.rows;
    }

    @Test
    void everyKindInEveryShapeOfKeys() {
        Random random = new Random(3);
        for (JoinKind kind : JoinKind.values()) {
            for (boolean oneKey : new boolean[] {false, true}) {
                for (boolean keyed : new boolean[] {true, false}) {
                    int n = keyed && !oneKey ? 1500 : 120;
                    List<List<Object>> left = rows(random, n, 300, oneKey);
                    List<List<Object>> right = rows(random, n, 300, oneKey);
                    Step.Probe step = step(kind, false, keyed, !keyed || random.nextBoolean());
                    List<String> expected = inMemory(step, right, left);
                    for (long limit : new long[] {0, 20_000, 1 << 20}) {
                        assertEquals(
                                expected,
                                inPieces(step, right, left, limit),
                                kind + ", one key " + oneKey + ", keyed " + keyed + ", limit " + limit);
                    }
                }
            }
        }
    }

    @Test
    void rowsOfTheTableThatMatchNothingAreKeptOnce() {
        Random random = new Random(4);
        List<List<Object>> left = rows(random, 900, 200, false);
        List<List<Object>> right = rows(random, 500, 400, false);
        for (JoinKind kind : new JoinKind[] {JoinKind.INNER, JoinKind.LEFT, JoinKind.FULL}) {
            for (boolean conditional : new boolean[] {false, true}) {
                List<String> expected = inMemory(step(kind, false, true, conditional), right, left);
                Step.Probe other = step(kind, true, true, conditional);
                assertEquals(expected, inMemory(other, left, right), kind + " with the other side in the table");
                assertEquals(expected, inPieces(other, left, right, 5_000), kind + " in pieces");
            }
        }
    }

    /** Rows with many matches make batches of their own; pieces are too small for that. */
    @Test
    void rowsWithVeryManyMatchesAreNoSpecialCase() {
        Random random = new Random(7);
        List<List<Object>> many = rows(random, 3000, 2, false);
        List<List<Object>> few = rows(random, 20, 5, false);
        for (JoinKind kind : JoinKind.values()) {
            for (boolean conditional : new boolean[] {false, true}) {
                Step.Probe step = step(kind, false, true, conditional);
                assertEquals(inPieces(step, many, few, 5_000), inMemory(step, many, few), kind + " many in the table");
                assertEquals(inPieces(step, few, many, 5_000), inMemory(step, few, many), kind + " few in the table");
            }
        }
        for (boolean conditional : new boolean[] {false, true}) {
            Step.Probe other = step(JoinKind.FULL, true, true, conditional);
            assertEquals(inPieces(other, many, few, 5_000), inMemory(other, many, few), "the left side in the table");
        }
    }

    @Test
    void emptySidesAreNoSpecialCase() {
        List<List<Object>> some = rows(new Random(5), 50, 10, false);
        for (JoinKind kind : JoinKind.values()) {
            Step.Probe step = step(kind, false, true, false);
            assertEquals(inMemory(step, List.of(), some), inPieces(step, List.of(), some, 0), kind + " no table");
            assertEquals(inMemory(step, some, List.of()), inPieces(step, some, List.of(), 0), kind + " no rows");
        }
    }

    @Test
    void pairsAreToldBeforeTheyAreMade() {
        List<List<Object>> many = rows(new Random(6), 400, 1, true);
        Step.Probe step = step(JoinKind.INNER, false, true, false);
        long[] told = new long[2];
        Rows out = new Rows(made(JoinKind.INNER));
        JoinTable table = JoinTable.build(chunks(RIGHT, many), RIGHT, step.buildKeys());
        drive(
                new ProbeJoin(
                        new Evaluator(),
                        step,
                        table,
                        (n, key, most) -> {
                            told[0] += n;
                            told[1] = Math.max(told[1], most);
                            assertEquals("7", key.get());
                        },
                        out),
                step,
                many);
        assertEquals(out.rows.size(), told[0] + told[1], "one pair of each row that finds some does not count");
    }
}
