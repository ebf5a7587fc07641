package org.unimeros;

import static java.nio.charset.StandardCharsets.UTF_8;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.charset.Charset;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.function.Executable;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.error.UnimerosException;
import org.unimeros.engine.error.UserMistake;

/** Text files as others write them: said once, in a query, a call or a declaration, and read or written as said. */
class TextFormsTest {

    private static final String PARCELS = """
            # parcels of one day
            depot;posted;seen;weight_kg;note
            'D;01';02.03.2031;02.03.2031 16:05;1,50;-
            D02;31.12.2030;31.12.2030 00:00;12,00;n/a
            D03;;;;'-'
            """;

    private static final String SAID = "delimiter => ';', quote => '''', comment => '#', decimal_mark => ',',"
            + " date_form => 'DD.MM.YYYY', timestamp_form => 'DD.MM.YYYY HH24:MI', null_text => array['-', 'n/a']";

    private static final String ROWS =
            "[[D;01, 2031-03-02, 2031-03-02T16:05:00Z, 1.50, null], [D02, 2030-12-31, 2030-12-31T00:00:00Z, 12.00, null],"
                    + " [D03, null, null, null, -]]";

    @TempDir
    Path root;

    private Engine engine;

    @BeforeEach
    void open() {
        engine = Engine.local(Settings.defaults()
                .with("memory.scratch", root.resolve("scratch").toString()));
    }

    private Path write(String name, byte[] bytes) throws IOException {
        Files.createDirectories(root.resolve(name).getParent());
        return Files.write(root.resolve(name), bytes);
    }

    private Path write(String name, String text) throws IOException {
        return write(name, text.getBytes(UTF_8));
    }

    private List<List<Object>> rows(Rows rows) {
        Result result = rows.fetch();
        List<List<Object>> all = new ArrayList<>();
        for (int i = 0; i < result.size(); i++) {
            List<Object> row = new ArrayList<>();
            for (String name : result.schema().names()) {
                row.add(result.row(i).get(name));
            }
            all.add(row);
        }
        return all;
    }

    private List<List<Object>> rows(String query) {
        return rows(engine.sql(query));
    }

    private static String types(Rows rows) {
        return rows.schema().qualified(null).toString();
    }

    @Test
    void allThatCanBeSaidIsSaidInAQuery() throws IOException {
        Path file = write("parcels.csv", PARCELS);
        Rows parcels = engine.sql("select * from dataset('" + file + "', " + SAID + ")");
        assertEquals("(depot text, posted date, seen timestamp, weight_kg decimal(18, 2), note text)", types(parcels));
        assertEquals(ROWS, rows(parcels).toString());
    }

    @Test
    void theSameIsSaidInACall() throws IOException {
        Path file = write("parcels.csv", PARCELS);
        Rows parcels = engine.read(
                file.toString(),
                o -> o.delimiter(';')
                        .nullText("-", "n/a")
                        .option("quote", "'")
                        .option("comment", "#")
                        .option("decimal_mark", ",")
                        .option("date_form", "DD.MM.YYYY")
                        .option("timestamp_form", "DD.MM.YYYY HH24:MI"));
        assertEquals(ROWS, rows(parcels).toString());
    }

    @Test
    void theSameIsDeclared() throws IOException {
        write("parcels.csv", PARCELS);
        Path declared = write("datasets.yaml", """
                datasets:
                  parcels:
                    location: parcels.csv
                    options:
                      delimiter: ";"
                      quote: "'"
                      comment: "#"
                      decimal_mark: ","
                      date_form: DD.MM.YYYY
                      timestamp_form: DD.MM.YYYY HH24:MI
                      null_text: ["-", n/a]
                """);
        try (Engine with = Engine.local(Settings.defaults(), declared)) {
            assertEquals(ROWS, rows(with.sql("select * from parcels")).toString());
        }
    }

    @Test
    void whatIsWrittenInAFormIsReadInIt() throws IOException {
        Path file = write("parcels.csv", PARCELS);
        String folder = root.resolve("out").toString();
        engine.sql("select * from dataset('" + file + "', " + SAID + ")")
                .write(
                        folder,
                        as -> as.csv()
                                .option("delimiter", ";")
                                .option("quote", "'")
                                .option("decimal_mark", ",")
                                .option("date_form", "DD.MM.YYYY")
                                .option("timestamp_form", "DD.MM.YYYY HH24:MI")
                                .option("null_text", "-", "n/a")
                                .option("encoding", "utf-16"));
        assertEquals(
                ROWS,
                rows("select * from dataset('" + folder + "', " + SAID + ") order by weight_kg nulls last")
                        .toString());
    }

