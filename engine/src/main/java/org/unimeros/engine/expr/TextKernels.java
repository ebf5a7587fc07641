package org.unimeros.engine.expr;

import java.util.Locale;
import java.util.function.Predicate;
import java.util.function.UnaryOperator;
import java.util.regex.Pattern;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.BooleanColumn;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.TextColumn;

/** Functions of text. On a dictionary-encoded column they work on each entry once. */
final class TextKernels {

    private TextKernels() {}

    static ScalarFunction.Kernel each(Carried.OfText change) {
        return (args, rows, nulls) -> {
            TextColumn text = (TextColumn) args[0];
            if (text.ids() == null) {
                return changed(text, rows, nulls, change);
            }
            TextColumn entries = new TextColumn(text.bytes(), text.offsets(), null);
            TextColumn changed = changed(entries, text.entries(), null, change);
            return TextColumn.encoded(text.ids(), changed, text.entries(), nulls);
        };
    }

    private static TextColumn changed(TextColumn text, int rows, long[] nulls, UnaryOperator<String> change) {
        ColumnBuilder out = ColumnBuilder.of(DataType.TEXT);
        for (int i = 0; i < rows; i++) {
            out.appendText(Arithmetic.isNull(nulls, i) ? "" : change.apply(text.text(i)));
        }
        return ((TextColumn) out.build()).withNulls(nulls);
    }

    static ScalarFunction.Kernel measure(Carried.TextMeasure measure) {
        return (args, rows, nulls) -> {
            TextColumn text = (TextColumn) args[0];
            int[] out = new int[rows];
            for (int i = 0; i < rows; i++) {
                out[i] = Arithmetic.isNull(nulls, i) ? 0 : measure.applyAsInt(text.text(i));
            }
            return new IntColumn(out, nulls);
        };
    }

    static Column concat(Column[] args, int rows, long[] nulls) {
        ColumnBuilder out = ColumnBuilder.of(DataType.TEXT);
        for (int i = 0; i < rows; i++) {
            StringBuilder text = new StringBuilder();
            for (Column arg : args) {
                text.append(Arithmetic.isNull(nulls, i) ? "" : ((TextColumn) arg).text(i));
            }
            out.appendText(text.toString());
        }
        return out.build().withNulls(nulls);
    }

    /** {@code substring(text, from, length)}; positions count code points from 1, as in SQL. */
    static Column substring(Column[] args, int rows, long[] nulls) {
        TextColumn text = (TextColumn) args[0];
        int[] from = ((IntColumn) args[1]).values();
        int[] length = args.length > 2 ? ((IntColumn) args[2]).values() : null;
        ColumnBuilder out = ColumnBuilder.of(DataType.TEXT);
        for (int i = 0; i < rows; i++) {
            if (Arithmetic.isNull(nulls, i)) {
                out.appendText("");
                continue;
            }
            if (length != null && length[i] < 0) {
                throw new ScalarFunction.RowProblem(i, "negative length " + length[i]);
            }
            out.appendText(substring(text.text(i), from[i], length == null ? Integer.MAX_VALUE : length[i]));
        }
        return out.build().withNulls(nulls);
    }

    private static String substring(String text, long from, long length) {
        int points = text.codePointCount(0, text.length());
        long start = Math.clamp(from - 1, 0, points);
        long end = Math.clamp(from - 1 + length, start, points);
        return text.substring(text.offsetByCodePoints(0, (int) start), text.offsetByCodePoints(0, (int) end));
    }

    static Column replace(Column[] args, int rows, long[] nulls) {
        ColumnBuilder out = ColumnBuilder.of(DataType.TEXT);
        for (int i = 0; i < rows; i++) {
            boolean none = Arithmetic.isNull(nulls, i);
            String what = none ? "" : ((TextColumn) args[1]).text(i);
            String text = none ? "" : ((TextColumn) args[0]).text(i);
            out.appendText(what.isEmpty() ? text : text.replace(what, ((TextColumn) args[2]).text(i)));
        }
        return out.build().withNulls(nulls);
    }

    static Column position(Column[] args, int rows, long[] nulls) {
        int[] out = new int[rows];
        for (int i = 0; i < rows; i++) {
            if (!Arithmetic.isNull(nulls, i)) {
                String text = ((TextColumn) args[1]).text(i);
                int at = text.indexOf(((TextColumn) args[0]).text(i));
                out[i] = at < 0 ? 0 : text.codePointCount(0, at) + 1;
            }
        }
        return new IntColumn(out, nulls);
    }

    /** {@code text like pattern}: {@code %} is any text, {@code _} any one character; -1 is no escape. */
    static Column like(Column[] args, int rows, long[] nulls, int escape) {
        TextColumn text = (TextColumn) args[0];
        TextColumn pattern = (TextColumn) args[1];
        Predicate<String> fixed = pattern.isConstant() ? matcher(pattern.text(0), escape, 0) : null;
        long[] out = Bits.make(rows);
        for (int i = 0; i < rows; i++) {
            if (Arithmetic.isNull(nulls, i)) {
                continue;
            }
            Predicate<String> test = fixed == null ? matcher(pattern.text(i), escape, i) : fixed;
            if (test.test(text.text(i))) {
                Bits.set(out, i);
            }
        }
        return new BooleanColumn(out, nulls);
    }

    private static Predicate<String> matcher(String like, int escape, int row) {
        String inner = like.length() > 1 ? like.substring(1, like.length() - 1) : "";
        boolean plainInner = inner.indexOf('%') < 0 && inner.indexOf('_') < 0 && escape < 0;
        if (plainInner && like.length() > 1 && like.startsWith("%") && like.endsWith("%")) {
            return text -> text.contains(inner);
        }
        StringBuilder regex = new StringBuilder();
        boolean literally = false;
        for (int c : like.codePoints().toArray()) {
            if (!literally && c == escape) {
                literally = true;
                continue;
            }
            if (literally || c != '%' && c != '_') {
                regex.append(Pattern.quote(Character.toString(c)));
            } else {
                regex.append(c == '%' ? ".*" : ".");
            }
            literally = false;
        }
        if (literally) {
            throw new ScalarFunction.RowProblem(row, "the pattern '" + like + "' ends with its escape character");
        }
        return Pattern.compile(regex.toString(), Pattern.DOTALL).asMatchPredicate();
    }

    static String lower(String text) {
        return text.toLowerCase(Locale.ROOT);
    }

    static String upper(String text) {
        return text.toUpperCase(Locale.ROOT);
    }
}
