package org.unimeros.engine.key;

import java.util.Arrays;

/** The rows of a batch, group by group, so that what all rows of a group have in common is found without going through them. */
public final class RowsByGroup {

    private static final int MOST_GROUPS = 1 << 16;
    /** With fewer rows a group, it would not help. */
    private static final int FEWEST_ROWS = 8;

    private final int[] groups;
    /** The rows of group {@code k} are those from {@code starts[k]} to {@code starts[k + 1]} in the order. */
    private final int[] starts;

    private final int[] order;

    private RowsByGroup(int[] groups, int[] starts, int[] order) {
        this.groups = groups;
        this.starts = starts;
        this.order = order;
    }

    /** Sorts rows by their groups; null when there are too many groups. */
    public static RowsByGroup of(int[] groupOfRow, int rows) {
        int most = 0;
        for (int i = 0; i < rows; i++) {
            most = Math.max(most, groupOfRow[i]);
        }
        if (most >= MOST_GROUPS) {
            return null;
        }
        int[] sizes = new int[most + 1];
        for (int i = 0; i < rows; i++) {
            sizes[groupOfRow[i]]++;
        }
        int[] groups = new int[rows / FEWEST_ROWS];
        int[] starts = new int[groups.length + 1];
        int[] next = sizes;
        int n = 0;
        for (int group = 0; group <= most; group++) {
            if (sizes[group] > 0) {
                if (n == groups.length) {
                    return null;
                }
                groups[n++] = group;
                starts[n] = starts[n - 1] + sizes[group];
                next[group] = starts[n - 1];
            }
        }
        int[] order = new int[rows];
        for (int i = 0; i < rows; i++) {
            order[next[groupOfRow[i]]++] = i;
        }
        return new RowsByGroup(Arrays.copyOf(groups, n), Arrays.copyOf(starts, n + 1), order);
    }

    /** Adds the number of rows of each group to the count that is kept for it. */
    public void count(long[] counts) {
        for (int k = 0; k < groups.length; k++) {
            counts[groups[k]] += starts[k + 1] - starts[k];
        }
    }

    /** Adds the values of the rows of each group to the sum that is kept for it, which must not overflow. */
    public void sum(long[] values, long[] sums) {
        for (int k = 0; k < groups.length; k++) {
            sums[groups[k]] += sum(values, order, starts[k], starts[k + 1]);
        }
    }

    private static long sum(long[] values, int[] rows, int from, int end) {
        long sum = 0;
        for (int i = from; i < end; i++) {
            sum += values[rows[i]];
        }
        return sum;
    }
}
