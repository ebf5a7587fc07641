package org.unimeros.engine.data;

import static java.nio.charset.StandardCharsets.UTF_8;

import java.math.BigInteger;
import java.util.Arrays;

/**
 * Collects the values of one column. The typed {@code append} methods are for the physical form that the builder was
 * made for; calling another one is a programming mistake. Not thread-safe.
 */
public abstract sealed class ColumnBuilder {

    private static final int LEAST = 64;

    private int size;
    private long[] nulls;

    /** A builder for columns of this type. */
    public static ColumnBuilder of(DataType type) {
        return switch (type.physical()) {
            case BITS -> new OfBits();
            case INTS -> new OfInts();
            case LONGS -> new OfLongs();
            case DOUBLES -> new OfDoubles();
            case BYTES -> new OfText();
            case WIDE -> new OfWide();
            case LIST -> new OfLists(of(((DataType.ListOf) type).element()));
            case STRUCT ->
                new OfStructs(((DataType.Struct) type)
                        .parts().stream().map(p -> of(p.type())).toArray(ColumnBuilder[]::new));
        };
    }

    /** A builder for columns of the same physical form. */
    public static ColumnBuilder like(Column column) {
        return switch (column) {
            case BooleanColumn c -> new OfBits();
            case IntColumn c -> new OfInts();
            case LongColumn c -> new OfLongs();
            case DoubleColumn c -> new OfDoubles();
            case TextColumn c -> new OfText();
            case WideColumn c -> new OfWide();
            case ListColumn c -> new OfLists(like(c.elements()));
            case StructColumn c -> {
                ColumnBuilder[] fields = new ColumnBuilder[c.fieldCount()];
                for (int i = 0; i < fields.length; i++) {
                    fields[i] = like(c.field(i));
                }
                yield new OfStructs(fields);
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

    private static final class OfBits extends ColumnBuilder {
        private long[] bits = new long[2];

        @Override
        public void appendBoolean(boolean value) {
            int row = grow();
            if (row >>> 6 >= bits.length) {
                bits = Arrays.copyOf(bits, larger(bits.length));
            }
            if (value) {
                Bits.set(bits, row);
            } else {
                Bits.clear(bits, row);
            }
        }

        @Override
        void appendDefault() {
            appendBoolean(false);
        }

        @Override
        void appendValue(Column from, int row) {
            appendBoolean(((BooleanColumn) from).value(row));
        }

        @Override
        Column buildValues(int rows, long[] nullRows) {
            return new BooleanColumn(Arrays.copyOf(bits, Math.max(1, Bits.words(rows))), nullRows);
        }

        @Override
        Column view(long[] nullRows) {
            return new BooleanColumn(bits, nullRows);
        }

        @Override
        public long sizeInBytes() {
            return size() / 8;
        }
    }

    private static final class OfInts extends ColumnBuilder {
        private int[] values = new int[LEAST];

        @Override
        public void appendInt(int value) {
            int row = grow();
            if (row == values.length) {
                values = Arrays.copyOf(values, larger(row));
            }
            values[row] = value;
        }

        @Override
        void appendDefault() {
            appendInt(0);
        }

        @Override
        void appendValue(Column from, int row) {
            appendInt(((IntColumn) from).values()[row]);
        }

        @Override
        void appendValues(Column from, int rows) {
            int first = grow(rows);
            reserve(first + rows);
            System.arraycopy(((IntColumn) from).values(), 0, values, first, rows);
        }

        @Override
        void appendValues(Column from, int[] rows, int start, int end) {
            int[] source = ((IntColumn) from).values();
            int first = grow(end - start);
            reserve(first + end - start);
            int[] to = values;
            for (int i = start; i < end; i++) {
                to[first + i - start] = source[rows[i]];
            }
        }

        @Override
        void appendValues(Column[] from, int[] which, int[] rows, int n) {
            int[][] sources = new int[from.length][];
            for (int i = 0; i < sources.length; i++) {
                sources[i] = ((IntColumn) from[i]).values();
            }
            int first = grow(n);
            reserve(first + n);
            int[] to = values;
            for (int i = 0; i < n; i++) {
                to[first + i] = sources[which[i]][rows[i]];
            }
        }

        @Override
        void expect(int rows) {
            if (size() == 0 && rows > 0 && rows != values.length) {
                values = new int[rows];
            }
        }

        private void reserve(int rows) {
            if (rows > values.length) {
                values = Arrays.copyOf(values, Math.max(rows, larger(values.length)));
            }
        }

        @Override
        Column buildValues(int rows, long[] nullRows) {
            if (rows < values.length) {
                return new IntColumn(Arrays.copyOf(values, rows), nullRows);
            }
            int[] all = values;
            values = new int[LEAST];
            return new IntColumn(all, nullRows);
        }

        @Override
        Column view(long[] nullRows) {
            return new IntColumn(values, nullRows);
        }

        @Override
        public long sizeInBytes() {
            return 4L * size();
        }
    }

    private static final class OfLongs extends ColumnBuilder {
        private long[] values = new long[LEAST];

        @Override
        public void appendLong(long value) {
            int row = grow();
            if (row == values.length) {
                values = Arrays.copyOf(values, larger(row));
            }
            values[row] = value;
        }

        @Override
        void appendDefault() {
            appendLong(0);
        }

        @Override
        public void appendUnscaled(BigInteger value) {
            appendLong(value.longValueExact());
        }

        @Override
        void appendValue(Column from, int row) {
            appendLong(((LongColumn) from).values()[row]);
        }

        @Override
        void appendValues(Column from, int rows) {
            int first = grow(rows);
            reserve(first + rows);
            System.arraycopy(((LongColumn) from).values(), 0, values, first, rows);
        }

        @Override
        void appendValues(Column from, int[] rows, int start, int end) {
            long[] source = ((LongColumn) from).values();
            int first = grow(end - start);
            reserve(first + end - start);
            long[] to = values;
            for (int i = start; i < end; i++) {
                to[first + i - start] = source[rows[i]];
            }
        }

        @Override
        void appendValues(Column[] from, int[] which, int[] rows, int n) {
            long[][] sources = new long[from.length][];
            for (int i = 0; i < sources.length; i++) {
                sources[i] = ((LongColumn) from[i]).values();
            }
            int first = grow(n);
            reserve(first + n);
            long[] to = values;
            for (int i = 0; i < n; i++) {
                to[first + i] = sources[which[i]][rows[i]];
            }
        }

        @Override
        void expect(int rows) {
            if (size() == 0 && rows > 0 && rows != values.length) {
                values = new long[rows];
            }
        }

        private void reserve(int rows) {
            if (rows > values.length) {
                values = Arrays.copyOf(values, Math.max(rows, larger(values.length)));
            }
        }

        @Override
        Column buildValues(int rows, long[] nullRows) {
            if (rows < values.length) {
                return new LongColumn(Arrays.copyOf(values, rows), nullRows);
            }
            long[] all = values;
            values = new long[LEAST];
            return new LongColumn(all, nullRows);
        }

        @Override
        Column view(long[] nullRows) {
            return new LongColumn(values, nullRows);
        }

        @Override
        public long sizeInBytes() {
            return 8L * size();
        }
    }

    private static final class OfDoubles extends ColumnBuilder {
        private double[] values = new double[LEAST];

        @Override
        public void appendDouble(double value) {
            int row = grow();
            if (row == values.length) {
                values = Arrays.copyOf(values, larger(row));
            }
            values[row] = value;
        }

        @Override
        void appendDefault() {
            appendDouble(0);
        }

        @Override
        void appendValue(Column from, int row) {
            appendDouble(((DoubleColumn) from).values()[row]);
        }

        @Override
        void appendValues(Column from, int rows) {
            int first = grow(rows);
            reserve(first + rows);
            System.arraycopy(((DoubleColumn) from).values(), 0, values, first, rows);
        }

        @Override
        void appendValues(Column from, int[] rows, int start, int end) {
            double[] source = ((DoubleColumn) from).values();
            int first = grow(end - start);
            reserve(first + end - start);
            double[] to = values;
            for (int i = start; i < end; i++) {
                to[first + i - start] = source[rows[i]];
            }
        }

        @Override
        void appendValues(Column[] from, int[] which, int[] rows, int n) {
            double[][] sources = new double[from.length][];
            for (int i = 0; i < sources.length; i++) {
                sources[i] = ((DoubleColumn) from[i]).values();
            }
            int first = grow(n);
            reserve(first + n);
            double[] to = values;
            for (int i = 0; i < n; i++) {
                to[first + i] = sources[which[i]][rows[i]];
            }
        }

        @Override
        void expect(int rows) {
            if (size() == 0 && rows > 0 && rows != values.length) {
                values = new double[rows];
            }
        }

        private void reserve(int rows) {
            if (rows > values.length) {
                values = Arrays.copyOf(values, Math.max(rows, larger(values.length)));
            }
        }

        @Override
        Column buildValues(int rows, long[] nullRows) {
            if (rows < values.length) {
                return new DoubleColumn(Arrays.copyOf(values, rows), nullRows);
            }
            double[] all = values;
            values = new double[LEAST];
            return new DoubleColumn(all, nullRows);
        }

        @Override
        Column view(long[] nullRows) {
            return new DoubleColumn(values, nullRows);
        }

        @Override
        public long sizeInBytes() {
            return 8L * size();
        }
    }

    /**
     * Texts one after the other. As long as there are but few different ones, and none comes as bytes, each is kept once, and rows have
     * their numbers.
     */
    private static final class OfText extends ColumnBuilder {
        private byte[] bytes = new byte[256];
        private int[] offsets = new int[65];
        /** The numbers of the texts; null where the texts of all rows stand one after the other. */
        private TextCodes codes;

        private TextCodes spareCodes;
        private int untried;
        private int[] ids = new int[0];

        @Override
        public void appendText(byte[] utf8, int start, int length) {
            spellOut();
            int row = grow();
            int at = row == 0 ? 0 : offsets[row];
            int end = reserve(row, at, length);
            System.arraycopy(utf8, start, bytes, at, length);
            offsets[row + 1] = end;
        }

        @Override
        public void appendText(String value) {
            if (triesCodes()) {
                int number = codes.number(value);
                if (number >= 0) {
                    appendNumber(number);
                    return;
                }
                giveUpCodes();
            }
            if (!appendPlain(value)) {
                super.appendText(value);
            }
        }

        /** Plain characters, of which most texts are, are their own bytes and need no array of their own; false for others. */
        private boolean appendPlain(String value) {
            int length = value.length();
            int at = place(length);
            byte[] to = bytes;
            for (int i = 0; i < length; i++) {
                char c = value.charAt(i);
                if (c >= 0x80) {
                    return false;
                }
                to[at + i] = (byte) c;
            }
            offsets[grow() + 1] = at + length;
            return true;
        }

        /** Where the text of the next row begins, with room for it. */
        private int place(int length) {
            int row = size();
            int at = row == 0 ? 0 : offsets[row];
            reserve(row, at, length);
            return at;
        }

        /** Texts of a batch are numbered from its first row on, or not at all. */
        private boolean triesCodes() {
            if (codes == null && size() == 0 && untried == 0) {
                codes = spareCodes == null ? new TextCodes() : spareCodes;
                codes.clear();
            }
            return codes != null;
        }

        private void giveUpCodes() {
            spellOut();
            untried = TextCodes.PATIENCE;
        }

        private void appendNumber(int number) {
            int row = grow();
            if (row == ids.length) {
                ids = Arrays.copyOf(ids, Math.max(64, larger(row)));
            }
            ids[row] = number;
        }

        /** Goes over to texts one after the other. */
        private void spellOut() {
            if (codes == null) {
                return;
            }
            int rows = size();
            TextColumn texts = codes.view();
            boolean isEmpty = codes.size() == 0;
            codes = null;
            for (int i = 0, at = 0; i < rows; i++) {
                int start = isEmpty ? 0 : texts.start(ids[i]);
                int length = isEmpty ? 0 : texts.end(ids[i]) - start;
                int end = reserve(i, at, length);
                System.arraycopy(texts.bytes(), start, bytes, at, length);
                offsets[i + 1] = end;
                at = end;
            }
        }

        /** Makes room for a text, and returns where it ends. */
        private int reserve(int row, int at, int length) {
            reserveBytes(at, length);
            int end = at + length;
            if (row + 1 >= offsets.length) {
                offsets = Arrays.copyOf(offsets, larger(offsets.length));
            }
            return end;
        }

        @Override
        void expect(int rows) {
            if (size() == 0 && rows > 0) {
                offsets = new int[rows + 1];
            }
        }

        @Override
        void expectBytes(int length) {
            if (size() == 0 && length > 0) {
                bytes = new byte[Math.addExact(length, TextColumn.SHORT)];
            }
        }

        @Override
        void appendDefault() {
            if (codes != null) {
                appendNumber(0);
            } else {
                appendText(bytes, 0, 0);
            }
        }

        @Override
        void appendValue(Column from, int row) {
            TextColumn text = (TextColumn) from;
            int start = text.start(row);
            appendText(text.bytes(), start, text.end(row) - start);
        }

        @Override
        void appendValues(Column from, int rows) {
            TextColumn text = (TextColumn) from;
            int first = growTexts(rows);
            int at = offsets[first];
            if (text.isPlain() && rows > 0) {
                int start = text.startOf(0);
                int shift = at - start;
                reserveBytes(at, text.endOf(rows - 1) - start);
                System.arraycopy(text.bytes(), start, bytes, at, text.endOf(rows - 1) - start);
                for (int i = 0; i < rows; i++) {
                    offsets[first + i + 1] = text.endOf(i) + shift;
                }
                return;
            }
            for (int i = 0; i < rows; i++) {
                at = put(text, i, at);
                offsets[first + i + 1] = at;
            }
        }

        @Override
        void appendValues(Column from, int[] rows, int start, int end) {
            TextColumn text = (TextColumn) from;
            int next = growTexts(end - start) + 1;
            int at = offsets[next - 1];
            for (int i = start; i < end; i++) {
                at = put(text, rows[i], at);
                offsets[next++] = at;
            }
        }

        @Override
        void appendValues(Column[] from, int[] which, int[] rows, int n) {
            TextColumn[] sources = new TextColumn[from.length];
            for (int i = 0; i < sources.length; i++) {
                sources[i] = (TextColumn) from[i];
            }
            int first = growTexts(n);
            int at = offsets[first];
            for (int i = 0; i < n; i++) {
                at = put(sources[which[i]], rows[i], at);
                offsets[first + i + 1] = at;
            }
        }

        /** Counts rows whose texts are put behind those that are there; returns the number of the first. */
        private int growTexts(int rows) {
            spellOut();
            int first = grow(rows);
            if (first + rows >= offsets.length) {
                offsets = Arrays.copyOf(offsets, Math.max(first + rows + 1, larger(offsets.length)));
            }
            return first;
        }

        /** Copies a text to a place, and returns the one behind it. */
        private int put(TextColumn text, int row, int at) {
            int start = text.start(row);
            int length = text.end(row) - start;
            reserveBytes(at, length);
            TextColumn.copy(text.bytes(), start, bytes, at, length);
            return at + length;
        }

        private void reserveBytes(int at, int length) {
            if (Math.addExact(at, length) > bytes.length) {
                bytes = Arrays.copyOf(bytes, Math.max(at + length, larger(bytes.length)));
            }
        }

        @Override
        Column buildValues(int rows, long[] nullRows) {
            untried -= untried > 0 ? 1 : 0;
            if (codes != null && codes.size() > 0) {
                TextColumn dictionary = codes.dictionary();
                spareCodes = codes;
                codes = null;
                return TextColumn.encoded(Arrays.copyOf(ids, rows), dictionary, spareCodes.size(), nullRows);
            }
            spellOut();
            int end = rows == 0 ? 0 : offsets[rows];
            if (rows > 0 && offsets.length == rows + 1 && bytes.length - end <= TextColumn.SHORT) {
                TextColumn all = new TextColumn(bytes, offsets, nullRows);
                bytes = new byte[256];
                offsets = new int[65];
                return all;
            }
            return new TextColumn(Arrays.copyOf(bytes, end), Arrays.copyOf(offsets, rows + 1), nullRows);
        }

        @Override
        Column view(long[] nullRows) {
            return codes == null
                    ? new TextColumn(bytes, offsets, nullRows)
                    : TextColumn.encoded(ids, codes.view(), codes.size(), nullRows);
        }

        @Override
        public long sizeInBytes() {
            return 4L * size() + (codes != null ? codes.sizeInBytes() : size() == 0 ? 0 : offsets[size()]);
        }
    }

    private static final class OfWide extends ColumnBuilder {
        private long[] high = new long[64];
        private long[] low = new long[64];

        @Override
        public void appendWide(long upper, long lower) {
            int row = grow();
            if (row == high.length) {
                high = Arrays.copyOf(high, larger(row));
                low = Arrays.copyOf(low, high.length);
            }
            high[row] = upper;
            low[row] = lower;
        }

        @Override
        public void appendUnscaled(BigInteger value) {
            appendWide(WideColumn.high(value), value.longValue());
        }

        @Override
        void appendDefault() {
            appendWide(0, 0);
        }

        @Override
        void appendValue(Column from, int row) {
            WideColumn wide = (WideColumn) from;
            appendWide(wide.high()[row], wide.low()[row]);
        }

        @Override
        Column buildValues(int rows, long[] nullRows) {
            return new WideColumn(Arrays.copyOf(high, rows), Arrays.copyOf(low, rows), nullRows);
        }

        @Override
        Column view(long[] nullRows) {
            return new WideColumn(high, low, nullRows);
        }

        @Override
        public long sizeInBytes() {
            return 16L * size();
        }
    }

    private static final class OfLists extends ColumnBuilder {
        private final ColumnBuilder elements;
        private int[] bounds = new int[65];

        OfLists(ColumnBuilder elements) {
            this.elements = elements;
        }

        @Override
        public ColumnBuilder elements() {
            return elements;
        }

        @Override
        public void endList() {
            int row = grow();
            if (row + 1 >= bounds.length) {
                bounds = Arrays.copyOf(bounds, larger(bounds.length));
            }
            bounds[row + 1] = elements.size();
        }

        @Override
        void appendDefault() {
            endList();
        }

        @Override
        void appendValue(Column from, int row) {
            ListColumn list = (ListColumn) from;
            for (int i = list.start(row); i < list.end(row); i++) {
                elements.append(list.elements(), i);
            }
            endList();
        }

        @Override
        void truncated(int rows) {
            elements.truncate(bounds[rows]);
        }

        @Override
        Column buildValues(int rows, long[] nullRows) {
            return ListColumn.packed(Arrays.copyOf(bounds, rows + 1), elements.build(), bounds[rows], nullRows);
        }

        @Override
        Column view(long[] nullRows) {
            return ListColumn.packed(bounds, elements.peek(), elements.size(), nullRows);
        }

        @Override
        public long sizeInBytes() {
            return 8L * size() + elements.sizeInBytes();
        }
    }

    private static final class OfStructs extends ColumnBuilder {
        private final ColumnBuilder[] fields;

        OfStructs(ColumnBuilder... fields) {
            this.fields = fields;
        }

        @Override
        public ColumnBuilder field(int index) {
            return fields[index];
        }

        @Override
        public void endStruct() {
            grow();
        }

        @Override
        void appendDefault() {
            for (ColumnBuilder field : fields) {
                field.appendNull();
            }
            grow();
        }

        @Override
        void appendValue(Column from, int row) {
            StructColumn struct = (StructColumn) from;
            for (int i = 0; i < fields.length; i++) {
                fields[i].append(struct.field(i), row);
            }
            grow();
        }

        @Override
        void truncated(int rows) {
            for (ColumnBuilder field : fields) {
                field.truncate(rows);
            }
        }

        @Override
        Column buildValues(int rows, long[] nullRows) {
            Column[] built = new Column[fields.length];
            for (int i = 0; i < built.length; i++) {
                built[i] = fields[i].build();
            }
            return new StructColumn(built, nullRows);
        }

        @Override
        Column view(long[] nullRows) {
            Column[] views = new Column[fields.length];
            for (int i = 0; i < views.length; i++) {
                views[i] = fields[i].peek();
            }
            return new StructColumn(views, nullRows);
        }

        @Override
        public long sizeInBytes() {
            long bytes = 0;
            for (ColumnBuilder field : fields) {
                bytes += field.sizeInBytes();
            }
            return bytes;
        }
    }
}
