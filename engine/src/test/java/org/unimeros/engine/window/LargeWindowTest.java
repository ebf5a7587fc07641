package org.unimeros.engine.window;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import java.util.Optional;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Aggregates;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.SortKey;
import org.unimeros.engine.expr.WindowFunction;
import org.unimeros.engine.expr.WindowFunction.Bound;
import org.unimeros.engine.expr.WindowFunction.BoundKind;
import org.unimeros.engine.expr.WindowFunction.Frame;
import org.unimeros.engine.expr.WindowFunction.Kind;
import org.unimeros.engine.expr.WindowFunction.Unit;
import org.unimeros.engine.model.MemoryScratch;
import org.unimeros.engine.model.TestTable;
import org.unimeros.engine.operator.Operator;
import org.unimeros.engine.plan.Plan.NamedWindow;
import org.unimeros.engine.spill.StepSpace;
import org.unimeros.engine.spill.Workspace;
import org.unimeros.engine.stage.Step;

/** Partitions of many segments, in memory and not, against sums done by hand. */
class LargeWindowTest {

    private static final Schema SCHEMA = Schema.of(
            Field.of("depot_id", DataType.LONG), Field.of("at", DataType.LONG), Field.of("weight_g", DataType.LONG));
    private static final Expression DEPOT = new ColumnRef(0, "depot_id", DataType.LONG);
    private static final Expression AT = new ColumnRef(1, "at", DataType.LONG);
    private static final Expression WEIGHT = new ColumnRef(2, "weight_g", DataType.LONG);

    private static NamedWindow aggregate(String name, long before, long after) {
        Aggregate a = Aggregates.of(Aggregates.Call.of(name, List.of(WEIGHT)));
        Bound start = new Bound(BoundKind.PRECEDING, before, Optional.empty());
        Bound end = new Bound(BoundKind.FOLLOWING, after, Optional.empty());
        WindowFunction f = new WindowFunction(
                Kind.AGGREGATE, a.arguments(), Optional.of(a), 0, new Frame(Unit.ROWS, start, end), a.type());
        return new NamedWindow(f, name + " " + before + " " + after);
    }

    private static NamedWindow simple(Kind kind, int number) {
        List<Expression> args = kind == Kind.LAG ? List.of(WEIGHT, AT) : List.of();
        return new NamedWindow(
                new WindowFunction(kind, args, Optional.empty(), number, Frame.ALL, DataType.LONG), kind.toString());
    }

    private static final List<NamedWindow> FUNCTIONS = List.of(
            aggregate("sum", 3, 2),
            aggregate("min", 6000, 0),
            aggregate("max", 0, 6000),
            aggregate("count", 10_000, 10_000),
            simple(Kind.ROW_NUMBER, 0),
            simple(Kind.LAG, 5000));

    /** Rows of three depots, shuffled; within a depot {@code at} counts from 0. */
    private static List<long[]> rows(Random random, int perDepot) {
        List<long[]> rows = new ArrayList<>();
        for (long depot = 0; depot < 3; depot++) {
            for (long at = 0; at < perDepot; at++) {
                rows.add(new long[] {depot, at, random.nextInt(1000)});
            }
        }
        Collections.shuffle(rows, random);
        return rows;
    }

    private static List<String> expected(List<long[]> rows, int perDepot) {
        long[][] weights = new long[3][perDepot];
        rows.forEach(r -> weights[(int) r[0]][(int) r[1]] = r[2]);
        List<String> out = new ArrayList<>();
        for (long[] r : rows) {
            long[] w = weights[(int) r[0]];
            int at = (int) r[1];
            long sum = 0;
            for (int i = Math.max(0, at - 3); i < Math.min(perDepot, at + 3); i++) {
                sum += w[i];
            }
            long min = Long.MAX_VALUE;
            for (int i = Math.max(0, at - 6000); i <= at; i++) {
                min = Math.min(min, w[i]);
            }
            long max = Long.MIN_VALUE;
            for (int i = at; i < Math.min(perDepot, at + 6001); i++) {
                max = Math.max(max, w[i]);
            }
            long count = Math.min(perDepot, at + 10_001) - Math.max(0, at - 10_000);
            long lag = at < 5000 ? at : w[at - 5000];
            out.add(List.of(r[0], r[1], r[2], sum, min, max, count, at + 1L, lag)
                    .toString());
        }
        out.sort(null);
        return out;
    }

    private static List<String> made(List<long[]> rows, long limit, boolean spills) {
        List<String> out = new ArrayList<>();
        Schema made = new Step.Window(SCHEMA, List.of(), List.of(), List.of()).schema();
        List<Field> fields = new ArrayList<>(made.fields());
        FUNCTIONS.forEach(f -> fields.add(Field.of(f.name(), f.function().type())));
        Operator end = new Operator() {
            @Override
            public void accept(Batch batch) {
                TestTable.toRows(new Schema(fields), List.of(batch)).forEach(r -> out.add(r.toString()));
            }

            @Override
            public void finish() {
                out.sort(null);
            }
        };
        MemoryScratch scratch = new MemoryScratch();
        try (Workspace workspace = new Workspace(scratch, 0, 1)) {
            StepSpace space = new StepSpace(workspace, limit);
            Step.Window step = new Step.Window(SCHEMA, List.of(DEPOT), List.of(SortKey.ascending(AT)), FUNCTIONS);
            WindowRows operator = new WindowRows(new Evaluator(), step, space, end);
            for (int from = 0; from < rows.size(); from += 1000) {
                List<long[]> some = rows.subList(from, Math.min(rows.size(), from + 1000));
                LongColumn[] columns = new LongColumn[3];
                for (int c = 0; c < 3; c++) {
                    int column = c;
                    columns[c] = new LongColumn(
                            some.stream().mapToLong(r -> r[column]).toArray(), null);
                }
                operator.accept(new Batch(some.size(), columns));
            }
            operator.finish();
            assertEquals(spills, space.spilledBytes() > 0);
        }
        assertEquals(0, scratch.open());
        return out;
    }

    @Test
    void framesReachOverManySegments() {
        List<long[]> rows = rows(new Random(1), 13_000);
        List<String> expected = expected(rows, 13_000);
        assertEquals(expected, made(rows, 1 << 30, false));
        assertEquals(expected, made(rows, 200_000, true));
    }

    @Test
    void manySmallPartitionsShareSegments() {
        List<long[]> rows = new ArrayList<>();
        for (long depot = 0; depot < 5000; depot++) {
            rows.add(new long[] {depot, 0, depot % 7});
            rows.add(new long[] {depot, 1, 1});
        }
        List<String> made = made(rows, 1 << 30, false);
        assertEquals(10_000, made.size());
        assertTrue(
                made.contains("[4999, 1, 1, " + (4999 % 7 + 1) + ", " + Math.min(1, 4999 % 7) + ", 1, 2, 2, 1]"),
                made.get(9999));
    }
}
