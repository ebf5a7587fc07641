package org.unimeros.benchmarks;

import java.awt.Color;
import java.io.IOException;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import javax.imageio.ImageIO;
import org.knowm.xchart.BitmapEncoder;
import org.knowm.xchart.CategoryChart;
import org.knowm.xchart.CategoryChartBuilder;
import org.knowm.xchart.CategorySeries.CategorySeriesRenderStyle;
import org.knowm.xchart.style.Styler.LegendPosition;
import org.knowm.xchart.style.markers.SeriesMarkers;

/** The ratios of all entries as bars, with the goal of each as a mark. */
final class Chart {

    private static final double HIGHEST = 10;

    private Chart() {}

    /** The ratio of an entry by the number of slots, and its goal. */
    record Bars(String entry, Map<Integer, Double> ratios, double goal) {}

    static void write(List<Bars> bars, Path png) throws IOException {
        System.setProperty("java.awt.headless", "true");
        CategoryChart chart = new CategoryChartBuilder()
                .width(1280)
                .height(800)
                .title("Time of the engine by that of a program written by hand: less is better")
                .yAxisTitle("ratio")
                .build();
        List<String> names = bars.stream().map(Bars::entry).toList();
        chart.addSeries("one slot", names, ratios(bars, 1)).setFillColor(new Color(0x4C78A8));
        chart.addSeries("two slots", names, ratios(bars, 2)).setFillColor(new Color(0xF2A65A));
        var goals = chart.addSeries("goal", names, bars.stream().map(Bars::goal).toList());
        goals.setChartCategorySeriesRenderStyle(CategorySeriesRenderStyle.Scatter);
        goals.setMarker(SeriesMarkers.DIAMOND);
        goals.setMarkerColor(new Color(0xB22222));
        chart.getStyler().setXAxisLabelRotation(30);
        chart.getStyler().setLegendPosition(LegendPosition.InsideNW);
        chart.getStyler().setChartBackgroundColor(Color.WHITE);
        chart.getStyler().setYAxisMin(0.0).setYAxisMax(HIGHEST);
        chart.getStyler().setLabelsVisible(false);
        ImageIO.write(BitmapEncoder.getBufferedImage(chart), "png", png.toFile());
    }

    /** A bar that would leave the picture is cut off at its top. */
    private static List<Double> ratios(List<Bars> bars, int slots) {
        List<Double> ratios = new ArrayList<>();
        bars.forEach(b -> ratios.add(Math.min(HIGHEST, b.ratios.get(slots))));
        return ratios;
    }
}
