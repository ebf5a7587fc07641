package org.unimeros.storage.dataset;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.LocalDate;
import java.util.Collections;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.error.UnimerosException;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.expr.Expression;
import org.unimeros.engine.expr.Expression.ColumnRef;
import org.unimeros.engine.expr.Expression.Literal;
import org.unimeros.engine.expr.Operators;
import org.unimeros.engine.source.BatchReader;
import org.unimeros.engine.source.ScanPlan;
import org.unimeros.engine.source.ScanRequest;
import org.unimeros.engine.source.Split;
import org.unimeros.storage.format.ColumnSpec;
import org.unimeros.storage.format.FormatOption;
import org.unimeros.storage.format.FormatOptions;
import org.unimeros.storage.format.Lenient;

class DatasetTest {

    @TempDir
    Path root;

    private void write(String path, String text) throws IOException {
        Path file = root.resolve(path);
        Files.createDirectories(file.getParent());
        Files.writeString(file, text);
    }

    private Dataset open(String name) {
        return Dataset.open(DatasetSpec.of(name, root.resolve(name)), new Formats());
    }

    private String mistake(Class<? extends UnimerosException> family, String name) {
        return assertThrows(family, () -> open(name)).getMessage();
    }

    private ScanPlan scan(Dataset dataset, long target, Expression... conditions) {
        List<Integer> all = IntStream.range(0, dataset.schema().size()).boxed().toList();
        return dataset.plan(new ScanRequest(all, List.of(conditions), target));
    }

    @Test
    void partitionsAreFoundByListingWithTypesAndHiddenFilesAreNotData() throws IOException {
        write("d/day=2031-03-01/hour=07/a.csv", "x\n1\n");
        write("d/day=2031-03-02/hour=08/b.csv", "x\n2\n");
        write("d/day=2031-03-02/hour=08/.b.csv.crc", "junk");
        write("d/_log/c.csv", "x\n3\n");
        Dataset d = open("d");
        assertEquals("(x int, day date, hour int)", d.schema().toString());
        assertEquals(2, d.files().size());
        assertEquals(List.of(LocalDate.of(2031, 3, 1), 7), d.files().get(0).partition());
    }

    @Test
    void aConditionOnPartitionsOpensOnlyTheMatchingFolders() throws IOException {
        for (int day = 1; day <= 9; day++) {
            write("d/day=2031-03-0" + day + "/a.csv", "x\n" + "1\n".repeat(day));
        }
        Dataset d = open("d");
        Expression day = new ColumnRef(1, "day", DataType.DATE);
        Expression x = new ColumnRef(0, "x", DataType.INT);
        Expression late = Operators.compare(">=", day, new Literal(LocalDate.of(2031, 3, 8), DataType.DATE));
        Expression large = Operators.compare(">", x, new Literal(5, DataType.INT));
        ScanPlan plan = scan(d, 1 << 20, late, large);
        assertEquals(2, plan.files());
        assertEquals(7, plan.skippedFiles());
        assertEquals(List.of(large), plan.open());
        assertEquals(
                0,
                scan(d, 1 << 20, Operators.compare("<", day, new Literal(LocalDate.EPOCH, DataType.DATE)))
                        .splits()
                        .size());
    }

    @Test
    void splitsAreEven() throws IOException {
        for (int i = 0; i < 130; i++) {
            write(String.format("even/f%03d.csv", i), "x\n1\n");
        }
        // A file counts as 8 KiB and its bytes, so that 100 of them fit.
        List<Long> ofFiles = scan(open("even"), 100 * ((8 << 10) + 4)).splits().stream()
                .map(Split::bytes)
                .toList();
        assertEquals(List.of(65 * 4L, 65 * 4L), ofFiles);
        write("cut/f.csv", "x\n" + "12345678\n".repeat(10_001));
        List<Long> bytes =
                scan(open("cut"), 30_000).splits().stream().map(Split::bytes).toList();
        assertEquals(4, bytes.size());
        assertTrue(Collections.max(bytes) - Collections.min(bytes) < 100, bytes.toString());
    }

    @Test
    void smallFilesArePackedAndBigOnesAreCut() throws IOException {
        for (int i = 0; i < 500; i++) {
            write(String.format("small/f%03d.csv", i), "x\n1\n");
        }
        write("big/f.csv", "x\n" + "12345678\n".repeat(20_000));
        assertEquals(1, scan(open("small"), 32 << 20).splits().size());
        assertTrue(scan(open("small"), 1 << 20).splits().size() < 8);
        assertEquals(19, scan(open("big"), 10_000).splits().size());
    }

