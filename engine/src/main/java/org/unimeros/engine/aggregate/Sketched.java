package org.unimeros.engine.aggregate;

import java.util.Arrays;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DoubleColumn;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.key.Hashing;

/**
 * Aggregates whose state is a sketch per group; it travels as bytes.
 *
 * @param <S> the sketch
 */
abstract class Sketched<S> extends Accumulator {

    private Object[] sketches = new Object[16];

    abstract S make();

    abstract S read(byte[] bytes, int start, int length);

    abstract byte[] write(S sketch);

    abstract void addAll(S sketch, S other);

    abstract long size(S sketch);

    /** Adds a value that is not null. */
    abstract void add(S sketch, Column argument, int row);

    /** Appends the result of a group; null where it has no values. */
    abstract void append(S sketch, ColumnBuilder out);

    abstract DataType resultType();

    @SuppressWarnings("unchecked")
    private S sketch(int group) {
        return (S) sketches[group];
    }

    private S sketchOf(int group) {
        if (sketches[group] == null) {
            sketches[group] = make();
        }
        return sketch(group);
    }

    @Override
    public void reserve(int groups) {
        if (groups > sketches.length) {
            sketches = Arrays.copyOf(sketches, Math.max(groups, sketches.length * 2));
        }
    }

    @Override
    public void add(int[] groups, int rows, Column argument) {
        for (int i = 0; i < rows; i++) {
            if (!argument.isNull(i)) {
                add(sketchOf(groups[i]), argument, i);
            }
        }
    }

    @Override
    public void merge(int[] groups, int rows, Column[] partial) {
        TextColumn bytes = (TextColumn) partial[0];
        for (int i = 0; i < rows; i++) {
            if (!bytes.isNull(i)) {
                int start = bytes.start(i);
                addAll(sketchOf(groups[i]), read(bytes.bytes(), start, bytes.end(i) - start));
            }
        }
    }

    @Override
    public Column[] partial(int groups) {
        ColumnBuilder out = ColumnBuilder.of(DataType.TEXT);
        for (int i = 0; i < groups; i++) {
            if (sketches[i] == null) {
                out.appendNull();
            } else {
                byte[] bytes = write(sketch(i));
                out.appendText(bytes, 0, bytes.length);
            }
        }
        return new Column[] {out.build()};
    }

    @Override
    public Column result(int groups) {
        ColumnBuilder out = ColumnBuilder.of(resultType());
        for (int i = 0; i < groups; i++) {
            append(sketch(i), out);
        }
        return out.build();
    }

    @Override
    long sizeInBytes() {
        long bytes = 8L * sketches.length;
        for (int i = 0; i < sketches.length; i++) {
            bytes += sketches[i] == null ? 0 : size(sketch(i));
        }
        return bytes;
    }

    @Override
    public void clear() {
        Arrays.fill(sketches, null);
    }

    /** About how many different values there are. */
    static final class Distinct extends Sketched<DistinctSketch> {
        private long[] hashes = new long[0];

        @Override
        public void add(int[] groups, int rows, Column argument) {
            if (hashes.length < rows) {
                hashes = new long[rows];
            }
            Hashing.rows(new Column[] {argument}, rows, hashes);
            super.add(groups, rows, argument);
        }

        @Override
        void add(DistinctSketch sketch, Column argument, int row) {
            sketch.add(hashes[row]);
        }

        @Override
        DistinctSketch make() {
            return new DistinctSketch();
        }

        @Override
        DistinctSketch read(byte[] bytes, int start, int length) {
            return DistinctSketch.read(bytes, start, length);
        }

        @Override
        byte[] write(DistinctSketch sketch) {
            return sketch.write();
        }

        @Override
        void addAll(DistinctSketch sketch, DistinctSketch other) {
            sketch.addAll(other);
        }

        @Override
        long size(DistinctSketch sketch) {
            return sketch.sizeInBytes();
        }

        @Override
        void append(DistinctSketch sketch, ColumnBuilder out) {
            out.appendLong(sketch == null ? 0 : sketch.estimate());
        }

        @Override
        public DataType resultType() {
            return DataType.LONG;
        }
    }

    /** About which number lies at a fraction of all. */
    static final class Quantile extends Sketched<QuantileSketch> {
        private final double fraction;

        Quantile(double fraction) {
            this.fraction = fraction;
        }

        @Override
        void add(QuantileSketch sketch, Column argument, int row) {
            double value = ((DoubleColumn) argument).values()[row];
            if (!Double.isNaN(value)) {
                sketch.add(value, 1);
            }
        }

        @Override
        QuantileSketch make() {
            return new QuantileSketch();
        }

        @Override
        QuantileSketch read(byte[] bytes, int start, int length) {
            return QuantileSketch.read(bytes, start, length);
        }

        @Override
        byte[] write(QuantileSketch sketch) {
            return sketch.write();
        }

        @Override
        void addAll(QuantileSketch sketch, QuantileSketch other) {
            sketch.addAll(other);
        }

        @Override
        long size(QuantileSketch sketch) {
            return sketch.sizeInBytes();
        }

        @Override
        void append(QuantileSketch sketch, ColumnBuilder out) {
            if (sketch == null || sketch.isEmpty()) {
                out.appendNull();
            } else {
                out.appendDouble(sketch.at(fraction));
            }
        }

        @Override
        DataType resultType() {
            return DataType.DOUBLE;
        }
    }
}
