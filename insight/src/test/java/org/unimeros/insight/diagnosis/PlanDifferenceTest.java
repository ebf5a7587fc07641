package org.unimeros.insight.diagnosis;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.List;
import java.util.Random;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import org.unimeros.insight.diagnosis.PlanDifference.Line;
import org.unimeros.insight.diagnosis.PlanDifference.Of;

class PlanDifferenceTest {

    @Test
    void linesThatDifferAreMarked() {
        assertEquals(
                """
                  stage 1
                -   shuffle by depot
                +   copy to all tasks
                +
                  stage 2
                """,
                PlanDifference.of(
                                List.of("stage 1", "  shuffle by depot", "stage 2"),
                                List.of("stage 1", "  copy to all tasks", "", "stage 2"))
                        .print());
        assertTrue(PlanDifference.of(List.of("a"), List.of("a")).isEmpty());
        assertEquals("+ a\n", PlanDifference.of(List.of(), List.of("a")).print());
        assertEquals("- a\n", PlanDifference.of(List.of("a"), List.of()).print());
    }

    /** Both plans can be read out of it, and a line that both have in the same order is never said twice. */
    @Test
    void bothPlansAreInIt() {
        Random random = new Random(5);
        for (int round = 0; round < 500; round++) {
            List<String> first = lines(random);
            List<String> second = lines(random);
            PlanDifference difference = PlanDifference.of(first, second);
            assertEquals(first, of(difference, Of.FIRST));
            assertEquals(second, of(difference, Of.SECOND));
            long both = difference.lines().stream()
                    .filter(line -> line.of() == Of.BOTH)
                    .count();
            assertEquals(common(first, second, 0, 0), both, first + " " + second);
        }
    }

    private static List<String> lines(Random random) {
        return IntStream.range(0, random.nextInt(9))
                .mapToObj(i -> String.valueOf((char) ('a' + random.nextInt(3))))
                .toList();
    }

    private static List<String> of(PlanDifference difference, Of of) {
        return difference.lines().stream()
                .filter(line -> line.of() == of || line.of() == Of.BOTH)
                .map(Line::text)
                .toList();
    }

    /** The obvious way, which tries everything. */
    private static int common(List<String> first, List<String> second, int i, int j) {
        if (i == first.size() || j == second.size()) {
            return 0;
        }
        return first.get(i).equals(second.get(j))
                ? 1 + common(first, second, i + 1, j + 1)
                : Math.max(common(first, second, i + 1, j), common(first, second, i, j + 1));
    }
}
