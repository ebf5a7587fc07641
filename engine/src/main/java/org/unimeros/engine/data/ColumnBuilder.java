package org.unimeros.engine.data;

import static java.nio.charset.StandardCharsets.UTF_8;

import java.math.BigInteger;
import java.util.Arrays;

/**
 * Collects the values of one column. The typed {@code append} methods are for the physical form that the builder was
 * made for; calling another one is a programming mistake. Not thread-safe.
 */
public abstract sealed class ColumnBuilder
        permits ArrayBuilder, BitBuilder, TextBuilder, WideBuilder, ListBuilder, StructBuilder {

    /** The values that a new builder has room for. */
    static final int LEAST = 64;

    private int size;
    private long[] nulls;

    /** A builder for columns of this type. */
    public static ColumnBuilder of(DataType type) {
        return switch (type.physical()) {
            case BITS -> new BitBuilder();
            case INTS -> new IntBuilder();
            case LONGS -> new LongBuilder();
            case DOUBLES -> new DoubleBuilder();
            case BYTES -> new TextBuilder();
            case WIDE -> new WideBuilder();
            case LIST -> new ListBuilder(of(((DataType.ListOf) type).element()));
            case STRUCT ->
                new StructBuilder(((DataType.Struct) type)
                        .parts().stream().map(p -> of(p.type())).toArray(ColumnBuilder[]::new));
        };
    }

    /** A builder for columns of the same physical form. */
    public static ColumnBuilder like(Column column) {
        return switch (column) {
            case BooleanColumn c -> new BitBuilder();
            case IntColumn c -> new IntBuilder();
            case LongColumn c -> new LongBuilder();
            case DoubleColumn c -> new DoubleBuilder();
            case TextColumn c -> new TextBuilder();
            case WideColumn c -> new WideBuilder();
            case ListColumn c -> new ListBuilder(like(c.elements()));
            case StructColumn c -> {
                ColumnBuilder[] fields = new ColumnBuilder[c.fieldCount()];
                for (int i = 0; i < fields.length; i++) {
                    fields[i] = like(c.field(i));
                }
                yield new StructBuilder(fields);
            }
        };
    }

    /** A column of nulls. */
    public static Column nulls(DataType type, int rows) {
        ColumnBuilder builder = of(type);
        for (int i = 0; i < rows; i++) {
            builder.appendNull();
        }
        return builder.build();
    }

    public final int size() {
        return size;
    }

    /** The first {@code rows} rows of a column of the same physical form, appended. */
    public final void appendAll(Column from, int rows) {
        int first = size;
        appendValues(from, rows);
        for (int i = 0; from.nulls() != null && i < rows; i++) {
            if (from.isNull(i)) {
                setNull(first + i);
            }
        }
    }

    /** Some rows of a column of the same physical form, appended. */
    public final void appendRows(Column from, int[] rows, int start, int end) {
        int first = size;
        appendValues(from, rows, start, end);
        for (int i = start; from.nulls() != null && i < end; i++) {
            if (from.isNull(rows[i])) {
                setNull(first + i - start);
            }
        }
    }

    /** Rows of several columns of the same physical form: {@code rows[i]} of {@code from[which[i]]}, for each i below n. */
    public final void appendMixed(Column[] from, int[] which, int[] rows, int n) {
        int first = size;
        appendValues(from, which, rows, n);
        boolean hasNulls = false;
        for (Column column : from) {
            hasNulls |= column.nulls() != null;
        }
        for (int i = 0; hasNulls && i < n; i++) {
            if (from[which[i]].isNull(rows[i])) {
                setNull(first + i);
            }
        }
    }

    /** Rows of several columns, with whatever stands in them for nulls. */
    void appendValues(Column[] from, int[] which, int[] rows, int n) {
        for (int i = 0; i < n; i++) {
            appendValue(from[which[i]], rows[i]);
        }
    }

    /** The first rows of a column, with whatever stands in it for nulls. */
    void appendValues(Column from, int rows) {
        for (int i = 0; i < rows; i++) {
            appendValue(from, i);
        }
    }

    /** Some rows of a column, with whatever stands in it for nulls. */
    void appendValues(Column from, int[] rows, int start, int end) {
        for (int i = start; i < end; i++) {
            appendValue(from, rows[i]);
        }
    }

    /** One row of a column of the same physical form, appended. */
    public final void append(Column from, int row) {
        if (from.isNull(row)) {
            appendNull();
        } else {
            appendValue(from, row);
        }
    }

    public final void appendNull() {
        appendDefault();
        setNull(size - 1);
    }

    private void setNull(int row) {
        if (nulls == null || nulls.length < Bits.words(size)) {
            nulls = nulls == null ? Bits.make(Math.max(size, 64)) : Arrays.copyOf(nulls, Bits.words(size) * 2);
        }
        Bits.set(nulls, row);
    }

    public void appendBoolean(boolean value) {
        throw wrongForm();
    }

    public void appendInt(int value) {
        throw wrongForm();
    }

    public void appendLong(long value) {
        throw wrongForm();
    }

    public void appendDouble(double value) {
        throw wrongForm();
    }

    public void appendText(byte[] utf8, int start, int length) {
        throw wrongForm();
    }

    /** A 128-bit number in two halves. */
    public void appendWide(long high, long low) {
        throw wrongForm();
    }

    /** The unscaled value of a decimal, in the form that the builder is for. */
    public void appendUnscaled(BigInteger value) {
        throw wrongForm();
    }

    /** The builder that takes the elements of lists, before {@link #endList} closes a row. */
    public ColumnBuilder elements() {
        throw wrongForm();
    }

    /** A row with the elements that were appended since the last one. */
    public void endList() {
        throw wrongForm();
    }

    /** The builder that takes the values of a field of structs, before {@link #endStruct} closes a row. */
    public ColumnBuilder field(int index) {
        throw wrongForm();
    }

    /** A row with the value that was appended to each field. */
    public void endStruct() {
        throw wrongForm();
    }

    public void appendText(String value) {
        byte[] utf8 = value.getBytes(UTF_8);
        appendText(utf8, 0, utf8.length);
    }

    /** Gives an empty builder room for exactly so many rows; more can be appended all the same. */
    void expect(int rows) {
        // some grow as they go
    }

    /** Gives an empty builder of texts room for exactly so many bytes; more can be appended all the same. */
    void expectBytes(int length) {
        // the others hold no texts
    }

    /** Forgets the rows from a number on, where there are any. */
    public final void truncate(int rows) {
        for (int i = rows; nulls != null && i < size && i < nulls.length * 64; i++) {
            Bits.clear(nulls, i);
        }
        size = Math.min(size, rows);
        truncated(size);
    }

    /** Forgets what builders inside this one hold beyond a number of rows. */
    void truncated(int rows) {
        // most forms hold nothing but their rows
    }

    /** The column collected so far; the builder starts anew. */
    public final Column build() {
        long[] set = Bits.any(nulls, Math.min(size, nulls == null ? 0 : nulls.length * 64))
                ? Arrays.copyOf(nulls, Math.max(1, Bits.words(size)))
                : null;
        Column column = buildValues(size, set);
        size = 0;
        nulls = null;
        return column;
    }

    /** A view of what was collected so far; valid until the next append. */
    public final Column peek() {
        long[] set = nulls;
        if (set != null && set.length < Bits.words(size)) {
            set = Arrays.copyOf(set, Bits.words(size));
        }
        return view(set);
    }

    /** Bytes collected so far. */
    public abstract long sizeInBytes();

    abstract void appendDefault();

    abstract void appendValue(Column from, int row);

    abstract Column buildValues(int rows, long[] nullRows);

    abstract Column view(long[] nullRows);

    final int grow() {
        return size++;
    }

    /** Counts rows whose values were written already; returns the number of the first. */
    final int grow(int rows) {
        int first = size;
        size = Math.addExact(size, rows);
        return first;
    }

    static int larger(int length) {
        return Math.max(64, length + (length >> 1));
    }

    private IllegalStateException wrongForm() {
        return new IllegalStateException(getClass().getSimpleName() + " cannot hold this value");
    }
}
