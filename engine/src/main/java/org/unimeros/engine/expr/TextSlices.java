package org.unimeros.engine.expr;

import java.util.Arrays;
import java.util.List;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.SpareArrays;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.data.Utf8;
import org.unimeros.engine.expr.Expression.Call;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.ScalarFunction.Kernel;
import org.unimeros.engine.expr.ScalarFunction.RowProblem;

/**
 * Functions whose result is a piece of their text. They only compute where it begins and ends; bytes are copied where the result may be
 * kept for long, and not where it is forgotten at once. What stands in the arrays for nulls is cut like everything else.
 */
final class TextSlices {

    private static final int ASCII = 128;

    private TextSlices() {}

    /** Where the pieces of a column stand. */
    private record Pieces(TextColumn text, int[] starts, int[] ends) {

        static Pieces of(TextColumn text, int rows) {
            return new Pieces(text, SpareArrays.forInts(rows), SpareArrays.forInts(rows));
        }

        TextColumn column(int rows, long[] nulls) {
            TextColumn column = TextColumn.slices(text.bytes(), starts, ends, nulls);
            return SpareArrays.areInUse() ? column : column.packed(rows);
        }
    }

    static Expression substring(List<Expression> args) {
        List<Expression> typed = TextFunctions.textAndNumbers("substring", args);
        Kernel once = TextKernels.oncePerEntry(typed, TextSlices::substring);
        Kernel checked = (columns, rows, nulls) -> {
            requirePositive(columns, rows, nulls);
            return once.apply(columns, rows, nulls);
        };
        return new Call(ScalarFunction.failing("substring", checked), typed, DataType.TEXT);
    }

    static Expression left(List<Expression> args) {
        return call("left", args, TextSlices::left);
    }

    static Expression right(List<Expression> args) {
        return call("right", args, TextSlices::right);
    }

    private static Expression call(String name, List<Expression> args, Kernel kernel) {
        List<Expression> typed = TextFunctions.textAndNumbers(name, args);
        return new Call(ScalarFunction.call(name, TextKernels.oncePerEntry(typed, kernel)), typed, DataType.TEXT);
    }

    static Expression splitPart(List<Expression> args) {
        List<Expression> typed = List.of(
                Functions.text(args.get(0), "split_part"),
                Functions.text(args.get(1), "split_part"),
                Functions.whole(args.get(2), "split_part"));
        Kernel kernel = TextKernels.oncePerEntry(typed, TextSlices::splitPart);
        return new Call(ScalarFunction.call("split_part", kernel), typed, DataType.TEXT);
    }

    /** {@code substring(text, from, length)}; positions count characters from 1, as in SQL. */
    private static Column substring(Column[] args, int rows, long[] nulls) {
        TextColumn text = (TextColumn) args[0];
        int[] from = ((IntColumn) args[1]).values();
        int[] length = args.length > 2 ? ((IntColumn) args[2]).values() : null;
        Pieces pieces = Pieces.of(text, rows);
        boolean isAscii = isAscii(text, rows);
        for (int i = 0; i < rows; i++) {
            int start = text.start(i);
            int end = text.end(i);
            // The piece can begin before the text, and is shorter then.
            long first = from[i] - 1L;
            long last = length == null ? Integer.MAX_VALUE : first + length[i];
            int begin = skip(text, isAscii, start, end, first);
            pieces.starts[i] = begin;
            pieces.ends[i] = last <= first ? begin : skip(text, isAscii, begin, end, last - Math.max(0, first));
        }
        return pieces.column(rows, nulls);
    }

    private static void requirePositive(Column[] args, int rows, long[] nulls) {
        int[] length = args.length > 2 ? ((IntColumn) args[2]).values() : null;
        for (int i = 0; length != null && i < rows; i++) {
            if (length[i] < 0 && !Arithmetic.isNull(nulls, i)) {
                throw new RowProblem(i, "negative length " + length[i]);
            }
        }
    }

    /** Characters from the start, or all but so many at the end. */
    private static Column left(Column[] args, int rows, long[] nulls) {
        return atEdge(args, rows, nulls, true);
    }

    /** Characters at the end, or all but so many from the start. */
    private static Column right(Column[] args, int rows, long[] nulls) {
        return atEdge(args, rows, nulls, false);
    }