    @ParameterizedTest
    @CsvSource({
        "iso-8859-1, said",
        "windows-1252, said",
        "utf-16le, said",
        "utf-16be, said",
        "utf-16, found",
        "utf-8, found"
    })
    void textInOtherEncodingsIsTheSame(String encoding, String how) throws IOException {
        StringBuilder text = new StringBuilder("depot,place\n");
        for (int i = 0; i < 20_000; i++) {
            text.append(i).append(",Straße nach Rübenfeld ").append(i % 7).append('\n');
        }
        Charset charset = Charset.forName(encoding);
        Path csv = write("places.csv", text.toString().getBytes(charset));
        Path lines = write("places.txt", text.toString().getBytes(charset));
        Path json = write(
                "places.jsonl",
                "{\"place\": \"Rübenfeld\", \"n\": 1}\n".repeat(3_000).getBytes(charset));
        String said = "'" + (how.equals("said") ? ", encoding => '" + encoding + "'" : "") + ")";
        assertEquals(
                "[[20000, 2857, 199990000]]",
                rows("select count(*) n, count(*) filter (where place = 'Straße nach Rübenfeld 6') six, sum(depot) s"
                                + " from dataset('" + csv + said)
                        .toString());
        assertEquals(
                "[[20001]]",
                rows("select count(*) filter (where line like '%ße nach Rü%' or line = 'depot,place') n from dataset('"
                                + lines + said)
                        .toString());
        assertEquals(
                "[[Rübenfeld, 3000]]",
                rows("select place, sum(n) n from dataset('" + json + said + " group by place")
                        .toString());
    }

    @Test
    void textThatIsNotInTheEncodingIsRefused() throws IOException {
        byte[] latin = "depot,place\n1,Rübenfeld\n".getBytes(Charset.forName("iso-8859-1"));
        Path csv = write("places.csv", latin);
        Path lines = write("places.txt", latin);
        for (String input : List.of(csv + "'", csv + "', encoding => 'us-ascii'", lines + "'")) {
            BadData e = assertThrows(BadData.class, () -> rows("select * from dataset('" + input + ")"));
            assertTrue(e.getMessage().contains("say its encoding"), e.getMessage());
        }
        UnimerosException e = assertThrows(
                UnimerosException.class,
                () -> engine.sql("select '€' as price")
                        .write(root.resolve("euro").toString(), as -> as.csv().option("encoding", "iso-8859-1")));
        assertTrue(e.getMessage().contains("a character that ISO-8859-1 does not have"), e.getMessage());
    }

    @ParameterizedTest
    @ValueSource(
            strings = {
                "'x.csv', delimeter => ';' | did you mean delimiter",
                "'x.csv', delimiter => ';;' | needs one character",
                "'x.csv', header => 'yes' | header is true or false",
                "'x.csv', encoding => 'utf-9' | did you mean utf-8",
                "'x.csv', decimal_mark => ';' | is . or ,",
                "'x.csv', date_form => 'QQQQX' | unknown part of a format",
                "'x.csv', quote => ',' | must differ",
                "'x.csv', comment => '\"' | must differ",
                "'x.csv', format => array['csv', 'json'] | in one format",
                "distinct 'x.csv' | distinct or an order in dataset",
                "'x.csv' order by 1 | distinct or an order in dataset",
                "'x.csv', 'x.csv' | twice, which would double its rows",
                "'x.csv', compression => 'zstd' | csv files are read without option compression",
                "'x.jsonl', delimiter => ';' | json files are read without option delimiter",
                "'x.txt', null_text => '-' | text files are read without option null_text",
                "'x.csv', delimiter => ';', delimiter => ',' | twice",
                "'x.csv', columns => 'id' | name and type",
                "'x.csv', columns => 'id lnog' | lnog",
                "'x.csv', header => null | are constants",
                "header => true | needs a path"
            })
    void whatMeansNothingIsRefused(String text) throws IOException {
        write("x.csv", "id\n1\n");
        write("x.jsonl", "{\"id\": 1}\n");
        write("x.txt", "1\n");
        String[] parts = text.split(" \\| ");
        String query = "select * from dataset(" + parts[0].replace("'x.", "'" + root + "/x.") + ")";
        UserMistake e = assertThrows(UserMistake.class, () -> rows(query));
        assertTrue(e.getMessage().contains(parts[1]), e.getMessage());
    }

