package org.unimeros.engine.model;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.function.UnaryOperator;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.EnumSource;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.expr.Aggregate;
import org.unimeros.engine.expr.Operators;
import org.unimeros.engine.expr.SortKey;
import org.unimeros.engine.expr.WindowFunction;
import org.unimeros.engine.expr.Windows;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Plan.JoinKind;
import org.unimeros.engine.plan.Plan.JoinMethod;
import org.unimeros.engine.plan.Plan.Named;
import org.unimeros.engine.plan.Plan.NamedAggregate;
import org.unimeros.engine.plan.PlanBuilder;
import org.unimeros.engine.run.RunEvent;
import org.unimeros.engine.run.RunSettings;
import org.unimeros.engine.run.RunSettings.BadRecordPolicy;
import org.unimeros.engine.stage.PhysicalPlan;
import org.unimeros.engine.stage.PlanSettings;
import org.unimeros.engine.stage.StagePlanner;

/** Depots of which one has most of the scans: its part is cut, and nothing else changes. */
class SkewedPartsTest {

    private static final PlanSettings CUT = new PlanSettings(1 << 20, 0, 8);
    private static final PlanSettings WHOLE = CUT.withCutsParts(false);
    private static final long TARGET = 500;
    private static final int SCANS = 1_200;

    /** Half of the scans are of depot 7, and an eighth of none. */
    private static final Plan SCAN = scan(
            "scans",
            IntStream.range(0, SCANS)
                    .mapToObj(i -> Arrays.<Object>asList(i % 8 == 1 ? null : i % 2 == 0 ? 7 : i % 97, i))
                    .toList(),
            400);

    /** Each depot has a worker or two. */
    private static final Plan WORKERS = scan(
            "workers",
            IntStream.range(0, 150)
                    .mapToObj(i -> Arrays.<Object>asList(i % 120, -i))
                    .toList(),
            50);

    /** Depot 7 has very many. */
    private static final Plan CROWD = scan(
            "crowd",
            IntStream.range(0, 400)
                    .mapToObj(i -> Arrays.<Object>asList(i % 3 > 0 ? 7 : i % 130, -i))
                    .toList(),
            400);

    private static Plan scan(String name, List<List<Object>> rows, int rowsPerSplit) {
        Schema schema = Schema.of(Field.of("depot_id", DataType.INT), Field.of("number", DataType.INT));
        return PlanBuilder.scan(new TestTable(name, schema, rows, rowsPerSplit, 64), name);
    }

    private static Plan join(Plan left, Plan right, JoinKind kind) {
        Schema both = left.schema().concat(right.schema());
        return PlanBuilder.join(
                left,
                right,
                kind,
                JoinMethod.SHUFFLED,
                Operators.compare(
                        "=",
                        PlanBuilder.column(both, 0),
                        PlanBuilder.column(both, left.schema().size())));
    }

    private static Plan byDepot(Plan plan) {
        return new Plan.Group(
                plan,
                List.of(Named.of("depot", PlanBuilder.column(plan.schema(), 0))),
                List.of(new NamedAggregate(Aggregate.countRows(), "n")));
    }

    private static Plan numbered(Plan plan) {
        WindowFunction number = Windows.of("row_number", List.of(), WindowFunction.Frame.ALL);
        List<SortKey> order = IntStream.range(0, plan.schema().size())
                .mapToObj(c -> SortKey.ascending(PlanBuilder.column(plan.schema(), c)))
                .toList();
        return new Plan.Window(
                plan,
                List.of(PlanBuilder.column(plan.schema(), 0)),
                order,
                List.of(new Plan.NamedWindow(number, "place")));
    }

    private static List<String> rows(Plan plan, PlanSettings settings, int slots, long memory) {
        List<String> rows = new ArrayList<>();
        TestRuns.rows(plan, settings, slots, TARGET, memory).forEach(row -> rows.add(row.toString()));
        rows.sort(null);
        return rows;
    }

    private static List<RunEvent> events(Plan plan, PlanSettings settings) {
        PhysicalPlan physical = StagePlanner.forResult(plan, settings);
        return TestRuns.events(physical, new RunSettings(2, 3, TARGET, TestRuns.AMPLE_MEMORY, BadRecordPolicy.FAIL, 0));
    }

