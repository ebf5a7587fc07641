package org.unimeros.engine.model;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.junit.jupiter.api.Assertions.fail;

import java.math.BigDecimal;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Rewrite;
import org.unimeros.engine.stage.PlanSettings;

/** Random plans over random data give what the obvious model gives, however they are carried out. */
class EngineAgainstModelTest {

    /** More with {@code -Dunimeros.cases=100000}; another start with {@code -Dunimeros.seed=…}. */
    private static final int CASES = Integer.getInteger("unimeros.cases", 4000);

    private static final long FIRST_SEED = Long.getLong("unimeros.seed", 1);

    /** How a plan is carried out. */
    private record Way(PlanSettings settings, int slots, long partTarget, long memory) {
        static Way of(long seed) {
            Random random = new Random(~seed);
            long copyLimit = List.of(0L, 150L, 1L << 20).get(random.nextInt(3));
            int parts = List.of(1, 2, 5, 32).get(random.nextInt(4));
            return new Way(
                    new PlanSettings(1 << 20, copyLimit, parts, random.nextInt(4) > 0, random.nextInt(4) > 0)
                            .withCutsParts(seed % 8 > 0),
                    List.of(1, 2, 7).get(random.nextInt(3)),
                    random.nextInt(4) == 0 ? 0 : 200,
                    random.nextInt(3) == 0 ? 0 : TestRuns.AMPLE_MEMORY);
        }

        /** What is wrong with the rows of a plan, or null. */
        String problem(Plan plan) {
            List<String> expected = comparable(RowModel.rows(plan), plan);
            for (Plan form : List.of(plan, Rewrite.apply(plan))) {
                try {
                    List<String> made = comparable(TestRuns.rows(form, settings, slots, partTarget, memory), plan);
                    if (!made.equals(expected)) {
                        return form.print() + "should give " + expected + "\nbut gives   " + made;
                    }
                } catch (RuntimeException e) {
                    return form.print() + "fails with " + e;
                }
            }
            return null;
        }
    }

    @Test
    void everyRandomPlanGivesWhatTheModelGives() {
        for (long seed = FIRST_SEED; seed < FIRST_SEED + CASES; seed++) {
            Plan plan = new RandomPlans(seed).plan();
            Way way = Way.of(seed);
            if (way.problem(plan) != null) {
                Plan least = Shrinking.least(plan, p -> way.problem(p) != null);
                fail("seed " + seed + ", " + way + ", in its smallest form:\n" + way.problem(least) + "\nover "
                        + Shrinking.tables(least));
            }
        }
    }

    @Test
    void aFailingPlanShrinksToWhatMattersInIt() {
        for (long seed = 1; seed < 60; seed++) {
            Plan plan = new RandomPlans(seed).plan();
            Plan least = Shrinking.least(plan, p -> RowModel.rows(p).size() > 2);
            if (RowModel.rows(plan).size() > 2) {
                assertTrue(RowModel.rows(least).size() > 2, "seed " + seed);
                assertTrue(least.print().length() <= plan.print().length(), "seed " + seed);
                assertTrue(
                        Shrinking.tables(least).size() < 8,
                        Shrinking.tables(least).toString());
            }
        }
    }

    @Test
    void theOrderOfRowsDoesNotDependOnTheNumberOfSlots() {
        for (long seed = FIRST_SEED; seed < FIRST_SEED + CASES / 10; seed++) {
            Plan plan = Rewrite.apply(new RandomPlans(seed).plan());
            PlanSettings settings = new PlanSettings(1 << 20, 100, 5);
            List<List<Object>> one = TestRuns.rows(plan, settings, 1, 200);
            assertEquals(one, TestRuns.rows(plan, settings, 2, 200), "seed " + seed);
            assertEquals(one, TestRuns.rows(plan, settings, 7, 200), "seed " + seed);
        }
    }

    /** Rows as text; in any order unless the plan ends with one. */
    private static List<String> comparable(List<List<Object>> rows, Plan plan) {
        List<String> lines = new ArrayList<>();
        for (List<Object> row : rows) {
            List<String> cells = new ArrayList<>();
            row.forEach(v -> cells.add(text(v)));
            lines.add(String.join(" | ", cells));
        }
        boolean ordered = plan instanceof Plan.Sort || plan instanceof Plan.Limit;
        if (!ordered) {
            lines.sort(Comparator.naturalOrder());
        }
        return lines;
    }

    private static String text(Object value) {
        return switch (value) {
            case null -> "null";
            case Double d -> d == 0 ? "0.0" : d.toString();
            case BigDecimal d -> d.toPlainString();
            case Float f -> f == 0 ? "0.0" : f.toString();
            case List<?> list ->
                list.stream().map(EngineAgainstModelTest::text).toList().toString();
            default -> value.toString();
        };
    }
}
