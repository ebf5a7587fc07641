package org.unimeros.insight.chart;

import java.util.ArrayList;
import java.util.List;
import org.unimeros.insight.chart.ChartData.Bar;
import org.unimeros.insight.chart.ChartData.Bars;

/** Bars as text: the name, the number, and the bar, which begins at zero. */
final class TextBars {

    private static final String EIGHTHS = " ▏▎▍▌▋▊▉█";
    private static final String GAP = "  ";

    private final Bars bars;
    private final boolean isPlain;
    private final int seriesWidth;
    private final int labelWidth;
    private final int numberWidth;
    private final List<Digits> digits = new ArrayList<>();
    /** Columns for bars to the left of zero. */
    private final int before;

    /** Columns for a one. */
    private final double unit;

    TextBars(Bars bars, int columns, boolean isPlain) {
        this.bars = bars;
        this.isPlain = isPlain;
        int series = bars.series().size();
        int numbers = 0;
        double smallest = 0;
        double largest = 0;
        for (int c = 0; c < series; c++) {
            digits.add(bars.digits(c));
            for (Bar bar : bars.bars()) {
                numbers = Math.max(numbers, ChartText.length(number(bar, c)));
                smallest = Math.min(smallest, zeroOr(bar.length(c)));
                largest = Math.max(largest, zeroOr(bar.length(c)));
            }
        }
        this.numberWidth = numbers;
        this.seriesWidth = series == 1 ? 0 : Math.min(widest(bars.series()), columns / 5);
        this.labelWidth = Math.min(widest(bars.bars().stream().map(Bar::label).toList()), columns / 3);
        int taken = labelWidth + GAP.length() + numberWidth + GAP.length();
        int width = Math.max(8, columns - taken - (series == 1 ? 0 : seriesWidth + GAP.length()) - 1);
        double span = largest - smallest;
        // A column that both sides share a part of goes to the left.
        boolean hasBoth = smallest < 0 && largest > 0;
        this.unit = span == 0 ? 0 : (hasBoth ? width - 1 : width) / span;
        this.before = (int) Math.ceil(-smallest * unit);
    }

    private static double zeroOr(double value) {
        return Double.isNaN(value) ? 0 : value;
    }

    private static int widest(List<String> texts) {
        return texts.stream().mapToInt(ChartText::length).max().orElse(0);
    }

    private String number(Bar bar, int column) {
        return bar.value(column) == null ? "null" : digits.get(column).write(bar.value(column));
    }

    List<String> print() {
        List<String> lines = new ArrayList<>(List.of(bars.title(), ""));
        for (Bar bar : bars.bars()) {
            for (int c = 0; c < bars.series().size(); c++) {
                StringBuilder line = new StringBuilder();
                line.append(ChartText.left(c == 0 ? ChartText.cut(bar.label(), labelWidth) : "", labelWidth))
                        .append(GAP);
                if (seriesWidth > 0) {
                    line.append(ChartText.left(ChartText.cut(bars.series().get(c), seriesWidth), seriesWidth))
                            .append(GAP);
                }
                line.append(ChartText.right(number(bar, c), numberWidth)).append(GAP);
                lines.add(line.append(bar(bar.length(c))).toString().stripTrailing());
            }
        }
        return lines;
    }

    private String bar(double value) {
        String zero = isPlain ? "|" : "│";
        if (Double.isNaN(value)) {
            return " ".repeat(before) + zero;
        }
        if (value < 0) {
            return ChartText.right(negative(-value * unit), before) + zero;
        }
        return " ".repeat(before) + zero + positive(value * unit);
    }

    private String positive(double cells) {
        if (isPlain) {
            return "#".repeat((int) Math.round(cells));
        }
        int eighths = (int) Math.round(cells * 8);
        // What is not zero is seen.
        eighths = eighths == 0 && cells > 0 ? 1 : eighths;
        return "█".repeat(eighths / 8) + (eighths % 8 == 0 ? "" : EIGHTHS.charAt(eighths % 8));
    }

    /** There are no eighths that begin at the right, but a half. */
    private String negative(double cells) {
        int halves = Math.max(1, (int) Math.round(cells * 2));
        return isPlain ? "#".repeat((int) Math.round(cells)) : (halves % 2 == 0 ? "" : "▐") + "█".repeat(halves / 2);
    }
}
