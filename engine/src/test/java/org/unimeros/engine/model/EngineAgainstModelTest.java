package org.unimeros.engine.model;

import static org.junit.jupiter.api.Assertions.assertEquals;

import java.math.BigDecimal;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import org.junit.jupiter.api.Test;
import org.unimeros.engine.plan.Plan;
import org.unimeros.engine.plan.Rewrite;
import org.unimeros.engine.stage.PlanSettings;

/** Random plans over random data give what the obvious model gives, however they are carried out. */
class EngineAgainstModelTest {

    /** More with {@code -Dunimeros.cases=100000}; another start with {@code -Dunimeros.seed=…}. */
    private static final int CASES = Integer.getInteger("unimeros.cases", 4000);

    private static final long FIRST_SEED = Long.getLong("unimeros.seed", 1);

    @Test
    void everyRandomPlanGivesWhatTheModelGives() {
        for (long seed = FIRST_SEED; seed < FIRST_SEED + CASES; seed++) {
            Plan plan = new RandomPlans(seed).plan();
            List<String> expected = comparable(RowModel.rows(plan), plan);
            int slots = new int[] {1, 2, 7}[(int) (seed % 3)];
            int parts = new int[] {1, 2, 5, 32}[(int) (seed % 4)];
            long copyLimit = seed % 2 == 0 ? 0 : 1 << 20;
            if (seed % 7 == 0) {
                copyLimit = 150;
            }
            PlanSettings settings = new PlanSettings(1 << 20, copyLimit, parts, seed % 11 > 0, seed % 13 > 0);
            long partTarget = seed % 5 == 0 ? 0 : 200;
            long memory = seed % 3 == 0 ? 0 : TestRuns.AMPLE_MEMORY;
            String where = "seed " + seed + "\n" + plan.print();
            assertEquals(expected, comparable(TestRuns.rows(plan, settings, slots, partTarget, memory), plan), where);
            assertEquals(
                    expected,
                    comparable(TestRuns.rows(Rewrite.apply(plan), settings, slots, partTarget, memory), plan),
                    () -> "rewritten, " + where + "\n" + Rewrite.apply(plan).print());
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
            default -> value.toString();
        };
    }
}
