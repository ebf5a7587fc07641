package org.unimeros.insight.chart;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.ByteArrayInputStream;
import java.io.IOException;
import java.math.BigDecimal;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.time.Instant;
import java.time.LocalDate;
import java.util.List;
import java.util.Random;
import java.util.stream.IntStream;
import javax.imageio.ImageIO;
import javax.xml.parsers.DocumentBuilderFactory;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.insight.chart.ChartData.Bars;
import org.unimeros.insight.chart.ChartData.Line;
import org.unimeros.insight.chart.ChartData.Lines;

final class ChartTest {

    private static final Schema DEPOTS = schema("depot", DataType.TEXT, "parcels", DataType.LONG);
    private static final Schema DAYS = schema("day", DataType.DATE, "parcels", DataType.LONG);

    private static Schema schema(Object... namesAndTypes) {
        return new Schema(IntStream.range(0, namesAndTypes.length / 2)
                .mapToObj(i -> new Field(null, (String) namesAndTypes[2 * i], (DataType) namesAndTypes[2 * i + 1]))
                .toList());
    }

    private static Bars bars(Schema schema, Object[]... rows) {
        BarsMaker maker = new BarsMaker(schema);
        for (Object[] row : rows) {
            maker.add(row);
        }
        return maker.bars();
    }

    private static Lines lines(Schema schema, Object[]... rows) {
        LinesMaker maker = new LinesMaker(schema);
        for (Object[] row : rows) {
            maker.add(row);
        }
        return maker.lines();
    }

    private static Object[] row(Object... values) {
        return values;
    }

    private static String print(ChartData data, int columns, boolean isPlain) {
        return String.join("\n", ChartText.print(data, columns, isPlain));
    }

    @Test
    void barsBeginAtZeroAndSayTheirNumbers() {
        Bars bars = bars(DEPOTS, row("D01", 1200L), row("D02", -300L), row(null, null), row("D04", 0L), row("D05", 1L));
        assertEquals("""
                parcels by depot

                D01   1,200        │████████████████████▊
                D02    -300   █████│
                null   null        │
                D04       0        │
                D05       1        │▏""", print(bars, 41, false));
        assertEquals("""
                parcels by depot

                D01   1,200        |#####################
                D02    -300   #####|
                null   null        |
                D04       0        |
                D05       1        |""", print(bars, 41, true));
    }

    @Test
    void everyColumnOfNumbersHasItsBarAndLongNamesAreCut() {
        Schema schema = schema(
                "city",
                DataType.TEXT,
                "depot",
                DataType.INT,
                "parcels",
                DataType.LONG,
                "weight",
                new DataType.Decimal(9, 3));
        Bars bars = bars(
                schema,
                row("a place with a name that is far too long", null, 4L, new BigDecimal("2.000")),
                row("\n", null, 2L, new BigDecimal("1.125")));
        assertEquals("""
                depot, parcels and weight by city

                a place with…  depot     null  │
                               parcels      4  │█████████
                               weight   2.000  │████▌
                ' '            depot     null  │
                               parcels      2  │████▌
                               weight   1.125  │██▌""", print(bars, 41, false));
    }

    @Test
    void ofManyBarsTheLargestAreDrawnAndTheOthersSummedUp() {
        BarsMaker maker = new BarsMaker(DEPOTS);
        for (int i = 0; i < 1_000; i++) {
            maker.add(row("D" + i, (long) i));
        }
        Bars bars = maker.bars();
        assertEquals(50, bars.bars().size());
        assertEquals("D999", bars.bars().get(0).label());
        assertEquals("D950", bars.bars().get(49).label());
        assertEquals(
                List.of("the 50 largest of 1,000 rows are drawn; the other 950 add up to parcels 450,775"),
                bars.notes());
    }

    @Test
    void numbersAtTheEndOfARowAreDrawn() {
        assertEquals("parcels by depot", bars(DEPOTS).title());
        assertEquals(
                "b by a", bars(schema("a", DataType.INT, "b", DataType.INT)).title());
        assertEquals(
                "b by a, day",
                bars(schema("a", DataType.INT, "day", DataType.DATE, "b", DataType.INT))
                        .title());
        assertEquals(
                "b by depot",
                bars(schema("b", DataType.DOUBLE, "depot", DataType.TEXT)).title());
        Bars alone = bars(schema("parcels", DataType.LONG), row(7L));
        assertEquals("row 1", alone.bars().get(0).label());
        String message = assertThrows(UserMistake.class, () -> bars(schema("depot", DataType.TEXT)))
                .getMessage();
        assertTrue(message.startsWith("a chart needs a column of numbers; the rows have"), message);
    }

    @Test
    void aLineGoesFromLeftToRightAndHasGaps() {
        Lines lines = lines(
                DAYS,
                row(LocalDate.of(2031, 3, 5), 40L),
                row(LocalDate.of(2031, 3, 1), 0L),
                row(LocalDate.of(2031, 3, 3), null),
                row(null, 3L),
                row(LocalDate.of(2031, 3, 2), 10L),
                row(LocalDate.of(2031, 3, 4), 30L));
        assertEquals(List.of("1 row without a value of day is left out"), lines.notes());
        Line line = lines.lines().get(0);
        assertEquals(5, line.size());
        assertTrue(Double.isNaN(line.y(2)));
        assertEquals("""
                parcels by day

                40 |                                  **
                   |                               ***
                   |                            ***
                   |                          **
                   |
                   |
                   |
                20 |
                   |
                   |
                   |        **
                   |      **
                   |    **
                   |  **
                 0 |**
                   +------------------------------------
                    2031-03-01   2031-03-03   2031-03-05""", print(lines, 41, true));
    }

