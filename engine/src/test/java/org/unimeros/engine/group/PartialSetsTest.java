package org.unimeros.engine.group;

import static org.junit.jupiter.api.Assertions.assertEquals;

import java.util.Arrays;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Evaluator;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.model.MemoryScratch;
import org.unimeros.engine.model.TestRuns;
import org.unimeros.engine.operator.Operator;
import org.unimeros.engine.plan.Plan.NamedAggregate;
import org.unimeros.engine.spill.StepSpace;
import org.unimeros.engine.spill.Workspace;
import org.unimeros.engine.stage.Step;

/** Counts of scans by parcel and depot, counted once more by parcel, by depot, and all together. */
class PartialSetsTest {

    private static final ColumnRef PARCEL = new ColumnRef(0, "parcel_id", DataType.LONG);
    private static final ColumnRef DEPOT = new ColumnRef(1, "depot_id", DataType.INT);
    private static final Literal NO_PARCEL = new Literal(null, DataType.LONG);
    private static final Literal NO_DEPOT = new Literal(null, DataType.INT);
    private static final List<List<Expression>> SETS = List.of(
            List.of(PARCEL, DEPOT, set(0)),
            List.of(PARCEL, NO_DEPOT, set(1)),
            List.of(NO_PARCEL, DEPOT, set(2)),
            List.of(NO_PARCEL, NO_DEPOT, set(3)));

    private static Literal set(int number) {
        return new Literal(number, DataType.INT);
    }

    private final Map<List<Object>, Long> counts = new HashMap<>();
    private final int[] rowsOfSet = new int[SETS.size()];

    /** What goes on, summed by its keys. */
    private final class Counted extends Operator {
        @Override
        public void accept(Batch batch) {
            Batch dense = batch.dense();
            for (int i = 0; i < dense.rowCount(); i++) {
                int set = ((IntColumn) dense.column(2)).values()[i];
                Column parcel = dense.column(0);
                Column depot = dense.column(1);
                List<Object> key = Arrays.asList(
                        parcel.isNull(i) ? null : ((LongColumn) parcel).values()[i],
                        depot.isNull(i) ? null : ((IntColumn) depot).values()[i],
                        set);
                counts.merge(key, ((LongColumn) dense.column(3)).values()[i], Long::sum);
                rowsOfSet[set]++;
            }
        }

        @Override
        public void finish() {
            // all is there
        }
    }

    private void summarise(int rows, int depotsOfAParcel, long limit) {
        Workspace workspace = new Workspace(new MemoryScratch(), TestRuns.AMPLE_MEMORY, 1);
        Step.PartialSets step =
                new Step.PartialSets(2, List.of(new NamedAggregate(Aggregate.countRows(), "scans")), SETS);
        PartialSets sets = new PartialSets(new Evaluator(), step, new StepSpace(workspace, limit), new Counted());
        for (int from = 0; from < rows; from += 1000) {
            long[] parcels = new long[1000];
            int[] depots = new int[1000];
            long[] scans = new long[1000];
            for (int i = 0; i < 1000; i++) {
                parcels[i] = 7L * ((from + i) / depotsOfAParcel);
                depots[i] = (from + i) % depotsOfAParcel;
                scans[i] = 1 + (from + i) % 3;
            }
            Column[] columns = {new LongColumn(parcels, null), new IntColumn(depots, null), new LongColumn(scans, null)
            };
            sets.accept(new Batch(1000, columns));
        }
        sets.finish();
    }

    private static Map<List<Object>, Long> expected(int rows, int depotsOfAParcel) {
        Map<List<Object>, Long> counts = new HashMap<>();
        for (int i = 0; i < rows; i++) {
            Long parcel = 7L * (i / depotsOfAParcel);
            Integer depot = i % depotsOfAParcel;
            long scans = 1 + i % 3;
            counts.merge(Arrays.asList(parcel, depot, 0), scans, Long::sum);
            counts.merge(Arrays.asList(parcel, null, 1), scans, Long::sum);
            counts.merge(Arrays.asList(null, depot, 2), scans, Long::sum);
            counts.merge(Arrays.asList(null, null, 3), scans, Long::sum);
        }
        return counts;
    }

    @Test
    void eachSetIsSummarisedByItsOwnKeys() {
        summarise(10_000, 5, 1 << 26);
        assertEquals(expected(10_000, 5), counts);
        assertEquals(
                List.of(10_000, 2_000, 5, 1), Arrays.stream(rowsOfSet).boxed().toList());
    }

    @Test
    void moreGroupsThanAreHeldGoOnInBetween() {
        int rows = 3 * PartialGroup.MOST_GROUPS / 1000 * 1000;
        summarise(rows, 2, 1 << 30);
        assertEquals(expected(rows, 2), counts);
        // The table of parcels is handed on once, perhaps between the two depots of a parcel.
        assertEquals(rows / 2, rowsOfSet[1], 1);
    }

    @Test
    void aSetWithHardlyFewerGroupsTakesWhatComes() {
        int rows = 2 * PartialGroup.MOST_GROUPS / 1000 * 1000;
        summarise(rows, 1, 1 << 26);
        assertEquals(expected(rows, 1), counts);
        assertEquals(List.of(rows, rows, 1, 1), Arrays.stream(rowsOfSet).boxed().toList());
    }

    @Test
    void littleMemoryIsEnough() {
        summarise(10_000, 5, 1);
        assertEquals(expected(10_000, 5), counts);
    }
}