    private static Column atEdge(Column[] args, int rows, long[] nulls, boolean atStart) {
        TextColumn text = (TextColumn) args[0];
        int[] counts = ((IntColumn) args[1]).values();
        Pieces pieces = Pieces.of(text, rows);
        boolean isAscii = isAscii(text, rows);
        for (int i = 0; i < rows; i++) {
            int start = text.start(i);
            int end = text.end(i);
            long count = Math.abs((long) counts[i]);
            int cut = counts[i] >= 0 == atStart
                    ? skip(text, isAscii, start, end, count)
                    : skipBack(text, isAscii, start, end, count);
            pieces.starts[i] = atStart ? start : cut;
            pieces.ends[i] = atStart ? cut : end;
        }
        return pieces.column(rows, nulls);
    }

    private static boolean isAscii(TextColumn text, int rows) {
        return text.isAscii(text.ids() == null ? rows : text.entries());
    }

    private static int skip(TextColumn text, boolean isAscii, int start, int end, long characters) {
        return isAscii
                ? start + Math.clamp(characters, 0, end - start)
                : Utf8.skip(text.bytes(), start, end, characters);
    }

    private static int skipBack(TextColumn text, boolean isAscii, int start, int end, long characters) {
        return isAscii
                ? end - Math.clamp(characters, 0, end - start)
                : Utf8.skipBack(text.bytes(), start, end, characters);
    }

    private static Column splitPart(Column[] args, int rows, long[] nulls) {
        TextColumn text = (TextColumn) args[0];
        TextColumn separator = (TextColumn) args[1];
        int[] numbers = ((IntColumn) args[2]).values();
        Pieces pieces = Pieces.of(text, rows);
        if (separator.isConstant() && separator.end(0) - separator.start(0) == 1 && areOne(numbers, rows)) {
            parts(text, rows, separator.bytes()[separator.start(0)], numbers[0], pieces);
            return pieces.column(rows, nulls);
        }
        for (int i = 0; i < rows; i++) {
            part(text, i, separator, i, numbers[i], pieces);
        }
        return pieces.column(rows, nulls);
    }

    /** Whether all are one and the same number, above zero. */
    private static boolean areOne(int[] numbers, int rows) {
        int differing = 0;
        for (int i = 0; i < rows; i++) {
            differing |= numbers[i] ^ numbers[0];
        }
        return differing == 0 && numbers[0] > 0;
    }

    /**
     * The usual case by itself: the same part of all rows, between separators of one byte. Whoever takes a line apart asks for one part after
     * the other, each of which begins where the one before was found to end.
     */
    private static void parts(TextColumn text, int rows, byte separator, int wanted, Pieces pieces) {
        int[] ends = pieces.ends;
        TextColumn.PartEnds before = text.partBefore(separator, wanted, rows);
        int[] from = before == null ? null : before.ends();
        int ahead = before == null ? wanted : wanted - before.part();
        if (ahead == 1 && text.ids() == null) {
            nextParts(text, rows, separator, from, pieces);
        } else {
            parts(text, rows, separator, from, ahead, pieces);
        }
        text.keep(
                new TextColumn.PartEnds(separator, wanted, SpareArrays.areInUse() ? Arrays.copyOf(ends, rows) : ends));
    }

    /** The parts behind those that end at some places, or the first ones. */
    private static void nextParts(TextColumn text, int rows, byte separator, int[] from, Pieces pieces) {
        byte[] bytes = text.bytes();
        int[] starts = pieces.starts;
        int[] ends = pieces.ends;
        for (int i = 0; i < rows; i++) {
            int end = text.endOf(i);
            int start = Math.min(end, from == null ? text.startOf(i) : from[i] + 1);
            starts[i] = start;
            ends[i] = Utf8.endOfPart(bytes, start, end, separator);
        }
    }

