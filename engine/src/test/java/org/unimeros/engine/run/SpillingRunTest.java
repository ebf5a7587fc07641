package org.unimeros.engine.run;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.time.Instant;
import java.time.InstantSource;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Operators;
import org.unimeros.engine.expr.SortKey;
import org.unimeros.engine.model.MemoryScratch;
import org.unimeros.engine.model.TestRuns;
import org.unimeros.engine.model.TestTable;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Plan.JoinKind;
import org.unimeros.engine.plan.Plan.JoinMethod;
import org.unimeros.engine.plan.Plan.NamedAggregate;
import org.unimeros.engine.plan.PlanBuilder;
import org.unimeros.engine.run.RunSettings.BadRecordPolicy;
import org.unimeros.engine.stage.PhysicalPlan;
import org.unimeros.engine.stage.PlanSettings;
import org.unimeros.engine.stage.StagePlanner;

/** Runs that do not fit into memory, scratch files that fail, and joins that make too much. */
class SpillingRunTest {

    private static final Schema SCHEMA =
            Schema.of(Field.of("parcel_id", DataType.INT), Field.of("depot_id", DataType.TEXT));
    private static final int ROWS = 20_000;

    private final MemoryScratch scratch = new MemoryScratch();
    private final List<RunEvent> events = new ArrayList<>();

    /** One depot in ten rows is D00, the others are all different. */
    private static Plan scans(String name) {
        List<List<Object>> rows = IntStream.range(0, ROWS)
                .mapToObj(i -> List.<Object>of(i, i % 10 == 0 ? "D00" : "D" + i))
                .toList();
        return PlanBuilder.scan(new TestTable(name, SCHEMA, rows, 2_000, 500), name);
    }

    private static Expression column(Plan plan, int index) {
        return PlanBuilder.column(plan.schema(), index);
    }

    private static Plan sorted() {
        Plan scans = scans("s");
        return new Plan.Sort(
                scans, List.of(SortKey.ascending(column(scans, 1)), new SortKey(column(scans, 0), true, false)));
    }

    private RunOutcome run(Plan plan, long memory, long pairsLimit, boolean fails) {
        PhysicalPlan physical = StagePlanner.forResult(plan, new PlanSettings(1 << 20, 0, 8));
        RunSettings settings =
                new RunSettings(2, 3, 1 << 20, memory, BadRecordPolicy.FAIL, 0, pairsLimit, fails, 50, 0, 0);
        return new LocalRunner(
                        physical,
                        settings,
                        events::add,
                        InstantSource.fixed(Instant.EPOCH),
                        System::nanoTime,
                        new TestRuns.ListKeeper(),
                        scratch)
                .run("r", "a test", Map.of());
    }

    private long spilled() {
        return events.stream()
                .filter(RunEvent.AttemptFinished.class::isInstance)
                .flatMap(e -> ((RunEvent.AttemptFinished) e).steps().values().stream())
                .mapToLong(m -> m.spilled())
                .sum();
    }

    @Test
    void theSameRowsWithLittleMemoryAndTheFilesAreGone() {
        Plan plan = sorted();
        List<List<Object>> ample =
                TestRuns.rows(plan.schema(), run(plan, TestRuns.AMPLE_MEMORY, Long.MAX_VALUE, false));
        assertEquals(0, spilled());
        events.clear();
        RunOutcome outcome = run(plan, 100_000, Long.MAX_VALUE, false);
        assertEquals(ample, TestRuns.rows(plan.schema(), outcome));
        assertTrue(spilled() > 0);
        outcome.workspace().close();
        assertEquals(0, scratch.open());
    }

    @Test
    void afterAFailureNoFileIsLeft() {
        scratch.limit(10_000);
        ResourceFailure full = assertThrows(ResourceFailure.class, () -> run(sorted(), 10_000, Long.MAX_VALUE, false));
        assertTrue(full.getMessage().contains("no space left"), full.getMessage());
        assertEquals(0, scratch.open());
    }

    @Test
    void damageInAScratchFileIsNoticed() {
        scratch.damage();
        ResourceFailure damaged =
                assertThrows(ResourceFailure.class, () -> run(sorted(), 10_000, Long.MAX_VALUE, false));
        assertTrue(damaged.getMessage().contains("came back damaged"), damaged.getMessage());
        assertEquals(0, scratch.open());
    }

    private static Plan depotPairs(JoinMethod method) {
        Plan a = scans("a");
        Plan b = scans("b");
        Schema both = a.schema().concat(b.schema());
        Expression on = Operators.compare("=", PlanBuilder.column(both, 1), PlanBuilder.column(both, 3));
        Plan join = PlanBuilder.join(a, b, JoinKind.INNER, method, on);
        return new Plan.Group(join, List.of(), List.of(new NamedAggregate(Aggregate.countRows(), "n")));
    }

    private List<String> warnings() {
        return events.stream()
                .filter(RunEvent.Warning.class::isInstance)
                .map(e -> ((RunEvent.Warning) e).message())
                .toList();
    }

    @Test
    void anExplosiveJoinIsExpectedFromTheFrequentKeys() {
        run(depotPairs(JoinMethod.SHUFFLED), TestRuns.AMPLE_MEMORY, 1_000_000, false);
        assertEquals(1, warnings().size(), warnings().toString());
        String warning = warnings().get(0);
        assertTrue(warning.contains("join on a.depot_id = b.depot_id is expected to make at least"), warning);
        assertTrue(warning.contains("'D00' ("), warning);
        assertTrue(warning.contains("join.pairs-limit"), warning);
        BadData refused = assertThrows(
                BadData.class, () -> run(depotPairs(JoinMethod.SHUFFLED), TestRuns.AMPLE_MEMORY, 1_000_000, true));
        assertTrue(refused.getMessage().contains("'D00'"), refused.getMessage());
        RunEvent.RunEnded end = (RunEvent.RunEnded) events.get(events.size() - 1);
        assertEquals("failed", end.state());
    }

    @Test
    void aCopiedJoinIsReportedBeforeTheRowsOverTheLimitAreMade() {
        run(depotPairs(JoinMethod.COPIED), TestRuns.AMPLE_MEMORY, 1_000_000, false);
        assertEquals(1, warnings().size(), warnings().toString());
        assertTrue(
                warnings()
                        .get(0)
                        .contains(
                                "makes more than 1,000,000 rows, and goes on; of the rows at hand 'D00' finds most, 2,000 each"),
                warnings().toString());
        assertThrows(BadData.class, () -> run(depotPairs(JoinMethod.COPIED), TestRuns.AMPLE_MEMORY, 1_000_000, true));
    }

    @Test
    void aJoinOfOneRowEachIsNothingToWarnOf() {
        Plan a = scans("a");
        Plan b = scans("b");
        Schema both = a.schema().concat(b.schema());
        Expression on = Operators.compare("=", PlanBuilder.column(both, 0), PlanBuilder.column(both, 2));
        run(PlanBuilder.join(a, b, JoinKind.INNER, JoinMethod.SHUFFLED, on), TestRuns.AMPLE_MEMORY, 100, false);
        assertEquals(List.of(), warnings());
    }
}
