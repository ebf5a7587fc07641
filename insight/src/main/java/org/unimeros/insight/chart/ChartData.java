package org.unimeros.insight.chart;

import java.util.List;

/** What a picture shows, before it is known where. */
public sealed interface ChartData {

    /** What is drawn by what: {@code parcels by day}. */
    String title();

    /** What the picture does not show, a sentence each. */
    List<String> notes();

    /** Whether there is nothing to draw. */
    boolean isEmpty();

    /**
     * Rows as bars.
     *
     * @param by the columns that name the bars
     * @param series the names of the columns of numbers
     */
    record Bars(String title, String by, List<String> series, List<Bar> bars, List<String> notes) implements ChartData {

        public Bars {
            series = List.copyOf(series);
            bars = List.copyOf(bars);
            notes = List.copyOf(notes);
        }

        @Override
        public boolean isEmpty() {
            return bars.isEmpty();
        }

        /** The numbers of a column, to find how they are written. */
        Digits digits(int column) {
            return Digits.of(bars.stream().map(bar -> bar.values[column]).toList());
        }
    }

    /**
     * A row: its name, and a number for each series, null where the row has none.
     *
     * <p>A bar is equal to itself only.
     */
    final class Bar {
        private final String label;
        private final Number[] values;

        Bar(String label, Number... values) {
            this.label = label;
            this.values = values.clone();
        }

        public String label() {
            return label;
        }

        /** Null where the row has none. */
        public Number value(int column) {
            return values[column];
        }

        /** How long it is; not a number where nothing can be drawn. */
        double length(int column) {
            double length = values[column] == null ? Double.NaN : values[column].doubleValue();
            return Double.isInfinite(length) ? Double.NaN : length;
        }
    }

    /**
     * Rows as points of lines.
     *
     * @param by the column that runs from left to right
     * @param across how its values are placed and written
     * @param areNamed whether the names of the lines say what the title does not
     */
    record Lines(String title, String by, Across across, boolean areNamed, List<Line> lines, List<String> notes)
            implements ChartData {

        public Lines {
            lines = List.copyOf(lines);
            notes = List.copyOf(notes);
        }

        @Override
        public boolean isEmpty() {
            return lines.stream().allMatch(line -> line.size() == 0);
        }
    }

    /** Points from left to right; where the value is not a number the line has a gap. */
    final class Line {
        private final String name;
        private final double[] x;
        private final double[] y;

        Line(String name, double[] x, double[] y) {
            this.name = name;
            this.x = x;
            this.y = y;
        }

        public String name() {
            return name;
        }

        public int size() {
            return x.length;
        }

        public double x(int point) {
            return x[point];
        }

        public double y(int point) {
            return y[point];
        }
    }
}
