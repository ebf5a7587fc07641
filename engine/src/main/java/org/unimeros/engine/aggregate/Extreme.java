package org.unimeros.engine.aggregate;

import java.util.Arrays;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.BooleanColumn;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DoubleColumn;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.data.ValueOrder;

/** The least or the greatest value, in the order that comparisons and sorts use. A partial state is the value so far. */
public abstract class Extreme extends Accumulator {

    private final SeenGroups seen = new SeenGroups();

    static Extreme of(DataType type, boolean greatest) {
        return switch (type.physical()) {
            case INTS -> new OfInts(greatest);
            case LONGS -> new OfLongs(greatest);
            case DOUBLES -> new OfDoubles(greatest);
            case BITS -> new OfBits(greatest);
            case BYTES -> new OfText(greatest, type);
            case WIDE, LIST, STRUCT -> new OfOthers(greatest, type);
        };
    }

    @Override
    public final void reserve(int groups) {
        seen.reserve(groups);
        reserveValues(groups);
    }

    @Override
    public final void merge(int[] groups, int rows, Column[] partial) {
        add(groups, rows, partial[0]);
    }

    @Override
    public final Column[] partial(int groups) {
        return new Column[] {result(groups)};
    }

    @Override
    public void clear() {
        seen.clear();
    }

    /** Whether no row can have the first value of its group. */
    final boolean areAllSeen() {
        return seen.areAll();
    }

    /** Whether this is the first value of the group. */
    final boolean first(int group) {
        boolean first = !seen.has(group);
        seen.add(group);
        return first;
    }

    final boolean isEmpty(int group) {
        return !seen.has(group);
    }

    final long[] empty(int groups) {
        return seen.empty(groups);
    }

    final long seenBytes() {
        return seen.sizeInBytes();
    }

    public abstract void reserveValues(int groups);

    private static final class OfInts extends Extreme {
        private final boolean greatest;
        private int[] best = new int[16];

        OfInts(boolean greatest) {
            this.greatest = greatest;
        }

        @Override
        public void reserveValues(int groups) {
            if (groups > best.length) {
                best = Arrays.copyOf(best, Math.max(groups, best.length * 2));
            }
        }

        @Override
        public void add(int[] groups, int rows, Column argument) {
            int[] values = ((IntColumn) argument).values();
            long[] nulls = argument.nulls();
            boolean hasFirst = !areAllSeen();
            for (int i = 0; i < rows; i++) {
                if (nulls != null && Bits.get(nulls, i)) {
                    continue;
                }
                int group = groups[i];
                int value = values[i];
                if (hasFirst && first(group) || (greatest ? value > best[group] : value < best[group])) {
                    best[group] = value;
                }
            }
        }

        @Override
        long sizeInBytes() {
            return 4L * best.length + seenBytes();
        }

        @Override
        public Column result(int groups) {
            return new IntColumn(Arrays.copyOf(best, groups), empty(groups));
        }
    }

    private static final class OfLongs extends Extreme {
        private final boolean greatest;
        private long[] best = new long[16];

        OfLongs(boolean greatest) {
            this.greatest = greatest;
        }

        @Override
        public void reserveValues(int groups) {
            if (groups > best.length) {
                best = Arrays.copyOf(best, Math.max(groups, best.length * 2));
            }
        }

        @Override
        public void add(int[] groups, int rows, Column argument) {
            long[] values = ((LongColumn) argument).values();
            long[] nulls = argument.nulls();
            boolean hasFirst = !areAllSeen();
            for (int i = 0; i < rows; i++) {
                if (nulls != null && Bits.get(nulls, i)) {
                    continue;
                }
                int group = groups[i];
                long value = values[i];
                if (hasFirst && first(group) || (greatest ? value > best[group] : value < best[group])) {
                    best[group] = value;
                }
            }
        }

        @Override
        long sizeInBytes() {
            return 8L * best.length + seenBytes();
        }

        @Override
        public Column result(int groups) {
            return new LongColumn(Arrays.copyOf(best, groups), empty(groups));
        }
    }

    private static final class OfDoubles extends Extreme {
        private final boolean greatest;
        private double[] best = new double[16];

        OfDoubles(boolean greatest) {
            this.greatest = greatest;
        }

        @Override
        public void reserveValues(int groups) {
            if (groups > best.length) {
                best = Arrays.copyOf(best, Math.max(groups, best.length * 2));
            }
        }

        @Override
        public void add(int[] groups, int rows, Column argument) {
            double[] values = ((DoubleColumn) argument).values();
            long[] nulls = argument.nulls();
            boolean hasFirst = !areAllSeen();
            for (int i = 0; i < rows; i++) {
                if (nulls != null && Bits.get(nulls, i)) {
                    continue;
                }
                int group = groups[i];
                double value = values[i];
                if (hasFirst && first(group) || (greatest ? below(best[group], value) : below(value, best[group]))) {
                    best[group] = value;
                }
            }
        }

        @Override
        long sizeInBytes() {
            return 8L * best.length + seenBytes();
        }

        @Override
        public Column result(int groups) {
            return new DoubleColumn(Arrays.copyOf(best, groups), empty(groups));
        }

