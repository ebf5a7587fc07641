package org.unimeros.engine.expr;

import java.util.function.IntFunction;
import java.util.function.IntUnaryOperator;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.SpareArrays;
import org.unimeros.engine.data.TextColumn;

/**
 * Functions of days, counted from 1970. The rows of a batch are mostly of few days; where these lie close together, the function is asked once
 * for each of them.
 */
final class Days {

    private static final int FEWEST = 64;

    private final int[] days;
    private final int rows;
    private final long[] nulls;
    private final int first;
    /** Days from the first to the last one; 0 where they are too many. */
    private final int span;

    private Days(int[] days, int rows, long[] nulls) {
        this.days = days;
        this.rows = rows;
        this.nulls = nulls;
        int least = Integer.MAX_VALUE;
        int most = Integer.MIN_VALUE;
        for (int i = 0; i < rows; i++) {
            if (!Arithmetic.isNull(nulls, i)) {
                least = Math.min(least, days[i]);
                most = Math.max(most, days[i]);
            }
        }
        long wanted = (long) most - least + 1;
        this.first = least;
        this.span = wanted <= Math.max(FEWEST, rows) ? (int) Math.max(0, wanted) : 0;
    }

    /** The days of some instants in microseconds. */
    static int[] of(long[] micros, int rows) {
        int[] out = SpareArrays.forInts(rows);
        for (int i = 0; i < rows; i++) {
            out[i] = (int) Math.floorDiv(micros[i], Interval.MICROS_PER_DAY);
        }
        return out;
    }

    /** A number for each row that is not null. */
    static int[] numbers(int[] days, int rows, long[] nulls, IntUnaryOperator function) {
        return new Days(days, rows, nulls).numbers(function);
    }

    private int[] numbers(IntUnaryOperator function) {
        int[] out = SpareArrays.forInts(rows);
        int[] known = new int[span];
        boolean[] isKnown = new boolean[span];
        for (int i = 0; i < rows; i++) {
            if (Arithmetic.isNull(nulls, i)) {
                out[i] = 0;
                continue;
            }
            if (span == 0) {
                out[i] = function.applyAsInt(days[i]);
                continue;
            }
            int at = days[i] - first;
            if (!isKnown[at]) {
                isKnown[at] = true;
                known[at] = function.applyAsInt(days[i]);
            }
            out[i] = known[at];
        }
        return out;
    }

    /** A text for each row that is not null. */
    static TextColumn texts(int[] days, int rows, long[] nulls, IntFunction<String> function) {
        return new Days(days, rows, nulls).texts(function);
    }

    private TextColumn texts(IntFunction<String> function) {
        ColumnBuilder texts = ColumnBuilder.of(DataType.TEXT);
        if (span == 0) {
            for (int i = 0; i < rows; i++) {
                texts.appendText(Arithmetic.isNull(nulls, i) ? "" : function.apply(days[i]));
            }
            return ((TextColumn) texts.build()).withNulls(nulls);
        }
        int[] numberOfDay = new int[span];
        int[] ids = new int[rows];
        for (int i = 0; i < rows; i++) {
            if (Arithmetic.isNull(nulls, i)) {
                continue;
            }
            int at = days[i] - first;
            if (numberOfDay[at] == 0) {
                texts.appendText(function.apply(days[i]));
                numberOfDay[at] = texts.size();
            }
            ids[i] = numberOfDay[at] - 1;
        }
        int entries = texts.size();
        return TextColumn.encoded(ids, (TextColumn) texts.build(), entries, nulls);
    }
}
