package org.unimeros.engine.sort;

/**
 * Finds the first of some entrants again and again, of which only the last winner changes: a match has a place in a tree, which remembers who
 * lost it, so that a changed winner plays one match on each level against whom it beat there before (D. E. Knuth, The Art of Computer
 * Programming 3, 5.4.1, a tree of losers). An entrant that has won twice running is held against the best of those alone, as long as it wins,
 * since runs are often in order one after the other.
 *
 * @param <E> what competes
 */
final class Tournament<E extends Tournament.Entrant<E>> {

    /** What can come before others of its kind. */
    interface Entrant<E> {
        boolean isBefore(E other);
    }

    /** The loser of each match; those of the first round stand at the end. */
    private final int[] losers;

    private final E[] entrants;
    private int winner;
    /** The best but the winner, where it is known; else -1. */
    private int second = -1;

    /** Entrants, at least one, which the tournament keeps. */
    Tournament(E[] entrants) {
        this.entrants = entrants;
        this.losers = new int[entrants.length];
        this.winner = entrants.length == 1 ? 0 : play(1);
    }

    /** The winner of a match and of all before it. Places beyond the matches are those of the entrants. */
    private int play(int match) {
        if (match >= losers.length) {
            return match - losers.length;
        }
        int one = play(2 * match);
        int other = play(2 * match + 1);
        boolean isFirst = entrants[one].isBefore(entrants[other]);
        losers[match] = isFirst ? other : one;
        return isFirst ? one : other;
    }

    E winner() {
        return entrants[winner];
    }

    /** Finds the winner anew, after the last one has changed. */
    void replay() {
        int before = winner;
        if (second >= 0 && entrants[before].isBefore(entrants[second])) {
            return;
        }
        second = -1;
        int best = before;
        for (int match = before + losers.length >> 1; match > 0; match >>= 1) {
            if (entrants[losers[match]].isBefore(entrants[best])) {
                int loser = best;
                best = losers[match];
                losers[match] = loser;
            }
        }
        winner = best;
        if (best == before) {
            findSecond();
        }
    }

    /** Whoever is second has lost against the winner. */
    private void findSecond() {
        for (int match = winner + losers.length >> 1; match > 0; match >>= 1) {
            if (second < 0 || entrants[losers[match]].isBefore(entrants[second])) {
                second = losers[match];
            }
        }
    }
}
