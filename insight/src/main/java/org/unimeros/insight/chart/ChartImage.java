package org.unimeros.insight.chart;

import java.awt.BasicStroke;
import java.awt.Color;
import java.awt.Font;
import java.awt.Graphics2D;
import java.awt.image.BufferedImage;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.OutputStreamWriter;
import java.io.Writer;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Date;
import java.util.List;
import java.util.Locale;
import java.util.TimeZone;
import java.util.function.Function;
import java.util.stream.IntStream;
import javax.imageio.ImageIO;
import javax.xml.parsers.DocumentBuilderFactory;
import javax.xml.parsers.ParserConfigurationException;
import org.apache.batik.svggen.SVGGraphics2D;
import org.knowm.xchart.HorizontalBarChart;
import org.knowm.xchart.HorizontalBarChartBuilder;
import org.knowm.xchart.XYChart;
import org.knowm.xchart.XYChartBuilder;
import org.knowm.xchart.internal.chartpart.Chart;
import org.knowm.xchart.style.AxesChartStyler;
import org.knowm.xchart.style.Styler.LegendLayout;
import org.knowm.xchart.style.Styler.LegendPosition;
import org.knowm.xchart.style.markers.SeriesMarkers;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.stage.Sizes;
import org.unimeros.insight.chart.ChartData.Bar;
import org.unimeros.insight.chart.ChartData.Bars;
import org.unimeros.insight.chart.ChartData.Line;
import org.unimeros.insight.chart.ChartData.Lines;

/** A picture as an image, of the kind that the ending of a file tells: {@code .png} or {@code .svg}. */
public final class ChartImage {

    private static final int WIDTH = 1000;
    private static final int LINES_HEIGHT = 560;
    private static final int NOTE_HEIGHT = 22;
    /** As a share of the width that bars take. */
    private static final double ROOM_FOR_NUMBERS = 0.1;

    private static final double NUMBER_BEHIND_BAR = 1.02;
    private static final int LONGEST_LABEL = 40;
    /** So that lines are sharp on screens that have more dots. */
    private static final int SCALE = 2;

    private static final Color INK = new Color(0x1a2025);
    private static final Color SOFT = new Color(0x525b62);
    private static final Color HAIR = new Color(0xdcdfdb);
    private static final Color PAPER = new Color(0xfcfcfa);
    /** Told apart with any kind of colour blindness, and in print by their lightness. */
    private static final Color[] COLOURS = {
        new Color(0x355479),
        new Color(0xdcb238),
        new Color(0x4e9d86),
        new Color(0xbd5aa6),
        new Color(0x8db7dd),
        new Color(0xbd3306),
        new Color(0x5d656b),
        new Color(0x8a6d12)
    };

    private ChartImage() {}

    /**
     * Refuses a file of another kind.
     *
     * @throws UserMistake when it is no image that can be made
     */
    public static void check(Path file) {
        if (!has(file, ".png") && !has(file, ".svg")) {
            throw new UserMistake("an image is a .png or an .svg, not " + file);
        }
    }

    private static boolean has(Path file, String ending) {
        return file.toString().toLowerCase(Locale.ROOT).endsWith(ending);
    }

    /**
     * The bytes of an image.
     *
     * @param file tells by its ending which kind of image
     * @throws UserMistake when that is none that can be made, or when there is nothing to draw
     * @throws ResourceFailure when the machine has no fonts
     */
    public static byte[] draw(ChartData data, Path file) {
        check(file);
        if (data.isEmpty()) {
            throw new UserMistake("there are no rows to draw in " + file);
        }
        try {
            Drawing drawing = new Drawing(data);
            return has(file, ".png") ? drawing.png() : drawing.svg();
        } catch (IOException e) {
            throw new ResourceFailure("cannot draw " + file + ": " + e, e);
        } catch (UserMistake | ResourceFailure e) {
            throw e;
        } catch (RuntimeException | LinkageError | InternalError e) {
            // The JDK tells of missing fonts in each of these ways.
            throw new ResourceFailure(
                    "cannot draw " + file + ": " + e + "; if this machine has no fonts, install some, such as DejaVu",
                    e);
        }
    }