    /**
     * Parts that are not the next ones, or of texts in a dictionary.
     *
     * @param ahead how many parts further on they are
     */
    private static void parts(TextColumn text, int rows, byte separator, int[] from, int ahead, Pieces pieces) {
        byte[] bytes = text.bytes();
        int[] starts = pieces.starts;
        int[] ends = pieces.ends;
        for (int i = 0; i < rows; i++) {
            int end = text.end(i);
            int start = from == null ? text.start(i) : from[i] + 1;
            int next = start > end ? -1 : Utf8.indexOf(bytes, start, end, separator);
            int left = start > end ? ahead + 1 : ahead;
            for (; left > 1 && next >= 0; left--) {
                start = next + 1;
                next = Utf8.indexOf(bytes, start, end, separator);
            }
            starts[i] = left > 1 ? end : start;
            ends[i] = next < 0 ? end : next;
        }
    }

    /** Parts that do not exist are empty; an empty separator divides nothing. */
    private static void part(TextColumn text, int row, TextColumn by, int byRow, int wanted, Pieces pieces) {
        byte[] bytes = text.bytes();
        int end = text.end(row);
        int from = by.start(byRow);
        int to = by.end(byRow);
        int left =
                wanted > 0 ? wanted : wanted == 0 ? 0 : wanted + 1 + parts(bytes, text.start(row), end, by, from, to);
        int start = text.start(row);
        int next = next(bytes, start, end, by, from, to);
        for (; left > 1 && next >= 0; left--) {
            start = next + to - from;
            next = next(bytes, start, end, by, from, to);
        }
        pieces.starts[row] = left == 1 ? start : end;
        pieces.ends[row] = left == 1 && next >= 0 ? next : end;
    }

    private static int parts(byte[] bytes, int start, int end, TextColumn by, int from, int to) {
        int parts = 1;
        for (int at = next(bytes, start, end, by, from, to); at >= 0; parts++) {
            at = next(bytes, at + to - from, end, by, from, to);
        }
        return parts;
    }

    /** The place of the next separator, or -1. */
    private static int next(byte[] bytes, int start, int end, TextColumn by, int from, int to) {
        if (to - from == 1) {
            return Utf8.indexOf(bytes, start, end, by.bytes()[from]);
        }
        return to == from ? -1 : Utf8.indexOf(bytes, start, end, by.bytes(), from, to);
    }

    static Expression trim(String name, List<Expression> args, boolean atStart, boolean atEnd) {
        Expression characters = args.size() == 2 ? args.get(1) : new Literal(" ", DataType.TEXT);
        List<Expression> typed = args.stream().map(a -> Functions.text(a, name)).toList();
        Kernel kernel = characters instanceof Literal l && l.value() instanceof String set && isPlain(set)
                ? TextKernels.oncePerEntry(typed, trimming(set, atStart, atEnd))
                : (columns, rows, nulls) -> TextFunctions.texts(
                        columns, rows, nulls, 0, (text, n, others) -> trimmed(text, others[0], atStart, atEnd));
        return new Call(ScalarFunction.call(name, kernel), typed, DataType.TEXT);
    }

    private static boolean isPlain(String set) {
        return set.chars().allMatch(c -> c < ASCII);
    }

    /** Without some characters of one byte, which are no part of another character. */
    private static Kernel trimming(String set, boolean atStart, boolean atEnd) {
        boolean[] drops = new boolean[ASCII];
        set.chars().forEach(c -> drops[c] = true);
        return (args, rows, nulls) -> {
            TextColumn text = (TextColumn) args[0];
            byte[] bytes = text.bytes();
            Pieces pieces = Pieces.of(text, rows);
            for (int i = 0; i < rows; i++) {
                int start = text.start(i);
                int end = text.end(i);
                while (atStart && start < end && bytes[start] >= 0 && drops[bytes[start]]) {
                    start++;
                }
                while (atEnd && start < end && bytes[end - 1] >= 0 && drops[bytes[end - 1]]) {
                    end--;
                }
                pieces.starts[i] = start;
                pieces.ends[i] = end;
            }
            return pieces.column(rows, nulls);
        };
    }

    private static String trimmed(String text, String characters, boolean atStart, boolean atEnd) {
        int start = 0;
        int end = text.length();
        while (atStart && start < end && characters.indexOf(text.codePointAt(start)) >= 0) {
            start += Character.charCount(text.codePointAt(start));
        }
        while (atEnd && end > start && characters.indexOf(text.codePointBefore(end)) >= 0) {
            end -= Character.charCount(text.codePointBefore(end));
        }
        return text.substring(start, end);
    }
}
