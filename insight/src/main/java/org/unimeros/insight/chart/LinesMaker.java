package org.unimeros.insight.chart;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.stage.Sizes;
import org.unimeros.insight.chart.ChartData.Line;
import org.unimeros.insight.chart.ChartData.Lines;

/**
 * Makes lines of rows: the first column runs from left to right, further names tell the lines apart, and every column of numbers is a line. Not safe
 * for threads.
 */
public final class LinesMaker {

    /** More lines cannot be told apart. */
    static final int MOST = 8;

    private static final int MOST_POINTS = 1_000_000;

    private final ChartColumns columns;
    private final Across.Kind kind;
    private final Map<String, Points> lines = new LinkedHashMap<>();
    private final Map<String, Integer> words = new LinkedHashMap<>();
    private long rows;
    private long points;
    private long withoutPlace;

    private static final class Points {
        private double[] x = new double[16];
        private double[] y = new double[16];
        private int size;
        private double sum;

        void add(double place, double value) {
            if (size == x.length) {
                x = Arrays.copyOf(x, size * 2);
                y = Arrays.copyOf(y, size * 2);
            }
            x[size] = place;
            y[size++] = value;
            sum += Double.isNaN(value) ? 0 : Math.abs(value);
        }

        Line line(String name) {
            Integer[] order = new Integer[size];
            Arrays.setAll(order, i -> i);
            Arrays.sort(order, Comparator.comparingDouble(i -> x[i]));
            double[] places = new double[size];
            double[] values = new double[size];
            for (int i = 0; i < size; i++) {
                places[i] = x[order[i]];
                values[i] = y[order[i]];
            }
            return new Line(name, places, values);
        }
    }

    public LinesMaker(Schema schema) {
        this.columns = ChartColumns.of(schema);
        this.kind = columns.names().isEmpty()
                ? Across.Kind.NUMBER
                : Across.Kind.of(columns.type(columns.names().get(0)));
    }

    /**
     * A row, in the order of the rows.
     *
     * @throws UserMistake when there are too many to draw
     */
    public void add(Object[] row) {
        rows++;
        points += columns.numbers().size();
        if (points > MOST_POINTS) {
            throw new UserMistake("the result has more than the " + Sizes.count(MOST_POINTS)
                    + " points that can be drawn as lines; group the rows, or take a sample");
        }
        Object at =
                columns.names().isEmpty() ? (Object) rows : row[columns.names().get(0)];
        if (at == null) {
            withoutPlace++;
            return;
        }
        double place = kind == Across.Kind.TEXT ? place(row) : Across.place(at);
        if (Double.isNaN(place) || Double.isInfinite(place)) {
            withoutPlace++;
            return;
        }
        for (int column : columns.numbers()) {
            double value = row[column] == null ? Double.NaN : ((Number) row[column]).doubleValue();
            lines.computeIfAbsent(lineOf(row, column), name -> new Points())
                    .add(place, Double.isInfinite(value) ? Double.NaN : value);
        }
    }

    private double place(Object[] row) {
        String word = ChartColumns.label(row, columns.names().subList(0, 1));
        return words.computeIfAbsent(word, w -> words.size());
    }

    private String lineOf(Object[] row, int column) {
        if (columns.names().size() < 2) {
            return columns.name(column);
        }
        String label = ChartColumns.label(
                row, columns.names().subList(1, columns.names().size()));
        return columns.numbers().size() == 1 ? label : label + " " + columns.name(column);
    }

    /** What came so far. */
    public Lines lines() {
        List<String> notes = new ArrayList<>();
        if (withoutPlace > 0) {
            notes.add(Sizes.count(withoutPlace, "row") + " without a value of "
                    + columns.by(columns.names().subList(0, 1)) + (withoutPlace == 1 ? " is" : " are") + " left out");
        }
        List<Map.Entry<String, Points>> drawn = List.copyOf(lines.entrySet());
        if (drawn.size() > MOST) {
            List<Map.Entry<String, Points>> largest = drawn.stream()
                    .sorted(Comparator.comparingDouble(entry -> -entry.getValue().sum))
                    .limit(MOST)
                    .toList();
            notes.add("the " + MOST + " lines with the largest sums of " + Sizes.count(drawn.size()) + " are drawn");
            drawn = drawn.stream().filter(largest::contains).toList();
        }
        String by =
                columns.names().isEmpty() ? "row" : columns.name(columns.names().get(0));
        return new Lines(
                columns.title(),
                by,
                new Across(kind, List.copyOf(words.keySet())),
                columns.names().size() > 1 || columns.numbers().size() > 1,
                drawn.stream()
                        .map(entry -> entry.getValue().line(entry.getKey()))
                        .toList(),
                notes);
    }
}