    /** A chart of the library, with the notes below it. */
    private static final class Drawing {
        private final Chart<?, ?> chart;
        private final List<String> notes;

        Drawing(ChartData data) {
            this.chart = switch (data) {
                case Bars bars -> chart(bars);
                case Lines lines -> chart(lines);
            };
            this.notes = data.notes();
        }

        private int height() {
            return chart.getHeight() + notes.size() * NOTE_HEIGHT;
        }

        byte[] png() throws IOException {
            BufferedImage image = new BufferedImage(WIDTH * SCALE, height() * SCALE, BufferedImage.TYPE_INT_RGB);
            Graphics2D graphics = image.createGraphics();
            try {
                graphics.scale(SCALE, SCALE);
                paint(graphics);
            } finally {
                graphics.dispose();
            }
            ByteArrayOutputStream out = new ByteArrayOutputStream();
            ImageIO.write(image, "png", out);
            return out.toByteArray();
        }

        byte[] svg() throws IOException {
            try {
                var builder = DocumentBuilderFactory.newInstance().newDocumentBuilder();
                var document = builder.getDOMImplementation().createDocument("http://www.w3.org/2000/svg", "svg", null);
                SVGGraphics2D graphics = new SVGGraphics2D(document);
                graphics.setSVGCanvasSize(new java.awt.Dimension(WIDTH, height()));
                paint(graphics);
                ByteArrayOutputStream out = new ByteArrayOutputStream();
                try (Writer writer = new OutputStreamWriter(out, StandardCharsets.UTF_8)) {
                    graphics.stream(writer, true);
                }
                return out.toByteArray();
            } catch (ParserConfigurationException e) {
                throw new IOException(e);
            }
        }

        private void paint(Graphics2D graphics) {
            graphics.setColor(PAPER);
            graphics.fillRect(0, 0, WIDTH, height());
            chart.paint(graphics, WIDTH, chart.getHeight());
            graphics.setColor(SOFT);
            graphics.setFont(font(Font.PLAIN, 13));
            for (int i = 0; i < notes.size(); i++) {
                graphics.drawString(notes.get(i), 14, chart.getHeight() + i * NOTE_HEIGHT + 8);
            }
        }
    }

    private static Font font(int style, int size) {
        return new Font(Font.SANS_SERIF, style, size);
    }

    private static HorizontalBarChart chart(Bars bars) {
        int series = bars.series().size();
        HorizontalBarChart chart = new HorizontalBarChartBuilder()
                .width(WIDTH)
                .height(130 + bars.bars().size() * (10 + 16 * series))
                .title(bars.title())
                .build();
        List<String> labels = labels(bars);
        for (int c = 0; c < series; c++) {
            int column = c;
            List<Double> lengths =
                    bars.bars().stream().map(bar -> bar.length(column)).toList();
            chart.addSeries(bars.series().get(c), lengths, labels);
        }
        style(chart.getStyler(), series > 1);
        List<Double> drawn = bars.bars().stream()
                .flatMap(bar -> IntStream.range(0, series).mapToObj(bar::length))
                .filter(length -> !length.isNaN())
                .toList();
        double least = Math.min(0, drawn.stream().min(Double::compare).orElse(0.0));
        double greatest = Math.max(0, drawn.stream().max(Double::compare).orElse(0.0));
        double room = least == greatest ? 1 : (greatest - least) * ROOM_FOR_NUMBERS;
        chart.getStyler()
                .setPlotGridHorizontalLinesVisible(false)
                .setXAxisTickLabelsFormattingFunction(numbers(drawn))
                .setXAxisMin(least < 0 ? least - room : 0)
                .setXAxisMax(greatest > 0 || least == 0 ? greatest + room : 0)
                // No name is left out; the library counts names under the name of the other axis.
                .setXAxisMaxLabelCount(Math.max(2, bars.bars().size()))
                .setXAxisTickMarkSpacingHint(110)
                .setPlotContentSize(0.98)
                .setSeriesColors(COLOURS);
        chart.getStyler()
                .setAvailableSpaceFill(0.8)
                .setLabelsVisible(true)
                .setLabelsPosition(NUMBER_BEHIND_BAR)
                .setLabelsFontColor(INK)
                .setLabelsFontColorAutomaticEnabled(false)
                .setLabelsFont(font(Font.PLAIN, 12));
        return chart;
    }

