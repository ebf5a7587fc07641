package org.unimeros.engine.schedule;

import java.io.Serializable;
import java.util.ArrayList;
import java.util.List;

/** Decides, from measured sizes, which parts the tasks of the next stage read. Pure functions. */
public final class Replanner {

    private Replanner() {}

    /** Parts {@code from} to {@code end}, without {@code end}, for one task. */
    public record PartRange(int from, int end) implements Serializable {
        @Override
        public String toString() {
            return end - from == 1 ? "part " + from : "parts " + from + " to " + (end - 1);
        }
    }

    /**
     * Merges neighbouring parts until each task has about the target size.
     *
     * @param bytes the size of each part; at least one
     */
    public static List<PartRange> merge(long[] bytes, long targetBytes) {
        List<PartRange> ranges = new ArrayList<>();
        int from = 0;
        long sum = 0;
        for (int p = 0; p < bytes.length; p++) {
            boolean full = p > from && sum + bytes[p] > targetBytes;
            if (full) {
                ranges.add(new PartRange(from, p));
                from = p;
                sum = 0;
            }
            sum += bytes[p];
        }
        ranges.add(new PartRange(from, bytes.length));
        return ranges;
    }
}
