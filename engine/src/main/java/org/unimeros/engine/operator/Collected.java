package org.unimeros.engine.operator;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DoubleColumn;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.data.ValueOrder;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.expr.Aggregate;

/** An aggregate computed from the rows of one group, which are given in order and, unless it keeps them, without nulls. */
@FunctionalInterface
interface Collected {

    /** Appends the result of a group of at least one row. */
    void append(int[] rows, ColumnBuilder out);

    static Collected of(Aggregate a, Column... args) {
        return switch (a.kind()) {
            case PERCENTILE_CONT ->
                continuous((DoubleColumn) args[0], (Double) a.parameters().get(0));
            case PERCENTILE_DISC -> discrete(args[0], (Double) a.parameters().get(0));
            case MODE -> mode(args[0]);
            case STRING_AGG ->
                joined((TextColumn) args[0], (String) a.parameters().get(0));
            case LIST_AGG, ARRAY_AGG -> listed(args[0]);
            case FIRST -> (rows, out) -> out.append(args[1], rows[0]);
            case TOP_VALUES ->
                topValues(args[0], a.arguments().get(0).type(), (Integer)
                        a.parameters().get(0));
            default -> throw new IllegalArgumentException("not collected: " + a);
        };
    }

    private static Collected continuous(DoubleColumn values, double fraction) {
        return (rows, out) -> {
            double place = fraction * (rows.length - 1);
            int below = (int) Math.floor(place);
            double low = values.values()[rows[below]];
            double high = values.values()[rows[(int) Math.ceil(place)]];
            out.appendDouble(low == high ? low : low + (place - below) * (high - low));
        };
    }

    private static Collected discrete(Column values, double fraction) {
        return (rows, out) -> {
            int place = Math.max(0, (int) Math.ceil(fraction * rows.length) - 1);
            out.append(values, rows[place]);
        };
    }

    /** Calls with the first row and the length of each run of equal values. */
    private static void runs(Column values, int[] rows, RunConsumer consumer) {
        int start = 0;
        for (int i = 1; i <= rows.length; i++) {
            if (i == rows.length || ValueOrder.compare(values, rows[start], values, rows[i]) != 0) {
                consumer.accept(rows[start], i - start);
                start = i;
            }
        }
    }

    /** Takes the first row of a run of equal values and its length. */
    @FunctionalInterface
    interface RunConsumer {
        void accept(int row, int length);
    }

    private static Collected mode(Column values) {
        return (rows, out) -> {
            int[] best = new int[2];
            runs(values, rows, (row, length) -> {
                if (length > best[1]) {
                    best[0] = row;
                    best[1] = length;
                }
            });
            out.append(values, best[0]);
        };
    }

    private static Collected joined(TextColumn values, String separator) {
        return (rows, out) -> {
            StringBuilder text = new StringBuilder(values.text(rows[0]));
            for (int i = 1; i < rows.length; i++) {
                text.append(separator).append(values.text(rows[i]));
            }
            out.appendText(text.toString());
        };
    }

    private static Collected listed(Column values) {
        return (rows, out) -> {
            for (int row : rows) {
                out.elements().append(values, row);
            }
            out.endList();
        };
    }

    private static Collected topValues(Column values, DataType type, int count) {
        return (rows, out) -> {
            List<int[]> found = new ArrayList<>();
            runs(values, rows, (row, length) -> found.add(new int[] {row, length}));
            found.sort(Comparator.comparingInt(f -> -f[1]));
            StringBuilder text = new StringBuilder();
            for (int[] f : found.subList(0, Math.min(count, found.size()))) {
                text.append(text.isEmpty() ? "" : ", ")
                        .append(Values.text(values, f[0], type))
                        .append(" (")
                        .append(f[1])
                        .append(')');
            }
            out.appendText(text.toString());
        };
    }
}