    private static List<String> decisions(List<RunEvent> events) {
        return events.stream()
                .filter(RunEvent.StageStarted.class::isInstance)
                .flatMap(e -> ((RunEvent.StageStarted) e).decisions().stream())
                .toList();
    }

    /** The rows of the largest task of the last stage. */
    private static long most(List<RunEvent> events) {
        Map<Integer, Long> most = new HashMap<>();
        for (RunEvent event : events) {
            if (event instanceof RunEvent.AttemptFinished e) {
                most.merge(e.attempt().stage(), e.rows(), Math::max);
            }
        }
        return most.get(most.keySet().stream().max(Integer::compare).orElseThrow());
    }

    @ParameterizedTest
    @EnumSource(JoinKind.class)
    void everyJoinMakesTheSameRowsInPieces(JoinKind kind) {
        List<UnaryOperator<Plan>> behind = List.of(
                p -> p,
                SkewedPartsTest::byDepot,
                SkewedPartsTest::numbered,
                p -> join(p, WORKERS, kind),
                p -> byDepot(join(p, WORKERS, JoinKind.LEFT)));
        for (Plan side : List.of(WORKERS, CROWD)) {
            for (int b = 0; b < (side == CROWD ? 2 : behind.size()); b++) {
                for (Plan plan : List.of(
                        behind.get(b).apply(join(SCAN, side, kind)),
                        behind.get(b).apply(join(side, SCAN, kind)))) {
                    List<String> whole = rows(plan, WHOLE, 2, TestRuns.AMPLE_MEMORY);
                    assertEquals(whole, rows(plan, CUT, 1, TestRuns.AMPLE_MEMORY), plan.print());
                    assertEquals(whole, rows(plan, CUT, 8, TestRuns.AMPLE_MEMORY), plan.print());
                    if (b == 0) {
                        assertEquals(whole, rows(plan, CUT, 2, 0), plan.print());
                    }
                }
            }
        }
    }

    @Test
    void thePartOfAFrequentKeyIsCutAndItsKeyNamed() {
        Plan plan = join(SCAN, WORKERS, JoinKind.LEFT);
        List<String> decisions = decisions(events(plan, CUT));
        assertTrue(
                decisions.get(0).matches("part \\d is cut into \\d+ pieces: key 7 has 605 rows"), decisions.toString());
        assertEquals(List.of(), decisions(events(plan, WHOLE)));
        long whole = most(events(plan, WHOLE));
        long cut = most(events(plan, CUT));
        assertTrue(cut * 5 < whole, cut + " of " + whole);
    }

    /** A key that is frequent on both sides makes far more rows than are read. */
    @Test
    void aPartIsCutByThePairsThatItMakes() {
        Plan plan = byDepot(join(SCAN, CROWD, JoinKind.INNER));
        List<String> decisions = decisions(events(plan, CUT));
        assertTrue(
                decisions.get(0).matches("part \\d is cut into \\d+ by \\d+ pieces: key 7 has 605 rows, by 2\\d\\d"),
                decisions.toString());
    }

    /** The rows of one side that found no partner are known to who has seen all of the other. */
    @Test
    void theSideWhoseRowsAreKeptIsCutInTheirStead() {
        Plan few = scan("few", List.of(Arrays.asList(7, 1), Arrays.asList(500, 2)), 1);
        List<String> decisions = decisions(events(join(SCAN, few, JoinKind.LEFT), CUT));
        assertTrue(decisions.get(0).contains(" pieces"), decisions.toString());
        List<String> ofFull = decisions(events(join(SCAN, few, JoinKind.FULL), CUT));
        assertEquals(List.of(), ofFull, "both sides are kept");
    }

    /** Of two ways to go on behind a join one is taken, and speaks. */
    @Test
    void aJoinThatExplodesIsSaidOnce() {
        for (PlanSettings settings : List.of(CUT, WHOLE)) {
            PhysicalPlan plan = StagePlanner.forResult(byDepot(join(SCAN, CROWD, JoinKind.INNER)), settings);
            List<RunEvent> events = TestRuns.events(
                    plan,
                    new RunSettings(
                            2, 3, 1L << 30, TestRuns.AMPLE_MEMORY, BadRecordPolicy.FAIL, 0, 1_000, false, 50, 0, 0));
            assertEquals(
                    1,
                    events.stream().filter(RunEvent.Warning.class::isInstance).count(),
                    events.toString());
        }
    }
}
