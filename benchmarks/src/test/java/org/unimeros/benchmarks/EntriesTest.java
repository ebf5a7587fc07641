package org.unimeros.benchmarks;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.Arguments;
import org.junit.jupiter.params.provider.MethodSource;

/** At a small size, every entry gives the answer of the program written by hand, with any number of slots. */
class EntriesTest {

    @TempDir
    static Path folder;

    static Stream<Arguments> entries() {
        return Stream.of(
                        new TextAggregate(folder, 20_000, false),
                        new TextAggregate(folder, 20_000, true),
                        new CsvAggregate(folder, 20_000),
                        new JsonAggregate(folder, 20_000),
                        new ParquetAggregate(folder, 60_000),
                        new GroupMany(folder, 100_000, 500),
                        new GroupMany(folder, 100_000, 30_000),
                        new Join("join-small", folder, 100_000, 9_000, 9_000),
                        new Join("join-half", folder, 100_000, 9_000, 18_000),
                        new FirstRows(folder, 100_000),
                        new Join("join-large", folder, 50_000, 50_000, 50_000),
                        new SortLines(folder, 30_000),
                        new Shuffle(folder, 100_000),
                        new WriteParquet(folder, 50_000),
                        new SelfJoin(folder, 5_000),
                        new ManyFiles(folder, 200),
                        new WordCount(folder, 5_000),
                        new ExternalProgram(folder, 9_000),
                        new TypedMap(folder, 60_000))
                .map(Arguments::of);
    }

    @ParameterizedTest
    @MethodSource("entries")
    void bothSidesGiveTheSameAnswer(Entry entry) throws Exception {
        entry.prepare();
        entry.prepareOurs();
        Object expected = entry.handWritten(1);
        assertEquals(expected, entry.handWritten(2), entry.name());
        assertEquals(expected, entry.ours(1), entry.name());
        assertEquals(expected, entry.ours(3), entry.name());
        assertTrue(entry.rows() > 0 && !entry.work().isEmpty());
        // Inputs that are there already are not made again.
        entry.prepare();
        assertEquals(expected, entry.ours(2), entry.name());
    }

    @Test
    void everyExpressionCanBeAskedFor() throws Exception {
        new ExpressionCosts(folder, 5_000).run();
        assertTrue(Files.isDirectory(folder.resolve("expressions-5000")));
    }

    @Test
    void theChartIsAPicture() throws Exception {
        Path picture = folder.resolve("chart.png");
        Chart.write(
                List.of(
                        new Chart.Bars("join-small", Map.of(1, 1.5, 2, 1.2), 1.5),
                        new Chart.Bars("sort", Map.of(1, 55.0, 2, 1.1), 1.3)),
                picture);
        byte[] bytes = Files.readAllBytes(picture);
        assertTrue(bytes.length > 5_000 && bytes[1] == 'P' && bytes[2] == 'N' && bytes[3] == 'G');
    }

    @Test
    void aNewTableTakesThePlaceOfTheOneInTheReport() throws IOException {
        String report = Files.readString(Path.of("../docs/PERFORMANCE.md"));
        int header = report.indexOf("| entry | rows | read | slots | ours | by hand |");
        String table = "2031-03-02, 4 processors.\n\n" + report.substring(header, report.indexOf('\n', header))
                + "\n|---|\n| sort | 5 |\n";
        String written = Comparison.inPlace(report, table);
        assertTrue(written.startsWith(report.substring(0, 200)));
        assertTrue(written.endsWith(report.substring(report.length() - 200)));
        assertTrue(written.contains("## The last table\n\n2031-03-02, 4 processors.\n\n| entry"), written);
        assertTrue(written.contains("| sort | 5 |\n\n![the ratios"), written);
        assertEquals(written, Comparison.inPlace(written, table));
    }
}
