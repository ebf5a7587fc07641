package org.unimeros.engine.expr;

import static java.nio.charset.StandardCharsets.UTF_8;

import java.util.Arrays;
import java.util.List;
import java.util.Locale;
import java.util.function.UnaryOperator;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.BooleanColumn;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.SpareArrays;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.data.Utf8;
import org.unimeros.engine.expr.ScalarFunction.Kernel;

/**
 * Functions of text, on its bytes. What stands in the arrays for nulls is text as well, and no kernel here can fail, so most of them need not
 * ask which rows are null.
 */
final class TextKernels {

    private TextKernels() {}

    /**
     * A kernel that cannot fail, applied to each entry of a dictionary once where all arguments but the first are the same for all rows. It
     * is called with fewer rows and without nulls then, and may set nulls of its own.
     */
    static Kernel oncePerEntry(List<Expression> args, Kernel kernel) {
        boolean varies = args.stream().skip(1).anyMatch(a -> !(a instanceof Expression.Literal));
        return varies
                ? kernel
                : (columns, rows, nulls) -> {
                    TextColumn text = (TextColumn) columns[0];
                    if (text.ids() == null || text.entries() == 0 || text.entries() > rows) {
                        return kernel.apply(columns, rows, nulls);
                    }
                    Column[] ofEntries = columns.clone();
                    ofEntries[0] = text.dictionary();
                    return spread(kernel.apply(ofEntries, text.entries(), null), text, rows, nulls);
                };
    }

    /** What was found for the entries of a dictionary, in the rows that it encodes. */
    static Column spread(Column ofEntries, TextColumn text, int rows, long[] nulls) {
        long[] none = ofEntries.nulls() == null ? null : Bits.gather(ofEntries.nulls(), text.ids(), rows);
        long[] either = Bits.or(nulls, none, rows);
        return ofEntries instanceof TextColumn t
                ? TextColumn.encoded(text.ids(), t, text.entries(), either)
                : ofEntries.gather(text.ids(), rows).withNulls(either);
    }

    /** A function that works on strings. */
    static Kernel each(TravellingFunctions.OfText change) {
        return (args, rows, nulls) -> {
            TextColumn text = (TextColumn) args[0];
            ColumnBuilder out = ColumnBuilder.of(DataType.TEXT);
            for (int i = 0; i < rows; i++) {
                out.appendText(Arithmetic.isNull(nulls, i) ? "" : change.apply(text.text(i)));
            }
            return out.build().withNulls(nulls);
        };
    }

    /** A number that is found in strings. */
    static Kernel measure(TravellingFunctions.TextMeasure measure) {
        return (args, rows, nulls) -> {
            TextColumn text = (TextColumn) args[0];
            int[] out = new int[rows];
            for (int i = 0; i < rows; i++) {
                out[i] = Arithmetic.isNull(nulls, i) ? 0 : measure.applyAsInt(text.text(i));
            }
            return new IntColumn(out, nulls);
        };
    }

    static Column lower(Column[] args, int rows, long[] nulls) {
        return inCase((TextColumn) args[0], rows, nulls, 'A', 'Z', t -> t.toLowerCase(Locale.ROOT));
    }

    static Column upper(Column[] args, int rows, long[] nulls) {
        return inCase((TextColumn) args[0], rows, nulls, 'a', 'z', t -> t.toUpperCase(Locale.ROOT));
    }

    /** Turns letters of a range into those of the other case; texts with other letters than these go by strings. */
    private static Column inCase(
            TextColumn text, int rows, long[] nulls, int first, int last, UnaryOperator<String> others) {
        if (text.ids() == null && text.isAscii(rows)) {
            TextColumn plain = text.packed(rows);
            byte[] bytes = Arrays.copyOf(plain.bytes(), rows == 0 ? 0 : plain.endOf(rows - 1));
            turn(bytes, bytes.length, first, last);
            return plain.withBytes(bytes).withNulls(nulls);
        }
        ColumnBuilder out = ColumnBuilder.of(DataType.TEXT);
        byte[] room = new byte[64];
        for (int i = 0; i < rows; i++) {
            int start = text.start(i);
            int length = text.end(i) - start;
            if (Utf8.isAscii(text.bytes(), start, start + length)) {
                room = add(text.bytes(), start, start + length, room, 0);
                turn(room, length, first, last);
                out.appendText(room, 0, length);
            } else {
                byte[] other = others.apply(text.text(i)).getBytes(UTF_8);
                out.appendText(other, 0, other.length);
            }
        }
        return out.build().withNulls(nulls);
    }