    @Test
    void aPathInSingleQuotesIsRefusedWithTheWayToWriteIt() throws IOException {
        Path file = write("x.csv", "id\n1\n");
        UserMistake e = assertThrows(UserMistake.class, () -> engine.sql("select * from '" + file + "'"));
        assertTrue(e.getMessage().contains("write dataset('" + file + "')"), e.getMessage());
        assertEquals("[[1]]", rows("select * from \"" + file + "\"").toString());
    }

    @Test
    void columnsAreDeclaredInAQuery() throws IOException {
        Path file = write("x.jsonl", "{\"id\": 1, \"device\": {\"weight\": 2.5}}\n");
        Rows declared = engine.sql("select * from dataset('" + file
                + "', columns => 'id long, weight decimal(9, 2) from device.weight, \"two words\" text')");
        assertEquals("(id long, weight decimal(9, 2), two words text)", types(declared));
        assertEquals("[[1, 2.50, null]]", rows(declared).toString());
    }

    @Test
    void patternsAndListsOfFilesAreOneDataset() throws IOException {
        for (int day = 1; day <= 3; day++) {
            for (int hour = 0; hour < 2; hour++) {
                write("scans/day=2031-03-0" + day + "/hour=" + hour + "/a.csv", "id\n" + day + hour + "\n");
            }
        }
        write("scans/day=2031-03-01/hour=0/_hidden.csv", "id\n99\n");
        write("scans/day=2031-03-01/hour=0/notes.txt", "a note\n");
        String scans = root.resolve("scans").toString();
        String ids = "select list_agg(id order by id) ids, min(day) d from dataset('" + scans;
        assertEquals(
                "[[[10, 11, 20, 21, 30, 31], 2031-03-01]]",
                rows(ids + "/**.csv')").toString());
        assertEquals(
                "[[[20, 30], 2031-03-02]]",
                rows(ids + "/day=2031-03-0[23]/hour=0')").toString());
        assertEquals(
                "[[[20, 21], 2031-03-02]]",
                rows(ids + "/day=2031-03-02/*/*.csv')").toString());
        assertEquals(
                "[[[10, 31], 2031-03-01]]",
                rows(ids + "/day=2031-03-01/hour=0/*.csv', '" + scans + "/day=2031-03-03/hour=1/*.csv')")
                        .toString());
        List<String> halves = List.of(scans + "/*/hour=0/*.csv", scans + "/*/hour=1/*.csv");
        assertEquals(6, engine.read(halves).fetch().size());
        UserMistake none = assertThrows(UserMistake.class, () -> engine.read(scans + "/day=2032*"));
        assertTrue(none.getMessage().contains("no file fits day=2032*"), none.getMessage());
        UserMistake target = assertThrows(
                UserMistake.class,
                () -> engine.script("create table \"" + scans + "/x*\" as select 1 as a", Map.of())
                        .next());
        assertTrue(target.getMessage().contains("is a pattern"), target.getMessage());
    }

    @Test
    void rowsThatAreInsertedHaveTheFormOfThoseThatAreThere() throws IOException {
        write("d/a.csv", "id;price\n1;2,5\n");
        Path declared = write("datasets.yaml", "datasets: {d: {options: {delimiter: ';', decimal_mark: ','}}}\n");
        try (Engine with = Engine.local(Settings.defaults(), declared)) {
            with.script("insert into d select 2, 3.5", Map.of()).next();
            assertEquals(
                    "[[1, 2.5], [2, 3.5]]",
                    rows(with.sql("select * from d order by id")).toString());
        }
    }

    @Test
    void aNullInAFileOfOneColumnIsARow() {
        String folder = root.resolve("one").toString();
        engine.sql("select nullif(x, 2) as x from unnest(series(1, 4)) as s(x) order by 1")
                .write(folder, as -> as.csv());
        assertEquals(
                "[[4, 3]]",
                rows("select count(*) n, count(x) x from dataset('" + folder + "')")
                        .toString());
    }