        private static boolean below(double a, double b) {
            return a < b || b != b && a == a;
        }
    }

    private static final class OfBits extends Extreme {
        private final boolean greatest;
        private long[] best = new long[1];

        OfBits(boolean greatest) {
            this.greatest = greatest;
        }

        @Override
        public void reserveValues(int groups) {
            if (Bits.words(groups) > best.length) {
                best = Arrays.copyOf(best, Math.max(Bits.words(groups), best.length * 2));
            }
        }

        @Override
        public void add(int[] groups, int rows, Column argument) {
            BooleanColumn column = (BooleanColumn) argument;
            for (int i = 0; i < rows; i++) {
                if (column.isNull(i)) {
                    continue;
                }
                boolean value = column.value(i);
                if (first(groups[i]) || value == greatest) {
                    if (value) {
                        Bits.set(best, groups[i]);
                    } else {
                        Bits.clear(best, groups[i]);
                    }
                }
            }
        }

        @Override
        long sizeInBytes() {
            return 8L * best.length + seenBytes();
        }

        @Override
        public Column result(int groups) {
            return new BooleanColumn(Arrays.copyOf(best, Math.max(1, Bits.words(groups))), empty(groups));
        }
    }

    private static final class OfText extends Extreme {
        private final boolean greatest;
        /** Header and alignment of an array. */
        private static final int PER_VALUE = 24;

        private final DataType type;
        private byte[][] best = new byte[16][];
        private long heldBytes;

        OfText(boolean greatest, DataType type) {
            this.greatest = greatest;
            this.type = type;
        }

        @Override
        public void clear() {
            super.clear();
            Arrays.fill(best, null);
            heldBytes = 0;
        }

        @Override
        public void reserveValues(int groups) {
            if (groups > best.length) {
                best = Arrays.copyOf(best, Math.max(groups, best.length * 2));
            }
        }

        @Override
        public void add(int[] groups, int rows, Column argument) {
            TextColumn column = (TextColumn) argument;
            byte[] bytes = column.bytes();
            boolean hasFirst = !areAllSeen();
            for (int i = 0; i < rows; i++) {
                if (column.isNull(i)) {
                    continue;
                }
                int group = groups[i];
                int start = column.start(i);
                int end = column.end(i);
                if (hasFirst && first(group) || isBetter(bytes, start, end, best[group])) {
                    heldBytes += end - start + (best[group] == null ? PER_VALUE : -best[group].length);
                    best[group] = Arrays.copyOfRange(bytes, start, end);
                }
            }
        }

        private boolean isBetter(byte[] bytes, int start, int end, byte[] than) {
            int order = Arrays.compareUnsigned(bytes, start, end, than, 0, than.length);
            return greatest ? order > 0 : order < 0;
        }

        @Override
        long sizeInBytes() {
            return heldBytes + 8L * best.length + seenBytes();
        }

        @Override
        public Column result(int groups) {
            ColumnBuilder out = ColumnBuilder.of(type);
            for (int i = 0; i < groups; i++) {
                if (isEmpty(i)) {
                    out.appendNull();
                } else {
                    out.appendText(best[i], 0, best[i].length);
                }
            }
            return out.build();
        }
    }

    /** Values of any form: those that were best once are kept until there are twice as many as groups. */
    private static final class OfOthers extends Extreme {
        private static final int SPARE = 1024;

        private final boolean greatest;
        private final DataType type;
        private ColumnBuilder kept;
        private int[] place = new int[16];
        private int groups;

        OfOthers(boolean greatest, DataType type) {
            this.greatest = greatest;
            this.type = type;
            this.kept = ColumnBuilder.of(type);
        }

        @Override
        public void clear() {
            super.clear();
            kept = ColumnBuilder.of(type);
        }

        @Override
        public void reserveValues(int wanted) {
            groups = wanted;
            if (wanted > place.length) {
                place = Arrays.copyOf(place, Math.max(wanted, place.length * 2));
            }
        }

        @Override
        public void add(int[] rowGroups, int rows, Column argument) {
            Column known = kept.peek();
            for (int i = 0; i < rows; i++) {
                if (argument.isNull(i)) {
                    continue;
                }
                int group = rowGroups[i];
                if (first(group) || isBetter(argument, i, known, place[group])) {
                    place[group] = kept.size();
                    kept.append(argument, i);
                    known = kept.peek();
                }
            }
            if (kept.size() > 2 * groups + SPARE) {
                Column held = result(groups);
                kept = ColumnBuilder.of(type);
                kept.appendAll(held, groups);
                Arrays.setAll(place, g -> g);
            }
        }

        private boolean isBetter(Column value, int row, Column than, int at) {
            int order = ValueOrder.compare(value, row, than, at);
            return greatest ? order > 0 : order < 0;
        }

        @Override
        long sizeInBytes() {
            return kept.sizeInBytes() + 4L * place.length + seenBytes();
        }

        @Override
        public Column result(int wanted) {
            Column held = kept.peek();
            ColumnBuilder out = ColumnBuilder.of(type);
            for (int i = 0; i < wanted; i++) {
                if (isEmpty(i)) {
                    out.appendNull();
                } else {
                    out.append(held, place[i]);
                }
            }
            return out.build();
        }
    }
}