    private static void turn(byte[] bytes, int length, int first, int last) {
        for (int i = 0; i < length; i++) {
            int b = bytes[i];
            bytes[i] = (byte) (b >= first && b <= last ? b ^ 0x20 : b);
        }
    }

    private static boolean isAscii(TextColumn text, int rows) {
        return text.isAscii(text.ids() == null ? rows : text.entries());
    }

    static Column length(Column[] args, int rows, long[] nulls) {
        TextColumn text = (TextColumn) args[0];
        if (isAscii(text, rows)) {
            return octetLength(args, rows, nulls);
        }
        int[] out = SpareArrays.forInts(rows);
        for (int i = 0; i < rows; i++) {
            out[i] = Utf8.count(text.bytes(), text.start(i), text.end(i));
        }
        return new IntColumn(out, nulls);
    }

    static Column octetLength(Column[] args, int rows, long[] nulls) {
        TextColumn text = (TextColumn) args[0];
        int[] out = SpareArrays.forInts(rows);
        for (int i = 0; i < rows; i++) {
            out[i] = text.end(i) - text.start(i);
        }
        return new IntColumn(out, nulls);
    }

    /** One text after the other, row by row. */
    static Column concat(Column[] args, int rows, long[] nulls) {
        int[] offsets = new int[rows + 1];
        for (int i = 0; i < rows; i++) {
            int end = offsets[i];
            for (Column arg : args) {
                TextColumn text = (TextColumn) arg;
                end = Math.addExact(end, text.end(i) - text.start(i));
            }
            offsets[i + 1] = end;
        }
        byte[] out = new byte[offsets[rows]];
        for (int i = 0; i < rows; i++) {
            int at = offsets[i];
            for (Column arg : args) {
                at = ((TextColumn) arg).copyTo(i, out, at);
            }
        }
        return new TextColumn(out, offsets, nulls);
    }

    /** The texts that are not null with a separator between them; null only where that is. */
    static Column concatWithSeparator(Column[] args, int rows) {
        TextColumn separator = (TextColumn) args[0];
        ColumnBuilder out = ColumnBuilder.of(DataType.TEXT);
        byte[] room = new byte[64];
        for (int i = 0; i < rows; i++) {
            int size = 0;
            boolean isFirst = true;
            for (int c = 1; c < args.length; c++) {
                if (args[c].isNull(i)) {
                    continue;
                }
                if (!isFirst) {
                    room = add(separator.bytes(), separator.start(i), separator.end(i), room, size);
                    size += separator.end(i) - separator.start(i);
                }
                isFirst = false;
                TextColumn text = (TextColumn) args[c];
                room = add(text.bytes(), text.start(i), text.end(i), room, size);
                size += text.end(i) - text.start(i);
            }
            out.appendText(room, 0, size);
        }
        return out.build().withNulls(separator.nulls());
    }

    /** {@code lpad} and {@code rpad}: a text, how many characters it is to have, and what it is filled with; longer ones are cut. */
    static Column pad(Column[] args, int rows, long[] nulls, boolean atStart) {
        TextColumn text = (TextColumn) args[0];
        int[] lengths = ((IntColumn) args[1]).values();
        TextColumn fill = (TextColumn) args[2];
        ColumnBuilder out = ColumnBuilder.of(DataType.TEXT);
        byte[] room = new byte[64];
        for (int i = 0; i < rows; i++) {
            int length = Arithmetic.isNull(nulls, i) ? 0 : Math.max(0, lengths[i]);
            int start = text.start(i);
            int end = text.end(i);
            int has = Utf8.count(text.bytes(), start, end);
            if (has >= length || fill.start(i) == fill.end(i)) {
                int cut = Utf8.skip(text.bytes(), start, end, length);
                out.appendText(text.bytes(), start, cut - start);
                continue;
            }
            int size = 0;
            if (!atStart) {
                room = add(text.bytes(), start, end, room, 0);
                size = end - start;
            }
            int at = fill.start(i);
            for (int missing = length - has; missing > 0; missing--) {
                int next = Utf8.skip(fill.bytes(), at, fill.end(i), 1);
                room = add(fill.bytes(), at, next, room, size);
                size += next - at;
                at = next == fill.end(i) ? fill.start(i) : next;
            }
            if (atStart) {
                room = add(text.bytes(), start, end, room, size);
                size += end - start;
            }
            out.appendText(room, 0, size);
        }
        return out.build().withNulls(nulls);
    }

