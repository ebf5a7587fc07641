package org.unimeros.insight.diagnosis;

import java.util.ArrayList;
import java.util.List;
import java.util.stream.Collectors;

/**
 * Two printed plans as one text: the lines that both have, and those that one of them has, where they stand. Immutable.
 *
 * @param lines in the order of both plans
 */
public record PlanDifference(List<Line> lines) {

    /** Whose a line is. */
    public enum Of {
        BOTH(' '),
        FIRST('-'),
        SECOND('+');

        private final char mark;

        Of(char mark) {
            this.mark = mark;
        }
    }

    /** A line and whose it is. */
    public record Line(Of of, String text) {
        @Override
        public String toString() {
            return (of.mark + " " + text).stripTrailing();
        }
    }

    public PlanDifference {
        lines = List.copyOf(lines);
    }

    /** Keeps as many lines together as can be (the longest common subsequence of both, by dynamic programming). */
    public static PlanDifference of(List<String> first, List<String> second) {
        int[][] common = new int[first.size() + 1][second.size() + 1];
        for (int i = first.size() - 1; i >= 0; i--) {
            for (int j = second.size() - 1; j >= 0; j--) {
                common[i][j] = first.get(i).equals(second.get(j))
                        ? common[i + 1][j + 1] + 1
                        : Math.max(common[i + 1][j], common[i][j + 1]);
            }
        }
        List<Line> lines = new ArrayList<>();
        int i = 0;
        int j = 0;
        while (i < first.size() || j < second.size()) {
            if (i < first.size() && j < second.size() && first.get(i).equals(second.get(j))) {
                lines.add(new Line(Of.BOTH, first.get(i++)));
                j++;
            } else if (j == second.size() || i < first.size() && common[i + 1][j] >= common[i][j + 1]) {
                lines.add(new Line(Of.FIRST, first.get(i++)));
            } else {
                lines.add(new Line(Of.SECOND, second.get(j++)));
            }
        }
        return new PlanDifference(lines);
    }

    /** Whether both are the same. */
    public boolean isEmpty() {
        return lines.stream().allMatch(line -> line.of == Of.BOTH);
    }

    /** All lines, each behind a mark: {@code -} for the first plan only, {@code +} for the second only. */
    public String print() {
        return lines.stream().map(line -> line + "\n").collect(Collectors.joining());
    }
}