    @Test
    void namesBehindTheFirstTellLinesApart() {
        Schema schema = schema("at", DataType.TIMESTAMP, "kind", DataType.TEXT, "scans", DataType.LONG);
        Instant noon = Instant.parse("2031-03-01T12:00:00Z");
        Lines lines = lines(
                schema,
                row(noon, "arrival", 5L),
                row(noon, "pickup", 3L),
                row(noon.plusSeconds(3600), "arrival", 4L),
                row(noon.plusSeconds(3600), "pickup", 8L));
        String text = print(lines, 60, false);
        assertTrue(text.contains("arrival\n") && text.contains("pickup\n"), text);
        assertTrue(text.endsWith("03-01 13:00"), text);
        LinesMaker many = new LinesMaker(schema);
        for (int i = 1; i <= 20; i++) {
            many.add(row(noon, "kind " + i, (long) i));
        }
        assertEquals(8, many.lines().lines().size());
        assertEquals(
                List.of("the 8 lines with the largest sums of 20 are drawn"),
                many.lines().notes());
    }

    @Test
    void nothingToDrawIsSaid() {
        assertEquals("parcels by depot\n\nno rows", print(bars(DEPOTS), 80, false));
        assertEquals("parcels by day\n\nno rows", print(lines(DAYS), 80, false));
        assertThrows(UserMistake.class, () -> ChartImage.draw(bars(DEPOTS), Path.of("a.png")));
        assertThrows(UserMistake.class, () -> ChartImage.draw(bars(DEPOTS, row("D01", 1L)), Path.of("a.pdf")));
    }

    @ParameterizedTest
    @ValueSource(doubles = {0, 5, -5, 1e-12, 1e300, -1e300, Double.NaN, Double.POSITIVE_INFINITY})
    void anyNumberCanBeDrawn(double value) throws IOException {
        Schema schema = schema("depot", DataType.TEXT, "weight", DataType.DOUBLE);
        Bars bars = bars(schema, row("D01", value), row("D02", null));
        Lines lines = lines(schema, row("D01", value), row("D02", null));
        for (boolean isPlain : new boolean[] {false, true}) {
            for (ChartData data : List.of(bars, lines)) {
                ChartText.print(data, 10, isPlain).forEach(text -> assertTrue(ChartText.length(text) <= 60, text));
            }
        }
        ChartImage.draw(bars, Path.of("a.png"));
        ChartImage.draw(lines, Path.of("a.svg"));
    }

    @Test
    void imagesHoldNotesAndABarForEveryRow() throws Exception {
        BarsMaker maker = new BarsMaker(DEPOTS);
        for (int i = 0; i < 60; i++) {
            maker.add(row("depot <" + i + ">", 100L + i));
        }
        var image = ImageIO.read(new ByteArrayInputStream(ChartImage.draw(maker.bars(), Path.of("A.PNG"))));
        assertEquals(2000, image.getWidth());
        byte[] svg = ChartImage.draw(maker.bars(), Path.of("a.svg"));
        String text = new String(svg, StandardCharsets.UTF_8);
        assertTrue(text.contains("the 50 largest of 60 rows"), text);
        assertEquals(
                List.of("D01", "D02", "D01 (2)"),
                ChartImage.labels(bars(DEPOTS, row("D01", 1L), row("D02", 1L), row("D01", 1L))));
        var builder = DocumentBuilderFactory.newInstance();
        builder.setFeature("http://apache.org/xml/features/nonvalidating/load-external-dtd", false);
        builder.newDocumentBuilder().parse(new ByteArrayInputStream(svg));
    }

    @Test
    void aLineOfVeryManyPointsKeepsItsPeaks() {
        Random random = new Random(7);
        int size = 200_000;
        double[] x = new double[size];
        double[] y = new double[size];
        for (int i = 0; i < size; i++) {
            x[i] = i;
            y[i] = i == 123_456 ? 99 : i == 5 ? Double.NaN : random.nextDouble();
        }
        Line thin = Thinning.of(new Line("scans", x, y), new Scale(0, size - 1), 1000);
        assertTrue(thin.size() < 5_000, "" + thin.size());
        double[] values = IntStream.range(0, thin.size()).mapToDouble(thin::y).toArray();
        assertEquals(
                1,
                IntStream.range(0, values.length).filter(i -> values[i] == 99).count());
        assertEquals(
                1,
                IntStream.range(0, values.length)
                        .filter(i -> Double.isNaN(values[i]))
                        .count());
        double[] places = IntStream.range(0, thin.size()).mapToDouble(thin::x).toArray();
        assertArrayEquals(
                IntStream.range(0, places.length)
                        .mapToDouble(i -> places[i])
                        .sorted()
                        .toArray(),
                places);
    }

    @Test
    void tooManyPointsAreRefused() {
        LinesMaker maker = new LinesMaker(schema("at", DataType.LONG, "scans", DataType.LONG));
        Object[] row = row(1L, 2L);
        String message = assertThrows(UserMistake.class, () -> {
                    for (int i = 0; i < 2_000_000; i++) {
                        maker.add(row);
                    }
                })
                .getMessage();
        assertTrue(message.contains("1,000,000 points"), message);
    }
}
