package org.unimeros.storage.format.parquet;

import dev.hardwood.metadata.PhysicalType;
import dev.hardwood.schema.SchemaNode.PrimitiveNode;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.BooleanColumn;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DoubleColumn;

/** Columns of numbers and truth values, by the way in which they are stored. */
final class FlatNumbers {

    private FlatNumbers() {}

    /** Whole numbers of 32 bits. */
    static final class Ints extends FlatColumn {
        private final PrimitiveNode node;
        private final DataType type;
        private int[] dictionary = new int[0];
        private int[] out;

        Ints(Stored stored, DataType type) {
            super(stored);
            this.node = stored.node();
            this.type = type;
        }

        @Override
        void dictionary(PageBytes page, int entries) {
            dictionary = new int[entries];
            plain(page, dictionary, 0, entries);
        }

        private static void plain(PageBytes page, int[] to, int at, int n) {
            int from = page.skip(4L * n);
            for (int i = 0; i < n; i++) {
                to[at + i] = (int) PageBytes.INTS.get(page.bytes, from + 4 * i);
            }
        }

        @Override
        void begin(int rows) {
            out = new int[rows];
        }

        @Override
        void values(Form from, int at, int n) {
            switch (from) {
                case PLAIN -> plain(plain(), out, at, n);
                case CODES -> {
                    codes().read(out, at, n);
                    for (int i = at; i < at + n; i++) {
                        out[i] = dictionary[out[i]];
                    }
                }
                case DELTAS -> {
                    for (int i = at; i < at + n; i++) {
                        out[i] = (int) deltas().next();
                    }
                }
                case BITS -> throw PageBytes.damaged("truth values in a column of numbers");
            }
        }

        @Override
        void spread(long[] nulls, int at, int rows, int present) {
            int from = at + present - 1;
            for (int i = at + rows - 1; i >= at; i--) {
                out[i] = Bits.get(nulls, i) ? 0 : out[from--];
            }
        }

        @Override
        Column end(int rows, long[] nulls) {
            return LeafColumns.ofInts(out, nulls, node, type);
        }
    }

    /** Whole numbers of 64 bits. */
    static final class Longs extends FlatColumn {
        private final PrimitiveNode node;
        private final DataType type;
        private long[] dictionary = new long[0];
        private int[] picked = new int[0];
        private long[] out;

        Longs(Stored stored, DataType type) {
            super(stored);
            this.node = stored.node();
            this.type = type;
        }

        @Override
        void dictionary(PageBytes page, int entries) {
            dictionary = new long[entries];
            plain(page, dictionary, 0, entries);
        }

        private static void plain(PageBytes page, long[] to, int at, int n) {
            int from = page.skip(8L * n);
            for (int i = 0; i < n; i++) {
                to[at + i] = (long) PageBytes.LONGS.get(page.bytes, from + 8 * i);
            }
        }

        @Override
        void begin(int rows) {
            out = new long[rows];
            picked = picked.length < rows ? new int[rows] : picked;
        }

        @Override
        void values(Form from, int at, int n) {
            switch (from) {
                case PLAIN -> plain(plain(), out, at, n);
                case CODES -> {
                    codes().read(picked, 0, n);
                    for (int i = 0; i < n; i++) {
                        out[at + i] = dictionary[picked[i]];
                    }
                }
                case DELTAS -> {
                    for (int i = at; i < at + n; i++) {
                        out[i] = deltas().next();
                    }
                }
                case BITS -> throw PageBytes.damaged("truth values in a column of numbers");
            }
        }

        @Override
        void spread(long[] nulls, int at, int rows, int present) {
            int from = at + present - 1;
            for (int i = at + rows - 1; i >= at; i--) {
                out[i] = Bits.get(nulls, i) ? 0 : out[from--];
            }
        }

        @Override
        Column end(int rows, long[] nulls) {
            return LeafColumns.ofLongs(out, nulls, node, type);
        }
    }

    /** Floating-point numbers of 32 or 64 bits. */
    static final class Doubles extends FlatColumn {
        private final boolean single;
        private double[] dictionary = new double[0];
        private int[] picked = new int[0];
        private double[] out;

        Doubles(Stored stored) {
            super(stored);
            this.single = stored.node().type() == PhysicalType.FLOAT;
        }

        @Override
        void dictionary(PageBytes page, int entries) {
            dictionary = new double[entries];
            plain(page, dictionary, 0, entries);
        }

        private void plain(PageBytes page, double[] to, int at, int n) {
            if (single) {
                int from = page.skip(4L * n);
                for (int i = 0; i < n; i++) {
                    to[at + i] = (float) PageBytes.FLOATS.get(page.bytes, from + 4 * i);
                }
            } else {
                int from = page.skip(8L * n);
                for (int i = 0; i < n; i++) {
                    to[at + i] = (double) PageBytes.DOUBLES.get(page.bytes, from + 8 * i);
                }
            }
        }

        @Override
        void begin(int rows) {
            out = new double[rows];
            picked = picked.length < rows ? new int[rows] : picked;
        }

        @Override
        void values(Form from, int at, int n) {
            switch (from) {
                case PLAIN -> plain(plain(), out, at, n);
                case CODES -> {
                    codes().read(picked, 0, n);
                    for (int i = 0; i < n; i++) {
                        out[at + i] = dictionary[picked[i]];
                    }
                }
                case DELTAS, BITS -> throw PageBytes.damaged("whole numbers in a column of others");
            }
        }

        @Override
        void spread(long[] nulls, int at, int rows, int present) {
            int from = at + present - 1;
            for (int i = at + rows - 1; i >= at; i--) {
                out[i] = Bits.get(nulls, i) ? 0 : out[from--];
            }
        }

        @Override
        Column end(int rows, long[] nulls) {
            return new DoubleColumn(out, nulls);
        }
    }

    /** Truth values, as single bits or runs of them. */
    static final class Truths extends FlatColumn {
        private PageBytes page;
        private long bit;
        private int[] picked = new int[0];
        private long[] out;

        Truths(Stored stored) {
            super(stored);
        }

        @Override
        void dictionary(PageBytes ignored, int entries) {
            throw PageBytes.damaged("a dictionary of truth values");
        }

        @Override
        void begin(int rows) {
            out = Bits.make(rows);
            picked = picked.length < rows ? new int[rows] : picked;
        }

        @Override
        void values(Form from, int at, int n) {
            switch (from) {
                case PLAIN -> plain(n);
                case BITS -> codes().read(picked, 0, n);
                case CODES, DELTAS -> throw PageBytes.damaged("numbers in a column of truth values");
            }
            for (int i = 0; i < n; i++) {
                if (picked[i] != 0) {
                    Bits.set(out, at + i);
                }
            }
        }

        private void plain(int n) {
            if (page != plain()) {
                page = plain();
                bit = 8L * page.at;
            }
            if (bit + n > 8L * page.end) {
                throw PageBytes.damaged("a page is shorter than what it should hold");
            }
            for (int i = 0; i < n; i++, bit++) {
                picked[i] = page.bytes[(int) (bit >>> 3)] >>> (bit & 7) & 1;
            }
        }

        @Override
        void spread(long[] nulls, int at, int rows, int present) {
            int from = present - 1;
            for (int i = at + rows - 1; i >= at; i--) {
                boolean value = !Bits.get(nulls, i) && picked[from--] != 0;
                if (value) {
                    Bits.set(out, i);
                } else {
                    Bits.clear(out, i);
                }
            }
        }

        @Override
        Column end(int rows, long[] nulls) {
            return new BooleanColumn(out, nulls);
        }
    }
}
