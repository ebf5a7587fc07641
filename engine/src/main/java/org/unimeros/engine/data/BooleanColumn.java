package org.unimeros.engine.data;

/** A column of truth values, one bit each. */
public final class BooleanColumn extends Column {

    private final long[] bits;

    public BooleanColumn(long[] bits, long[] nulls) {
        super(nulls);
        this.bits = bits;
    }

    public long[] bits() {
        return bits;
    }

    public boolean value(int row) {
        return Bits.get(bits, row);
    }

    @Override
    public BooleanColumn gather(int[] rows, int n) {
        long[] out = Bits.gather(bits, rows, n);
        return new BooleanColumn(out == null ? Bits.make(n) : out, Bits.gather(nulls(), rows, n));
    }

    @Override
    public BooleanColumn withNulls(long[] newNulls) {
        return new BooleanColumn(bits, newNulls);
    }

    @Override
    public long sizeInBytes(int rows) {
        return (rows + 7) / 8;
    }
}
