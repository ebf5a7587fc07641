package org.unimeros.insight.chart;

import java.util.function.ToDoubleBiFunction;
import org.unimeros.insight.chart.ChartData.Line;
import org.unimeros.insight.chart.ChartData.Lines;

/** From where to where values go along an axis. */
record Scale(double least, double greatest) {

    private static final double[] STEPS = {1, 2, 2.5, 5, 10};
    private static final int PIECES = 4;

    /** From the first place of any point to the last. */
    static Scale across(Lines data) {
        Scale scale = around(data, Line::x);
        return scale == null ? new Scale(0, 1) : scale;
    }

    /** Around all values, between round numbers; from zero, where that is not far. */
    static Scale up(Lines data) {
        Scale scale = around(data, Line::y);
        if (scale == null) {
            return new Scale(0, 1);
        }
        double least = scale.least > 0 && scale.least < scale.greatest / 2 ? 0 : scale.least;
        double greatest = scale.greatest < 0 && scale.greatest > scale.least / 2 ? 0 : scale.greatest;
        if (least == greatest) {
            return least == 0 ? new Scale(0, 1) : new Scale(Math.min(0, least), Math.max(0, least));
        }
        double step = roundStep((greatest - least) / PIECES);
        return new Scale(Math.floor(least / step) * step, Math.ceil(greatest / step) * step);
    }

    private static double roundStep(double wanted) {
        double power = Math.pow(10, Math.floor(Math.log10(wanted)));
        for (double step : STEPS) {
            if (step * power >= wanted) {
                return step * power;
            }
        }
        return 10 * power;
    }

    private static Scale around(Lines data, ToDoubleBiFunction<Line, Integer> value) {
        double least = Double.POSITIVE_INFINITY;
        double greatest = Double.NEGATIVE_INFINITY;
        for (Line line : data.lines()) {
            for (int i = 0; i < line.size(); i++) {
                double at = value.applyAsDouble(line, i);
                if (!Double.isNaN(at)) {
                    least = Math.min(least, at);
                    greatest = Math.max(greatest, at);
                }
            }
        }
        return least > greatest ? null : new Scale(least, greatest);
    }

    double span() {
        return greatest - least;
    }

    /** The value at a share of the way. */
    double at(double share) {
        return least + share * (greatest - least);
    }

    /** Which of so many dots, from 0, stands for a value. */
    int dot(double value, int dots) {
        return span() == 0 ? 0 : (int) Math.round((value - least) / span() * (dots - 1));
    }
}