    @Test
    void fractionsAreExact() throws IOException {
        StringBuilder text = new StringBuilder("price,measured,big\n");
        for (int i = 0; i < 3_000; i++) {
            text.append(i % 10 + 0.1).append(",0.12345678,1e3\n");
        }
        Path file = write("prices.csv", text.toString());
        Rows prices = engine.read(file.toString());
        assertEquals("(price decimal(18, 1), measured double, big double)", types(prices));
        assertEquals(
                "[[13800.0, 300]]",
                rows("select sum(price) s, count(*) filter (where price * 3 = 0.3) n from dataset('" + file + "')")
                        .toString());
        write("prices.csv", text + "0.25,0,0\n1.500,0,0\n");
        BadData e = assertThrows(BadData.class, () -> rows("select sum(price) from dataset('" + file + "')"));
        assertTrue(
                e.getMessage().contains("prices.csv:3002: column price is decimal(18, 1), but the value is '0.25'"),
                e.getMessage());
        assertEquals(
                "[[13801.75]]",
                rows("select sum(price) s from dataset('" + file + "', columns => 'price decimal(18, 2)')")
                        .toString());
    }

    @Test
    void jsonOfOtherFormsIsToldHowToWriteIt() throws IOException {
        for (String text : List.of("[\n{\"a\": 1},\n{\"a\": 2}\n]\n", "[{\"a\": 1}]", "\n[]")) {
            Path file = write("a.json", text);
            BadData e = assertThrows(BadData.class, () -> engine.read(file.toString()));
            assertTrue(e.getMessage().contains("this is one array"), e.getMessage());
        }
        for (String text : List.of("{\n\"a\": 1\n}\n", "{\"a\":\n1}\n")) {
            Path file = write("b.json", text);
            BadData e = assertThrows(BadData.class, () -> engine.read(file.toString()));
            assertTrue(e.getMessage().contains("this is an object over several lines"), e.getMessage());
        }
    }

    @Test
    void filesOfOtherCompressionsAreRefusedByName() throws IOException {
        for (String ending : List.of("zst", "bz2", "xz", "zip")) {
            Path file = write("a.csv." + ending, "a\n1\n");
            UserMistake e = assertThrows(UserMistake.class, () -> engine.read(file.toString()));
            assertTrue(e.getMessage().contains("files compressed as ." + ending + " are not read"), e.getMessage());
        }
    }

    @Test
    void aResultWithoutRowsKeepsItsColumns() {
        for (String format : List.of("parquet", "csv")) {
            String folder = root.resolve(format).toString();
            engine.sql("select 1 as a, true as b, 'x' as c where 1 = 0").write(folder, as -> as.format(format));
            Rows none = engine.read(folder);
            assertEquals(List.of("a", "b", "c"), none.schema().names());
            assertEquals(
                    "[[0, 0]]",
                    rows(none.summarise("count(*) as n", "count(b) as b")).toString());
            engine.sql("select 7 as a, true as b, 'x' as c")
                    .write(folder, as -> as.format(format).appending());
            assertEquals(1, engine.read(folder).count());
            engine.sql("select 1 as a, true as b, 'x' as c where 1 = 0")
                    .write(folder, as -> as.format(format).replacing());
            assertEquals(0, engine.read(folder).count());
        }
    }

    @Test
    void aMistakeInOneDeclarationIsOfThatDatasetAlone() throws IOException {
        write("parcels.csv", "id\n1\n");
        Path declared = write("datasets.yaml", """
                datasets:
                  parcels: {location: parcels.csv}
                  odd:
                    location: parcels.csv
                    options: {delimter: ";"}
                """);
        try (Engine with = Engine.local(Settings.defaults(), declared)) {
            assertEquals("[[1]]", rows(with.sql("select * from parcels")).toString());
            assertEquals(List.of("parcels", "odd"), with.datasets());
            UserMistake e = assertThrows(UserMistake.class, () -> with.read("odd"));
            assertEquals(
                    declared + ":3: dataset odd: unknown format option delimter; did you mean delimiter?",
                    e.getMessage());
        }
    }

