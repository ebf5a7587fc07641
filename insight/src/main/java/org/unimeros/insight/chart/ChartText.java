package org.unimeros.insight.chart;

import java.util.List;
import org.unimeros.insight.chart.ChartData.Bars;
import org.unimeros.insight.chart.ChartData.Lines;

/** A picture as text, for a terminal or a log. */
public final class ChartText {

    /** Less than this is not drawn, however narrow the screen. */
    static final int LEAST_COLUMNS = 40;

    private ChartText() {}

    /**
     * Lines of text without colour, of at most so many columns, but at least {@value #LEAST_COLUMNS}.
     *
     * @param isPlain whether only characters of ASCII may be used
     */
    public static List<String> print(ChartData data, int columns, boolean isPlain) {
        int width = Math.max(columns, LEAST_COLUMNS);
        List<String> lines = data.isEmpty()
                ? List.of(data.title(), "", "no rows")
                : switch (data) {
                    case Bars bars -> new TextBars(bars, width, isPlain).print();
                    case Lines curves -> new TextLines(curves, width, isPlain).print();
                };
        return isPlain ? lines.stream().map(ChartText::plain).toList() : lines;
    }

    private static String plain(String line) {
        return line.replace('…', '~').replace('·', '/').replaceAll("[^\\x20-\\x7e]", "?");
    }

    static int length(String text) {
        return text.codePointCount(0, text.length());
    }

    static String cut(String text, int width) {
        return length(text) <= width ? text : text.substring(0, text.offsetByCodePoints(0, width - 1)) + "…";
    }

    static String left(String text, int width) {
        return text + " ".repeat(Math.max(0, width - length(text)));
    }

    static String right(String text, int width) {
        return " ".repeat(Math.max(0, width - length(text))) + text;
    }
}
