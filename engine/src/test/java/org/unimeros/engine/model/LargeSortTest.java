package org.unimeros.engine.model;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.List;
import java.util.Random;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.expr.SortKey;
import org.unimeros.engine.expr.WindowFunction;
import org.unimeros.engine.expr.Windows;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.PlanBuilder;
import org.unimeros.engine.run.RunEvent;
import org.unimeros.engine.run.RunSettings;
import org.unimeros.engine.run.RunSettings.BadRecordPolicy;
import org.unimeros.engine.stage.PhysicalPlan;
import org.unimeros.engine.stage.PlanSettings;
import org.unimeros.engine.stage.StagePlanner;

/** Sorts of many chunks: ranges of the keys are merged by several tasks, and put together are the order of all rows. */
class LargeSortTest {

    private static final Schema SCHEMA = Schema.of(
            Field.of("depot", DataType.TEXT), Field.of("weight_g", DataType.INT), Field.of("scan_id", DataType.LONG));
    private static final int ROWS = 90_000;
    private static final PlanSettings SETTINGS = new PlanSettings(1 << 20, 1 << 20, 4);

    private static List<List<Object>> rows(int depots) {
        Random random = new Random(depots);
        List<List<Object>> rows = new ArrayList<>();
        for (long i = 0; i < ROWS; i++) {
            Object depot = random.nextInt(50) == 0 ? null : "D" + random.nextInt(depots);
            Object weight = random.nextInt(50) == 0 ? null : random.nextInt(1000);
            rows.add(Arrays.asList(depot, weight, i));
        }
        return rows;
    }

    private static Plan sorted(List<List<Object>> rows) {
        Plan scans = PlanBuilder.scan(new TestTable("scans", SCHEMA, rows, ROWS / 2, 3000), "scans");
        return new Plan.Sort(
                scans,
                List.of(
                        new SortKey(PlanBuilder.column(SCHEMA, 0), true, false),
                        new SortKey(PlanBuilder.column(SCHEMA, 1), false, true)));
    }

    /** Stable, as the engine is: rows with equal keys stay as the table has them. */
    private static List<List<Object>> expected(List<List<Object>> rows) {
        Comparator<String> depots = Comparator.nullsLast(Comparator.<String>reverseOrder());
        Comparator<Integer> weights = Comparator.nullsFirst(Comparator.<Integer>naturalOrder());
        List<List<Object>> sorted = new ArrayList<>(rows);
        sorted.sort(Comparator.comparing((List<Object> r) -> (String) r.get(0), depots)
                .thenComparing(r -> (Integer) r.get(1), weights));
        return sorted;
    }

    @ParameterizedTest
    @CsvSource({
        "1, 1000, 1000000000",
        "3, 1000, 1000000000",
        "3, 1000, 0",
        "2000, 1000, 1000000000",
        "2000, 1000, 0",
        "2000, 1000000, 3000000",
        "2000, 1000000000, 0"
    })
    void rangesPutTogetherAreTheOrderOfAllRows(int depots, long rangeBytes, long memory) {
        List<List<Object>> rows = rows(depots);
        assertEquals(expected(rows), TestRuns.rows(sorted(rows), SETTINGS, 3, rangeBytes, memory));
    }

    /** The window leaves its rows in the order that is asked for then. */
    @ParameterizedTest
    @CsvSource({"3, 1000, 1000000000", "2000, 1000, 0"})
    void rowsThatAreInOrderAlreadyAreOnlyMerged(int depots, long rangeBytes, long memory) {
        List<List<Object>> rows = rows(depots);
        Plan scans = PlanBuilder.scan(new TestTable("scans", SCHEMA, rows, ROWS / 2, 3000), "scans");
        SortKey weight = new SortKey(PlanBuilder.column(SCHEMA, 1), true, true);
        WindowFunction rank = Windows.of("rank", List.of(), WindowFunction.Frame.ALL);
        Plan window = new Plan.Window(
                scans,
                List.of(PlanBuilder.column(SCHEMA, 0)),
                List.of(weight),
                List.of(new Plan.NamedWindow(rank, "place")));
        Plan sort = new Plan.Sort(window, List.of(SortKey.ascending(PlanBuilder.column(SCHEMA, 0)), weight));
        assertFalse(StagePlanner.forResult(sort, SETTINGS).print().contains("  order by"));
        List<List<Object>> made = TestRuns.rows(sort, SETTINGS, 3, rangeBytes, memory);
        Comparator<String> depotOrder = Comparator.nullsLast(Comparator.<String>naturalOrder());
        Comparator<Integer> weights = Comparator.nullsFirst(Comparator.<Integer>reverseOrder());
        Comparator<List<Object>> order = Comparator.comparing((List<Object> r) -> (String) r.get(0), depotOrder)
                .thenComparing(r -> (Integer) r.get(1), weights);
        assertEquals(ROWS, made.size());
        for (int i = 1; i < made.size(); i++) {
            assertTrue(order.compare(made.get(i - 1), made.get(i)) <= 0, "row " + i);
        }
    }

    @ParameterizedTest
    @CsvSource({"2000, 1000, 3, 7", "2000, 1000000000, 1, 1", "1, 1000, 1, 3"})
    void thereAreSeveralTasksWhereKeysAllowIt(int depots, long rangeBytes, int least, int most) {
        PhysicalPlan plan = StagePlanner.forResult(sorted(rows(depots)), SETTINGS);
        RunSettings run = new RunSettings(2, 1, rangeBytes, TestRuns.AMPLE_MEMORY, BadRecordPolicy.FAIL, 0);
        List<Integer> tasks = new ArrayList<>();
        int merge = plan.stage(2).pipelines().get(0).stepId(0);
        int source = plan.stage(2).pipelines().get(0).sourceId();
        long merged = 0;
        long read = 0;
        for (RunEvent event : TestRuns.events(plan, run)) {
            if (event instanceof RunEvent.StageStarted started) {
                tasks.add(started.tasks());
            }
            if (event instanceof RunEvent.AttemptFinished finished
                    && finished.steps().containsKey(merge)) {
                merged += finished.steps().get(merge).rows();
                read += finished.steps().get(source).rows();
            }
        }
        assertEquals(List.of((long) ROWS, (long) ROWS), List.of(read, merged));
        assertEquals(2, tasks.get(0));
        assertTrue(tasks.get(1) >= least && tasks.get(1) <= most, tasks.toString());
    }
}
