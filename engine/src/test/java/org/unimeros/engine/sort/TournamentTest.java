package org.unimeros.engine.sort;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Random;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;

class TournamentTest {

    private static final int END = Integer.MAX_VALUE;

    /** Weights in ascending order, of one depot. */
    private static final class Run implements Tournament.Entrant<Run> {
        private final int[] weights;
        private final int number;
        private final int[] matches;
        private int at;

        Run(int number, int[] weights, int[] matches) {
            this.number = number;
            this.weights = weights;
            this.matches = matches;
        }

        int weight() {
            return at < weights.length ? weights[at] : END;
        }

        @Override
        public boolean isBefore(Run other) {
            matches[0]++;
            return weight() != other.weight() ? weight() < other.weight() : number < other.number;
        }
    }

    /** The numbers of the runs in the order in which they won, with what they won by. */
    private static List<List<Integer>> merge(Run... runs) {
        Tournament<Run> tournament = new Tournament<>(runs);
        List<List<Integer>> won = new ArrayList<>();
        while (tournament.winner().weight() != END) {
            Run winner = tournament.winner();
            won.add(List.of(winner.weight(), winner.number));
            winner.at++;
            tournament.replay();
        }
        return won;
    }

    @Test
    void runsOfAnyNumberAreMergedInOrderAndEqualOnesByTheirNumbers() {
        Random random = new Random(6);
        for (int count = 1; count < 40; count++) {
            for (int span : new int[] {3, 50, 10_000}) {
                Run[] runs = new Run[count];
                List<List<Integer>> expected = new ArrayList<>();
                for (int r = 0; r < count; r++) {
                    // Some runs are empty, and some lie behind all others.
                    int shift = random.nextInt(3) == 0 ? r * span : 0;
                    int[] weights = random.ints(random.nextInt(60), shift, shift + span)
                            .sorted()
                            .toArray();
                    runs[r] = new Run(r, weights, new int[1]);
                    for (int weight : weights) {
                        expected.add(List.of(weight, r));
                    }
                }
                expected.sort((a, b) -> a.get(0).equals(b.get(0)) ? a.get(1) - b.get(1) : a.get(0) - b.get(0));
                assertEquals(expected, merge(runs), count + " runs");
            }
        }
    }

    @Test
    void aRowTakesAMatchOnEachLevelAndOneWhereRunsFollowEachOther() {
        int[] mixed = new int[1];
        Run[] runs = IntStream.range(0, 64)
                .mapToObj(r -> new Run(
                        r, new Random(r).ints(1000).map(w -> w >> 1).sorted().toArray(), mixed))
                .toArray(Run[]::new);
        merge(runs);
        assertTrue(mixed[0] < 64_000 * 7, mixed[0] + " matches of 64,000 rows");
        int[] following = new int[1];
        Run[] inOrder = IntStream.range(0, 64)
                .mapToObj(r ->
                        new Run(r, IntStream.range(1000 * r, 1000 * r + 1000).toArray(), following))
                .toArray(Run[]::new);
        merge(inOrder);
        assertTrue(following[0] < 64_000 * 1.1, following[0] + " matches of 64,000 rows");
        assertEquals(64_000, Arrays.stream(inOrder).mapToInt(r -> r.at).sum());
    }
}
