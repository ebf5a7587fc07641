package org.unimeros.insight.chart;

import java.util.ArrayList;
import java.util.List;
import java.util.stream.Stream;
import org.unimeros.insight.chart.ChartData.Line;
import org.unimeros.insight.chart.ChartData.Lines;

/** Lines as text: one drawing below the other, all with the same scales, since characters have no colours that can be relied on. */
final class TextLines {

    /** Odd, so that there is one in the middle. */
    private static final int ROWS_ALONE = 15;

    private static final int ROWS_AMONG_OTHERS = 7;

    private static final double HALF = 0.5;

    private final Lines data;
    private final boolean isPlain;
    private final Scale across;
    private final Scale up;
    private final Digits digits;
    private final int numberWidth;
    private final int width;
    private final int rows;

    TextLines(Lines data, int columns, boolean isPlain) {
        this.data = data;
        this.isPlain = isPlain;
        this.across = Scale.across(data);
        this.up = Scale.up(data);
        this.digits = Digits.of(List.of(up.least(), up.at(HALF), up.greatest()));
        this.rows = data.lines().size() == 1 ? ROWS_ALONE : ROWS_AMONG_OTHERS;
        this.numberWidth = Stream.of(up.least(), up.at(HALF), up.greatest())
                .mapToInt(number -> digits.write(number).length())
                .max()
                .orElse(0);
        this.width = Math.max(8, columns - numberWidth - 2);
    }

    List<String> print() {
        List<String> lines = new ArrayList<>(List.of(data.title()));
        for (Line line : data.lines()) {
            lines.add("");
            if (data.areNamed()) {
                lines.add(" ".repeat(numberWidth + 2) + ChartText.cut(line.name(), width));
            }
            lines.addAll(drawing(line));
        }
        lines.add(" ".repeat(numberWidth) + (isPlain ? " +" + "-".repeat(width - 1) : " └" + "─".repeat(width - 1)));
        lines.add(" ".repeat(numberWidth + 2) + labels());
        return lines;
    }

    private List<String> drawing(Line line) {
        DotCanvas canvas = new DotCanvas(width - 1, rows, isPlain);
        int before = -1;
        for (int i = 0; i < line.size(); i++) {
            if (Double.isNaN(line.y(i))) {
                before = -1;
                continue;
            }
            int from = before < 0 ? i : before;
            canvas.line(x(line, from, canvas), y(line, from, canvas), x(line, i, canvas), y(line, i, canvas));
            before = i;
        }
        List<String> lines = new ArrayList<>();
        List<String> drawn = canvas.print();
        for (int row = 0; row < rows; row++) {
            String number = row == 0
                    ? digits.write(up.greatest())
                    : row == rows - 1 ? digits.write(up.least()) : row == rows / 2 ? digits.write(up.at(HALF)) : "";
            lines.add(
                    (ChartText.right(number, numberWidth) + (isPlain ? " |" : " │") + drawn.get(row)).stripTrailing());
        }
        return lines;
    }

    private int x(Line line, int point, DotCanvas canvas) {
        return across.dot(line.x(point), canvas.width());
    }

    private int y(Line line, int point, DotCanvas canvas) {
        return canvas.height() - 1 - up.dot(line.y(point), canvas.height());
    }

    private String label(double share) {
        double place = across.at(share);
        boolean areWhole =
                across.least() == Math.rint(across.least()) && across.greatest() == Math.rint(across.greatest());
        return data.across().write(areWhole ? Math.rint(place) : place, across.span());
    }

    /** The first, the middle and the last value, as far as there is place for them. */
    private String labels() {
        String first = label(0);
        String middle = label(HALF);
        String last = label(1);
        int room = width - 1;
        if (across.span() == 0) {
            return ChartText.cut(first, room);
        }
        int half = room / 3;
        first = ChartText.cut(first, half);
        last = ChartText.cut(last, half);
        middle = ChartText.length(first) + ChartText.length(last) + ChartText.length(middle) + 4 > room ? "" : middle;
        int start = Math.max(ChartText.length(first) + 1, (room - ChartText.length(middle)) / 2);
        String line = ChartText.left(first, start) + middle;
        return line + ChartText.right(last, room - ChartText.length(line));
    }
}