    @Test
    void whatCannotBeADatasetIsSaidInOneLine() throws IOException {
        assertTrue(mistake(ResourceFailure.class, "none").contains("does not exist"));
        Files.createDirectories(root.resolve("empty"));
        assertTrue(mistake(UserMistake.class, "empty").contains("is empty: there are no data files"));
        write("mixed/a.csv", "x\n1\n");
        write("mixed/b.jsonl", "{}\n");
        assertTrue(mistake(UserMistake.class, "mixed").contains("mixes formats"));
        write("odd/a.bin", "?");
        assertTrue(mistake(UserMistake.class, "odd").contains("not known from its ending"));
        write("layouts/day=1/a.csv", "x\n1\n");
        write("layouts/b.csv", "x\n1\n");
        assertTrue(mistake(BadData.class, "layouts").contains("mixes partition layouts"));
        write("hollow/a.csv", "");
        assertTrue(mistake(UserMistake.class, "hollow").contains("only empty files"));
        write("fields/a.jsonl", "[1]\n");
        assertTrue(mistake(BadData.class, "fields").contains("this is one array"));
        write("fields/a.jsonl", "7\n");
        assertTrue(mistake(BadData.class, "fields").contains("a.jsonl:1: expected a JSON object"));
        write("fields/a.jsonl", "{}\n");
        assertTrue(mistake(BadData.class, "fields").contains("no columns were found"));
    }

    @Test
    void typesWidenUntilTheyFitAllSamples() throws IOException {
        write("d/a.csv", "a,b,c,d,e,f\n1,1,x,2031-03-04,007,\n");
        write("d/b.csv", "a,b,c,d,e,f\n99999999999,1.5,2,2031-03-04 05:06,8,\n");
        assertEquals(
                "(a long, b decimal(18, 1), c text, d timestamp, e text, f text)",
                open("d").schema().toString());
    }

    @Test
    void declarationsSayWhatCannotBeSeen() throws IOException {
        write("scans/day=2031-03-01/a.jsonl", "{\"device\":{\"id\":\"S1\"},\"n\":1}\n");
        write("points.csv", "a;b\n1;2\n");
        write("datasets.yaml", """
                datasets:
                  events:
                    location: scans
                    format: json
                    columns:
                      - {name: device, type: text, path: device.id}
                      - {name: n, type: "decimal(9, 2)"}
                    partitions:
                      - {name: day, type: text}
                  points:
                    location: points.csv
                    options: {delimiter: ";"}
                """);
        Catalog catalog = Catalog.ofFolder(root);
        assertEquals(List.of("points", "scans", "events"), catalog.names());
        Dataset events = Dataset.open(catalog.find("EVENTS"), new Formats());
        assertEquals("(device text, n decimal(9, 2), day text)", events.schema().toString());
        Dataset points = Dataset.open(catalog.find("points"), new Formats());
        assertEquals(
                List.of(Field.of("a", DataType.INT), Field.of("b", DataType.INT)),
                points.schema().fields());
        UserMistake near = assertThrows(UserMistake.class, () -> catalog.find("event"));
        assertEquals("there is no dataset event; did you mean events?", near.getMessage());
    }

    @Test
    void mistakesInDeclarationsAreNamed() throws IOException {
        String[][] cases = {
            {"datasets: [", "datasets.yaml:1"},
            {"sets: {}", "unknown entry sets"},
            {"datasets: {a: {lokation: x}}", "dataset a has an unknown entry lokation; did you mean location?"},
            {"datasets: {a: {columns: [{name: x, type: integr}]}}", "unknown type integr"},
            {"datasets: {a: {columns: x}}", "needs a list"},
            {"datasets: {a: {options: {delimiter: abc}}}", "option delimiter needs one character"},
        };
        for (String[] c : cases) {
            write("datasets.yaml", c[0]);
            UserMistake e =
                    assertThrows(UserMistake.class, () -> Catalog.ofFolder(root).find("a"), c[0]);
            assertTrue(e.getMessage().contains(c[1]), e.getMessage());
        }
    }

    @Test
    void aConditionThatNoPartitionFulfilsIsSaid() throws IOException {
        write("d/day=2031-03-01/a.csv", "x\n1\n");
        write("d/day=2031-03-09/a.csv", "x\n1\n");
        Dataset d = open("d");
        Expression day = new ColumnRef(1, "day", DataType.DATE);
        Expression may = Operators.compare("=", day, new Literal(LocalDate.of(2031, 5, 1), DataType.DATE));
        assertEquals(
                List.of(
                        "no partition of d fulfils day = date '2031-05-01'; there are 2, from day=2031-03-01 to day=2031-03-09"),
                scan(d, 1 << 20, may).warnings());
        Expression march = Operators.compare("=", day, new Literal(LocalDate.of(2031, 3, 1), DataType.DATE));
        assertEquals(List.of(), scan(d, 1 << 20, march).warnings());
    }

    @Test
    void twoColumnsOfOneNameAreRefused() throws IOException {
        write("twice.csv", "id,kind,ID\n1,a,2\n");
        String message = mistake(BadData.class, "twice.csv");
        assertTrue(message.contains("twice.csv:1: two columns are called ID"), message);
        write("blank.csv", "id,,\n1,a,2\n");
        assertEquals(
                "(id int, column_2 text, column_3 int)",
                open("blank.csv").schema().toString());
    }

