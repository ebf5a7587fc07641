package org.unimeros.insight.chart;

import java.util.Arrays;
import org.unimeros.insight.chart.ChartData.Line;

/** A line with fewer points that looks the same: of each column of dots, the first, the least, the greatest and the last. */
final class Thinning {

    private static final int KEPT = 4;

    private Thinning() {}

    static Line of(Line line, Scale across, int dots) {
        if (line.size() <= dots * KEPT) {
            return line;
        }
        double[] x = new double[Math.min(line.size(), (dots + 1) * KEPT * 2)];
        double[] y = new double[x.length];
        int size = 0;
        int from = 0;
        while (from < line.size()) {
            int to = from + 1;
            int dot = across.dot(line.x(from), dots);
            // A gap stays a gap: it is a column by itself.
            while (to < line.size()
                    && across.dot(line.x(to), dots) == dot
                    && Double.isNaN(line.y(to)) == Double.isNaN(line.y(from))) {
                to++;
            }
            for (int point : kept(line, from, to)) {
                if (size == x.length) {
                    x = Arrays.copyOf(x, size * 2);
                    y = Arrays.copyOf(y, size * 2);
                }
                x[size] = line.x(point);
                y[size++] = line.y(point);
            }
            from = to;
        }
        return new Line(line.name(), Arrays.copyOf(x, size), Arrays.copyOf(y, size));
    }

    private static int[] kept(Line line, int from, int to) {
        int least = from;
        int greatest = from;
        for (int i = from; i < to; i++) {
            least = line.y(i) < line.y(least) ? i : least;
            greatest = line.y(i) > line.y(greatest) ? i : greatest;
        }
        return Arrays.stream(new int[] {from, Math.min(least, greatest), Math.max(least, greatest), to - 1})
                .distinct()
                .toArray();
    }
}