    static Column replace(Column[] args, int rows, long[] nulls) {
        TextColumn text = (TextColumn) args[0];
        TextColumn what = (TextColumn) args[1];
        ColumnBuilder out = ColumnBuilder.of(DataType.TEXT);
        byte[] room = new byte[64];
        for (int i = 0; i < rows; i++) {
            int from = what.start(i);
            int to = what.end(i);
            int at = text.start(i);
            int end = text.end(i);
            int size = 0;
            int found = from == to ? -1 : Utf8.indexOf(text.bytes(), at, end, what.bytes(), from, to);
            while (found >= 0) {
                room = add(text.bytes(), at, found, room, size);
                size += found - at;
                TextColumn by = (TextColumn) args[2];
                room = add(by.bytes(), by.start(i), by.end(i), room, size);
                size += by.end(i) - by.start(i);
                at = found + to - from;
                found = Utf8.indexOf(text.bytes(), at, end, what.bytes(), from, to);
            }
            room = add(text.bytes(), at, end, room, size);
            out.appendText(room, 0, size + end - at);
        }
        return out.build().withNulls(nulls);
    }

    private static byte[] add(byte[] from, int start, int end, byte[] to, int at) {
        int size = Math.addExact(at, end - start);
        byte[] room = size <= to.length ? to : Arrays.copyOf(to, Math.max(size, at + at / 2));
        System.arraycopy(from, start, room, at, end - start);
        return room;
    }

    /** {@code position(part, text)}. */
    static Column position(Column[] args, int rows, long[] nulls) {
        TextColumn part = (TextColumn) args[0];
        TextColumn text = (TextColumn) args[1];
        int[] out = SpareArrays.forInts(rows);
        for (int i = 0; i < rows; i++) {
            int start = text.start(i);
            int at = Utf8.indexOf(text.bytes(), start, text.end(i), part.bytes(), part.start(i), part.end(i));
            out[i] = at < 0 ? 0 : Utf8.count(text.bytes(), start, at) + 1;
        }
        return new IntColumn(out, nulls);
    }

    static Column contains(Column[] args, int rows, long[] nulls) {
        TextColumn text = (TextColumn) args[0];
        TextColumn part = (TextColumn) args[1];
        long[] out = Bits.make(rows);
        for (int i = 0; i < rows; i++) {
            int from = part.start(i);
            if (Utf8.indexOf(text.bytes(), text.start(i), text.end(i), part.bytes(), from, part.end(i)) >= 0) {
                Bits.set(out, i);
            }
        }
        return new BooleanColumn(out, nulls);
    }

    static Column startsWith(Column[] args, int rows, long[] nulls) {
        return hasAtEdge(args, rows, nulls, false);
    }

    static Column endsWith(Column[] args, int rows, long[] nulls) {
        return hasAtEdge(args, rows, nulls, true);
    }

    private static Column hasAtEdge(Column[] args, int rows, long[] nulls, boolean atEnd) {
        TextColumn text = (TextColumn) args[0];
        TextColumn part = (TextColumn) args[1];
        long[] out = Bits.make(rows);
        for (int i = 0; i < rows; i++) {
            int from = part.start(i);
            int to = part.end(i);
            int at = atEnd ? text.end(i) - (to - from) : text.start(i);
            boolean fits = text.end(i) - text.start(i) >= to - from;
            if (fits && Utf8.isAt(text.bytes(), at, part.bytes(), from, to)) {
                Bits.set(out, i);
            }
        }
        return new BooleanColumn(out, nulls);
    }

    /** {@code text like pattern}; -1 is no escape. */
    static Column like(Column[] args, int rows, long[] nulls, int escape) {
        TextColumn text = (TextColumn) args[0];
        TextColumn pattern = (TextColumn) args[1];
        Like like = null;
        long[] out = Bits.make(rows);
        for (int i = 0; i < rows; i++) {
            if (Arithmetic.isNull(nulls, i)) {
                continue;
            }
            if (like == null || !pattern.isConstant()) {
                like = pattern(pattern.text(i), escape, i);
            }
            if (like.matches(text.bytes(), text.start(i), text.end(i))) {
                Bits.set(out, i);
            }
        }
        return new BooleanColumn(out, nulls);
    }

    private static Like pattern(String text, int escape, int row) {
        try {
            return new Like(text, escape);
        } catch (IllegalArgumentException e) {
            throw new ScalarFunction.RowProblem(row, e.getMessage());
        }
    }
}