    @Test
    void aFirstLineThatIsDataIsNotTakenForNames() throws IOException {
        write("data.csv", "4711,2031-03-01,express\n4712,2031-03-02,standard\n");
        String message = mistake(BadData.class, "data.csv");
        assertTrue(message.contains("the first line looks like data") && message.contains("header"), message);
        assertEquals(
                "(column_1 int, column_2 date, column_3 text)",
                open("data.csv", Map.of("header", "false")).schema().toString());
        assertEquals(
                "(4711 int, 2031-03-01 date, express text)",
                open("data.csv", Map.of("header", "true")).schema().toString());
        write("years.csv", "depot,2030,2031\nD01,5,6\n");
        assertEquals(
                "(depot text, 2030 int, 2031 int)", open("years.csv").schema().toString());
        write("names.csv", "a,b\nx,y\n");
        assertEquals("(a text, b text)", open("names.csv").schema().toString());
    }

    private Dataset open(String name, Map<String, String> options) {
        return Dataset.open(DatasetSpec.of(name, root.resolve(name)).with(FormatOptions.of(options)), new Formats());
    }

    @Test
    void delimitersOtherThanCommasAreFound() throws IOException {
        for (String delimiter : new String[] {"\t", ";", "|", ","}) {
            String name = "d" + (int) delimiter.charAt(0) + (delimiter.equals("\t") ? ".tsv" : ".csv");
            write(name, "id,kind,weight\n1,a,2.5\n".replace(",", delimiter));
            assertEquals(
                    "(id int, kind text, weight decimal(18, 1))",
                    open(name).schema().toString(),
                    name);
        }
        write("one.csv", "id\n1\n");
        assertEquals("(id int)", open("one.csv").schema().toString());
        assertEquals(
                "(id;kind text)",
                open("d59.csv", Map.of("delimiter", "|")).schema().toString().replace(";weight", ""));
    }

    @Test
    void aDeclaredColumnThatNoFileHasIsSaid() throws IOException {
        write("d/a.csv", "id,kind\n1,a\n");
        write("d/b.csv", "id,weight_g\n1,5\n");
        DatasetSpec spec = new DatasetSpec(
                "d",
                List.of(Location.of(root.resolve("d"))),
                Optional.empty(),
                FormatOptions.DEFAULTS,
                Optional.of(List.of(ColumnSpec.of("id", DataType.INT), ColumnSpec.of("wieght_g", DataType.INT))),
                List.of());
        UserMistake e = assertThrows(UserMistake.class, () -> Dataset.open(spec, new Formats()));
        assertTrue(
                e.getMessage().contains("wieght_g is declared and in none of its files; did you mean weight_g?"),
                e.getMessage());
    }

    @Test
    void aColumnOfOneFileOfManyIsFound() throws IOException {
        for (int i = 0; i < 200; i++) {
            write("many/f" + i + ".csv", i == 77 ? "id,late\n1,2031-03-01\n" : "id\n" + i + "\n");
        }
        assertEquals("(id int, late date)", open("many").schema().toString());
    }

    @Test
    void postcodesInFolderNamesStayText() throws IOException {
        write("p/postcode=01067/a.csv", "x\n1\n");
        write("p/postcode=22904/a.csv", "x\n1\n");
        assertEquals("(x int, postcode text)", open("p").schema().toString());
    }

    @Test
    void aFieldThatNoSampleHasIsTold() throws IOException {
        write("late.jsonl", "{\"id\": 1, \"kind\": \"a\"}\n".repeat(2_000) + "{\"id\": 2, \"late\": 7}\n");
        Dataset d = open("late.jsonl");
        assertEquals("(id int, kind text)", d.schema().toString());
        Lenient context = new Lenient();
        int rows = 0;
        for (Split split :
                d.plan(new ScanRequest(List.of(0), List.of(), 1 << 20)).splits()) {
            try (BatchReader reader = split.open(context)) {
                for (Batch batch = reader.next(); batch != null; batch = reader.next()) {
                    rows += batch.rowCount();
                }
            }
        }
        assertEquals(2_001, rows);
        assertEquals(1, context.warnings.size(), context.warnings.toString());
        assertTrue(context.warnings.get(0).startsWith("field late is in some records"), context.warnings.get(0));
        for (int i = 0; i < 150; i++) {
            write("many/f" + i + ".jsonl", i == 77 ? "{\"id\": 1, \"rare\": true}\n" : "{\"id\": 1}\n");
        }
        assertEquals("(id int, rare boolean)", open("many").schema().toString());
    }

    @Test
    void oneMoreOptionLeavesTheOthersAsTheyWere() {
        FormatOptions declared = FormatOptions.of(Map.of("delimiter", ";", "null_text", "-"));
        FormatOptions read = declared.with(Map.of("header", "false"));
        assertEquals(';', read.delimiter());
        assertEquals(List.of("-"), read.nullTexts());
        assertEquals(false, read.header());
        assertTrue(read.says(FormatOption.DELIMITER) && read.says(FormatOption.HEADER));
        assertEquals(declared, declared.with(Map.of()));
    }
}
