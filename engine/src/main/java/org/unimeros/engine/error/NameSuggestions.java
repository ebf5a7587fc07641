package org.unimeros.engine.error;

import java.util.Collection;
import java.util.Comparator;
import java.util.List;
import java.util.Locale;
import java.util.stream.Collectors;

/** Finds the names that a mistyped name was probably meant to be. */
public final class NameSuggestions {

    private static final int MOST = 3;

    private NameSuggestions() {}

    /** A sentence part such as {@code "; did you mean depot_id or day?"}, or the valid names when none is near. */
    public static String hint(String wrong, Collection<String> valid) {
        List<String> near = names(wrong, valid);
        if (!near.isEmpty()) {
            return "; did you mean " + String.join(" or ", near) + "?";
        }
        return valid.isEmpty()
                ? ""
                : "; there are: " + valid.stream().distinct().limit(40).collect(Collectors.joining(", "));
    }

    /** The nearest names, best first; at most three. */
    public static List<String> names(String wrong, Collection<String> valid) {
        String low = wrong.toLowerCase(Locale.ROOT);
        int limit = Math.max(1, low.length() / 3);
        record Scored(String name, int distance) {}
        return valid.stream()
                .distinct()
                .map(name -> new Scored(name, score(low, name.toLowerCase(Locale.ROOT))))
                .filter(scored -> scored.distance <= limit)
                .sorted(Comparator.comparingInt(Scored::distance).thenComparing(Scored::name))
                .limit(MOST)
                .map(Scored::name)
                .toList();
    }

    /** The three nearest names, however far they are, best first. */
    public static List<String> nearest(String wrong, Collection<String> valid) {
        String low = wrong.toLowerCase(Locale.ROOT);
        return valid.stream()
                .distinct()
                .sorted(Comparator.comparingInt((String name) -> score(low, name.toLowerCase(Locale.ROOT)))
                        .thenComparing(Comparator.naturalOrder()))
                .limit(MOST)
                .toList();
    }

    private static int score(String wrong, String name) {
        if (wrong.length() >= 3 && name.contains(wrong)) {
            return 1;
        }
        return distance(wrong, name);
    }

    /** Edit distance with transpositions of neighbours (optimal string alignment). */
    static int distance(String a, String b) {
        int[][] d = new int[a.length() + 1][b.length() + 1];
        for (int i = 0; i <= a.length(); i++) {
            for (int j = 0; j <= b.length(); j++) {
                d[i][j] = i == 0 ? j : j == 0 ? i : step(a, b, d, i, j);
            }
        }
        return d[a.length()][b.length()];
    }

    private static int step(String a, String b, int[][] d, int i, int j) {
        int change = a.charAt(i - 1) == b.charAt(j - 1) ? 0 : 1;
        int best = Math.min(d[i - 1][j - 1] + change, Math.min(d[i - 1][j], d[i][j - 1]) + 1);
        boolean swapped = i > 1 && j > 1 && a.charAt(i - 1) == b.charAt(j - 2) && a.charAt(i - 2) == b.charAt(j - 1);
        return swapped ? Math.min(best, d[i - 2][j - 2] + 1) : best;
    }
}