    /** Names that are not too long and all different, since the library puts equal ones into one place. */
    static List<String> labels(Bars bars) {
        List<String> labels = new ArrayList<>();
        for (Bar bar : bars.bars()) {
            String cut = ChartText.cut(bar.label(), LONGEST_LABEL);
            String label = cut;
            for (int i = 2; labels.contains(label); i++) {
                label = cut + " (" + i + ")";
            }
            labels.add(label);
        }
        return labels;
    }

    private static XYChart chart(Lines lines) {
        XYChart chart = new XYChartBuilder()
                .width(WIDTH)
                .height(LINES_HEIGHT)
                .title(lines.title())
                .xAxisTitle(lines.by())
                .build();
        boolean isTime =
                lines.across().kind() == Across.Kind.DATE || lines.across().kind() == Across.Kind.TIMESTAMP;
        for (Line line : lines.lines()) {
            Line thin = Thinning.of(line, Scale.across(lines), WIDTH);
            List<Object> x = new ArrayList<>();
            List<Double> y = new ArrayList<>();
            for (int i = 0; i < thin.size(); i++) {
                x.add(isTime ? new Date((long) thin.x(i)) : (Object) thin.x(i));
                y.add(thin.y(i));
            }
            chart.addSeries(line.name(), x, y)
                    .setMarker(thin.size() > 60 ? SeriesMarkers.NONE : SeriesMarkers.CIRCLE)
                    .setLineStyle(new BasicStroke(2));
        }
        style(chart.getStyler(), lines.areNamed());
        Scale up = Scale.up(lines);
        chart.getStyler()
                .setYAxisMin(up.least())
                .setYAxisMax(up.greatest())
                .setTimezone(TimeZone.getTimeZone("UTC"))
                .setYAxisTickLabelsFormattingFunction(numbers(List.of(up.least(), up.at(0.25), up.greatest())))
                .setSeriesColors(COLOURS)
                .setMarkerSize(6)
                .setLocale(Locale.ROOT);
        if (!isTime) {
            double span = Scale.across(lines).span();
            chart.getStyler().setXAxisTickLabelsFormattingFunction(place -> atPlace(lines, place, span));
        }
        return chart;
    }

    /** Words are at whole numbers; between them the axis has marks, but no words. */
    private static String atPlace(Lines lines, double place, double span) {
        boolean isWord = lines.across().kind() != Across.Kind.TEXT
                || place == Math.rint(place)
                        && place >= 0
                        && place < lines.across().words().size();
        return isWord ? ChartText.cut(lines.across().write(place, span), LONGEST_LABEL / 3) : " ";
    }

    /** Writes the numbers of an axis, and those at bars: 0, 0.25, 18,947. */
    private static Function<Double, String> numbers(List<Double> all) {
        Digits digits = Digits.of(all);
        return value -> Math.abs(value) < 1e15 && value == Math.rint(value)
                ? Sizes.count(value.longValue())
                : digits.write(value);
    }

    private static void style(AxesChartStyler styler, boolean hasLegend) {
        styler.setChartBackgroundColor(PAPER)
                .setPlotBackgroundColor(PAPER)
                .setPlotBorderVisible(false)
                .setChartFontColor(INK)
                .setChartTitleBoxVisible(false)
                .setChartTitleFont(font(Font.BOLD, 18))
                .setChartPadding(14)
                .setChartTitlePadding(10)
                .setLegendVisible(hasLegend)
                .setLegendPosition(LegendPosition.OutsideS)
                .setLegendLayout(LegendLayout.Horizontal)
                .setLegendBackgroundColor(PAPER)
                .setLegendBorderColor(PAPER)
                .setLegendFont(font(Font.PLAIN, 13));
        styler.setAxisTickLabelsFont(font(Font.PLAIN, 13))
                .setAxisTitleFont(font(Font.PLAIN, 13))
                .setAxisTickLabelsColor(INK)
                .setAxisTickMarksColor(SOFT)
                .setPlotGridLinesColor(HAIR)
                .setPlotGridLinesStroke(new BasicStroke(1))
                .setPlotGridVerticalLinesVisible(true);
    }
}