    @Test
    void whatIsPrintedOfResultsCanBeRead() throws IOException {
        Path file = write("parcels.csv", "id,price\n1,2.50\n2,\n");
        Result result = engine.read(file.toString()).fetch();
        assertEquals("2 rows (id int, price decimal(18, 2))\n1 | 2.50\n2 | ", result.toString());
        assertEquals(
                file + ": csv, 1 file of 19 B, (id int, price decimal(18, 2))",
                engine.inspect(file.toString()).toString());
        assertTrue(
                result.run().toString().startsWith("run " + result.run().id() + ": 2 rows"),
                result.run().toString());
        try (Held held = engine.read(file.toString()).hold()) {
            assertTrue(held.toString().endsWith(": 2 rows (id int, price decimal(18, 2))"), held.toString());
        }
        Result.Row row = result.row(0);
        assertEquals(2.5, row.doubleValue("price"));
        for (Executable wrong : List.<Executable>of(
                () -> row.longValue("price"), () -> row.date("price"), () -> row.booleanValue("price"))) {
            UserMistake e = assertThrows(UserMistake.class, wrong);
            assertTrue(e.getMessage().startsWith("column price is decimal(18, 2) and not a "), e.getMessage());
        }
        assertTrue(assertThrows(UserMistake.class, () -> result.row(1).doubleValue("price"))
                .getMessage()
                .contains("is null in this row"));
    }

    @Test
    void optionsGoTogetherInWhateverOrderTheyAreSaid() throws IOException {
        Path file = write("x.csv", "id;t\n1;,a;b,\n");
        for (String said : List.of("quote => ',', delimiter => ';'", "delimiter => ';', quote => ','")) {
            assertEquals(
                    "[[1, a;b]]",
                    rows("select * from dataset('" + file + "', " + said + ")").toString());
        }
    }

    @Test
    void aRecordThatBeginsLikeACommentIsWrittenInQuotes() {
        String folder = root.resolve("marked").toString();
        engine.sql("select '%x' as a, 1 as b union all select 'y', 2")
                .write(folder, as -> as.csv().option("comment", "%"));
        assertEquals(
                "[[%x, 1], [y, 2]]",
                rows("select * from dataset('" + folder + "', comment => '%') order by b")
                        .toString());
        BadData e = assertThrows(
                BadData.class,
                () -> engine.sql("select '%x' as a")
                        .write(
                                root.resolve("bare").toString(),
                                as -> as.csv().option("comment", "%").option("quote", "none")));
        assertTrue(e.getMessage().contains("cannot be written without quotes"), e.getMessage());
    }

    @Test
    void datasetsThatAreDeclaredOtherwiseAreNotReadAsOne() throws IOException {
        write("a.csv", "id\n1\n");
        write("b.csv", "id;n\n2;3\n");
        Path declared = write(
                "datasets.yaml",
                "datasets: {a: {location: a.csv}, b: {location: b.csv, options: {delimiter: ';'}}, c: {location: c.csv}}\n");
        write("c.csv", "id\n4\n");
        try (Engine with = Engine.local(Settings.defaults(), declared)) {
            UserMistake e = assertThrows(UserMistake.class, () -> with.read(List.of("a", "b")));
            assertTrue(e.getMessage().contains("datasets a and b are declared otherwise"), e.getMessage());
            assertEquals(2, with.read(List.of("a", "c")).count());
        }
    }

    @Test
    void aPatternIsLookedForHereAndInTheFolderOfDatasets() throws IOException {
        write("data/parcels_1.csv", "id\n1\n");
        write("data/parcels_2.csv", "id\n2\n");
        try (Engine with = Engine.local(Settings.defaults(), root.resolve("data"))) {
            assertEquals(2, with.read("parcels_*.csv").count());
        }
    }

    @Test
    void aPatternLooksOnlyIntoFoldersThatCanFit() throws IOException {
        write("days/2031-03-01/a.csv", "id\n1\n");
        write("days/other/deep/a.csv", "id\n2\n");
        Path closed = root.resolve("days/other");
        // Whoever goes into this folder fails on a link that leads back to it.
        Files.createSymbolicLink(closed.resolve("loop"), closed);
        assertEquals(
                "[[1]]",
                rows("select * from dataset('" + root + "/days/2031-*/*.csv')").toString());
    }

    @Test
    void onlyColumnNamesInQuotesHaveCommas() throws IOException {
        Path file = write("x.csv", "id\n1\n");
        Rows named = engine.sql("select * from dataset('" + file + "', columns => '\"a,b\" int from id')");
        assertEquals(List.of("a,b"), named.schema().names());
        assertEquals("[[1]]", rows(named).toString());
    }
}
