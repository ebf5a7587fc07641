package org.unimeros.engine.group;

import java.util.Comparator;
import java.util.PriorityQueue;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DoubleColumn;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.expr.Aggregate;

/** An aggregate computed from the rows of one group, which are given in order and, unless it keeps them, without nulls. */
@FunctionalInterface
interface Collected {

    /** Offsets into text and elements are ints. */
    long MOST_BYTES = 1L << 30;

    /** Appends the result of a group of at least one row. */
    void append(GroupRows rows, ColumnBuilder out);

    static Collected of(Aggregate a) {
        return switch (a.kind()) {
            case PERCENTILE_CONT -> continuous((Double) a.parameters().get(0));
            case PERCENTILE_DISC -> discrete((Double) a.parameters().get(0));
            case MODE -> Collected::mode;
            case STRING_AGG -> joined((String) a.parameters().get(0));
            case LIST_AGG, ARRAY_AGG -> Collected::listed;
            case FIRST ->
                (rows, out) -> {
                    rows.to(0);
                    out.append(rows.column(1), rows.offset());
                };
            case TOP_VALUES ->
                topValues(a.arguments().get(0).type(), (Integer) a.parameters().get(0));
            default -> throw new IllegalArgumentException("not collected: " + a);
        };
    }

    private static Collected continuous(double fraction) {
        return (rows, out) -> {
            double place = fraction * (rows.size() - 1);
            long below = (long) Math.floor(place);
            double low = number(rows, below);
            double high = number(rows, (long) Math.ceil(place));
            out.appendDouble(low == high ? low : low + (place - below) * (high - low));
        };
    }

    private static double number(GroupRows rows, long row) {
        rows.to(row);
        return ((DoubleColumn) rows.column(0)).values()[rows.offset()];
    }

    private static Collected discrete(double fraction) {
        return (rows, out) -> {
            rows.to(Math.max(0, (long) Math.ceil(fraction * rows.size()) - 1));
            out.append(rows.column(0), rows.offset());
        };
    }

    private static void mode(GroupRows rows, ColumnBuilder out) {
        long[] best = new long[2];
        rows.runs((row, length) -> {
            if (length > best[1]) {
                best[0] = row;
                best[1] = length;
            }
        });
        rows.to(best[0]);
        out.append(rows.column(0), rows.offset());
    }

    private static Collected joined(String separator) {
        return (rows, out) -> {
            StringBuilder text = new StringBuilder();
            for (long i = 0; i < rows.size(); i++) {
                rows.to(i);
                text.append(i == 0 ? "" : separator).append(((TextColumn) rows.column(0)).text(rows.offset()));
                requireSpace(text.length(), "text", i);
            }
            out.appendText(text.toString());
        };
    }

    private static void listed(GroupRows rows, ColumnBuilder out) {
        long before = out.elements().sizeInBytes();
        for (long i = 0; i < rows.size(); i++) {
            rows.to(i);
            out.elements().append(rows.column(0), rows.offset());
            if (i % 1024 == 0) {
                requireSpace(out.elements().sizeInBytes() - before, "list", i);
            }
        }
        out.endList();
    }

    private static void requireSpace(long bytes, String what, long rows) {
        if (bytes > MOST_BYTES) {
            throw new ResourceFailure("the " + what + " of a group is longer than " + (MOST_BYTES >> 20) + " MB after "
                    + rows + " rows; group by more columns, or write the rows in order instead");
        }
    }

    /** A value's first row and how often it occurs. */
    record Frequent(long row, long times) {}

    private static Collected topValues(DataType type, int count) {
        return (rows, out) -> {
            // Among values that are equally frequent the first in order is the better one.
            Comparator<Frequent> better =
                    Comparator.comparingLong(Frequent::times).reversed().thenComparingLong(Frequent::row);
            PriorityQueue<Frequent> top = new PriorityQueue<>(better.reversed());
            rows.runs((row, length) -> {
                top.add(new Frequent(row, length));
                if (top.size() > count) {
                    top.remove();
                }
            });
            StringBuilder text = new StringBuilder();
            top.stream().sorted(better).forEach(f -> {
                rows.to(f.row);
                text.append(text.isEmpty() ? "" : ", ")
                        .append(Values.text(rows.column(0), rows.offset(), type))
                        .append(" (")
                        .append(f.times)
                        .append(')');
            });
            out.appendText(text.toString());
        };
    }
}
