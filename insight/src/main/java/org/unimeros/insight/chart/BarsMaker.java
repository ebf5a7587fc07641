package org.unimeros.insight.chart;

import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.PriorityQueue;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.stage.Sizes;
import org.unimeros.insight.chart.ChartData.Bar;
import org.unimeros.insight.chart.ChartData.Bars;

/** Makes bars of rows. Of more than {@value #MOST} it keeps the largest, the largest first, and sums up the others. Not safe for threads. */
public final class BarsMaker {

    /** More than these cannot be compared by eye. */
    static final int MOST = 50;

    private static final Comparator<Kept> LARGEST_FIRST =
            Comparator.comparingDouble(Kept::size).reversed().thenComparing(Kept::row);

    private final ChartColumns columns;
    /** The smallest first, so that it is the one to leave. */
    private final PriorityQueue<Kept> kept = new PriorityQueue<>(LARGEST_FIRST.reversed());

    private final double[] rest;
    private long rows;

    private record Kept(long row, Bar bar) {
        double size() {
            double length = Math.abs(bar.length(0));
            return Double.isNaN(length) ? -1 : length;
        }
    }

    public BarsMaker(Schema schema) {
        this.columns = ChartColumns.of(schema);
        this.rest = new double[columns.numbers().size()];
    }

    /** A row, in the order of the rows. */
    public void add(Object[] row) {
        Number[] values = columns.numbers().stream().map(c -> (Number) row[c]).toArray(Number[]::new);
        rows++;
        String label = columns.names().isEmpty() ? "row " + rows : ChartColumns.label(row, columns.names());
        kept.add(new Kept(rows, new Bar(label, values)));
        if (kept.size() > MOST) {
            Bar left = kept.poll().bar;
            for (int c = 0; c < rest.length; c++) {
                rest[c] += left.value(c) == null ? 0 : left.value(c).doubleValue();
            }
        }
    }

    /** What came so far. */
    public Bars bars() {
        List<String> series = columns.numbers().stream().map(columns::name).toList();
        List<Bar> bars = kept.stream()
                .sorted(rows > MOST ? LARGEST_FIRST : Comparator.comparingLong(Kept::row))
                .map(Kept::bar)
                .toList();
        List<String> notes = new ArrayList<>();
        if (rows > MOST) {
            List<String> sums = new ArrayList<>();
            for (int c = 0; c < rest.length; c++) {
                sums.add(series.get(c) + " " + Digits.of(List.of(rest[c])).write(rest[c]));
            }
            notes.add("the " + MOST + " largest of " + Sizes.count(rows) + " rows are drawn; the other "
                    + Sizes.count(rows - MOST) + " add up to " + String.join(", ", sums));
        }
        return new Bars(columns.title(), columns.by(columns.names()), series, bars, notes);
    }
}
