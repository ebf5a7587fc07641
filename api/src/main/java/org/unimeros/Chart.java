package org.unimeros;

import java.nio.file.Path;
import java.util.List;
import java.util.Locale;
import java.util.function.Consumer;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.insight.WholeFile;
import org.unimeros.insight.chart.BarsMaker;
import org.unimeros.insight.chart.ChartColumns;
import org.unimeros.insight.chart.ChartData;
import org.unimeros.insight.chart.ChartImage;
import org.unimeros.insight.chart.ChartText;
import org.unimeros.insight.chart.LinesMaker;

/** A result as a picture, as text or as an image; {@link Result#chart} makes it. Immutable; can be used by several threads. */
public final class Chart {

    /** What is drawn of a row. */
    public enum Form {
        /** A bar for each number of a row. Of more than 50 rows the largest are drawn, and the others summed up. */
        BAR,
        /**
         * Points of lines: the first column runs from left to right, a date, a time or a number by its value, text in the
         * order of the rows. Of more than 8 lines those with the largest sums are drawn.
         */
        LINE;

        @Override
        public String toString() {
            return name().toLowerCase(Locale.ROOT);
        }
    }

    private final ChartData data;

    private Chart(ChartData data) {
        this.data = data;
    }

    static Chart of(Result result, Form form) {
        return switch (form) {
            case BAR -> {
                BarsMaker maker = new BarsMaker(result.schema());
                forEachRow(result, maker::add);
                yield new Chart(maker.bars());
            }
            case LINE -> {
                LinesMaker maker = new LinesMaker(result.schema());
                forEachRow(result, maker::add);
                yield new Chart(maker.lines());
            }
        };
    }

    /** Lines where the rows follow a date, a time or a number, bars elsewhere. */
    static Form fitting(Schema schema) {
        return ChartColumns.of(schema).areAlongSomething() ? Form.LINE : Form.BAR;
    }

    private static void forEachRow(Result result, Consumer<Object[]> action) {
        int columns = result.schema().size();
        for (Result.Row row : result.rows()) {
            Object[] values = new Object[columns];
            for (int c = 0; c < columns; c++) {
                values[c] = row.get(c);
            }
            action.accept(values);
        }
    }

    /**
     * The picture as lines of text, without colour.
     *
     * @param columns the width of the screen; never fewer than 40 are used
     * @param isPlain whether only characters of ASCII may be used
     */
    public String text(int columns, boolean isPlain) {
        return String.join("\n", ChartText.print(data, columns, isPlain));
    }

    /** What the picture does not show, a sentence each; empty where it shows all rows. */
    public List<String> notes() {
        return data.notes();
    }

    /**
     * Writes it as an image, over what is there: {@code .png} or {@code .svg}, by the ending of the file.
     *
     * @throws UserMistake when the file has another ending, or when there are no rows
     * @throws org.unimeros.engine.error.ResourceFailure when it cannot be written or drawn
     */
    public void write(Path file) {
        WholeFile.write(file, ChartImage.draw(data, file));
    }

    /** The picture as text of 100 columns. */
    @Override
    public String toString() {
        return text(100, false);
    }
}
