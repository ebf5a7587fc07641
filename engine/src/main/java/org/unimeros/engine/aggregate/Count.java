package org.unimeros.engine.aggregate;

import java.util.Arrays;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.key.RowsByGroup;

/** Counts rows, or values that are not null. */
final class Count extends Accumulator {

    private long[] counts = new long[16];

    @Override
    public void reserve(int groups) {
        if (groups > counts.length) {
            counts = Arrays.copyOf(counts, Math.max(groups, counts.length * 2));
        }
    }

    @Override
    public void add(int[] groups, int rows, Column argument) {
        long[] c = counts;
        long[] nulls = argument == null ? null : argument.nulls();
        if (nulls == null) {
            for (int i = 0; i < rows; i++) {
                c[groups[i]]++;
            }
            return;
        }
        for (int i = 0; i < rows; i++) {
            c[groups[i]] += Bits.get(nulls, i) ? 0 : 1;
        }
    }

    @Override
    public void add(int[] groups, int rows, Column argument, RowsByGroup sorted) {
        if (argument == null || argument.nulls() == null) {
            sorted.count(counts);
        } else {
            add(groups, rows, argument);
        }
    }

    @Override
    public void merge(int[] groups, int rows, Column[] partial) {
        long[] c = counts;
        long[] from = ((LongColumn) partial[0]).values();
        for (int i = 0; i < rows; i++) {
            c[groups[i]] += from[i];
        }
    }

    @Override
    public Column[] partial(int groups) {
        return new Column[] {result(groups)};
    }

    @Override
    public Column result(int groups) {
        return new LongColumn(Arrays.copyOf(counts, groups), null);
    }

    long count(int group) {
        return counts[group];
    }

    @Override
    long sizeInBytes() {
        return 8L * counts.length;
    }

    @Override
    public void clear() {
        Arrays.fill(counts, 0);
    }
}
