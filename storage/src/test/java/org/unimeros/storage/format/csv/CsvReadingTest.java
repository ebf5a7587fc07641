package org.unimeros.storage.format.csv;

import static java.nio.charset.StandardCharsets.UTF_8;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.source.ReadContext;
import org.unimeros.storage.format.ColumnSpec;
import org.unimeros.storage.format.DataFile;
import org.unimeros.storage.format.FormatOptions;
import org.unimeros.storage.format.Lenient;
import org.unimeros.storage.format.Piece;
import org.unimeros.storage.format.ReadRows;
import org.unimeros.storage.store.StorePath;

class CsvReadingTest {

    private static final String[] PARTS = {
        "depot",
        "Übergröße",
        "\"",
        "\"\"",
        "\n",
        "\r\n",
        "€",
        "😀",
        ",",
        ";",
        "§",
        " ",
        "NA",
        "nö",
        "0",
        "12.50",
        "x".repeat(70)
    };

    @TempDir
    Path folder;

    private final CsvFormat csv = new CsvFormat();

    private DataFile file(byte[] bytes) throws IOException {
        Path path = folder.resolve("scans.csv");
        Files.write(path, bytes);
        return new DataFile(StorePath.of(path), bytes.length, 1);
    }

    private DataFile file(String text) throws IOException {
        return file(text.getBytes(UTF_8));
    }

    private List<List<Object>> read(Piece piece, List<ColumnSpec> columns, FormatOptions options, ReadContext context) {
        return ReadRows.of(csv, piece, columns, options, context);
    }

    private static List<ColumnSpec> texts(String... names) {
        return Stream.of(names).map(n -> ColumnSpec.of(n, DataType.TEXT)).toList();
    }

    /** Any texts, with any delimiter and null text, quoted where that is needed and sometimes where it is not. */
    @ParameterizedTest
    @ValueSource(strings = {",", ";", "\t", "§", "€", "|"})
    void fieldsAreReadAsTheyWereWritten(String delimiter) throws IOException {
        for (int seed = 0; seed < 12; seed++) {
            Random random = new Random(seed);
            String nullText = seed % 3 == 0 ? "NA" : seed % 3 == 1 ? "" : "nö";
            String lineEnd = random.nextBoolean() ? "\n" : "\r\n";
            StringBuilder text = new StringBuilder("a" + delimiter + "b" + delimiter + "ç" + lineEnd);
            List<List<Object>> expected = new ArrayList<>();
            // Several times what is read at once, so that characters and records are cut everywhere.
            for (int i = 0; i < 6000; i++) {
                List<Object> row = new ArrayList<>();
                for (int c = 0; c < 3; c++) {
                    row.add(append(text, c == 0 ? "" : delimiter, delimiter, nullText, random));
                }
                expected.add(row);
                text.append(i == 5999 && random.nextBoolean() ? "" : lineEnd);
                text.append(random.nextInt(50) == 0 && i < 5999 ? lineEnd : "");
            }
            FormatOptions options = FormatOptions.of(Map.of("delimiter", delimiter, "null_text", nullText));
            Piece whole = Piece.whole(file(text.toString()));
            assertEquals(expected, read(whole, texts("a", "b", "ç"), options, ReadContext.STRICT), "seed " + seed);
            List<List<Object>> turned = expected.stream()
                    .map(row -> Arrays.asList(row.get(2), row.get(0)))
                    .toList();
            assertEquals(turned, read(whole, texts("ç", "A"), options, ReadContext.STRICT), "seed " + seed);
        }
    }

    private static String append(StringBuilder text, String before, String delimiter, String nullText, Random random) {
        text.append(before);
        if (random.nextInt(8) == 0) {
            text.append(random.nextBoolean() ? nullText : "");
            return null;
        }
        StringBuilder made = new StringBuilder();
        for (int n = random.nextInt(4); n > 0; n--) {
            made.append(PARTS[random.nextInt(PARTS.length)]);
        }
        String value = made.toString();
        boolean needsQuotes = value.isEmpty()
                || value.equals(nullText)
                || Stream.of(delimiter, "\"", "\n", "\r").anyMatch(value::contains);
        if (needsQuotes || random.nextInt(4) == 0) {
            text.append('"').append(value.replace("\"", "\"\"")).append('"');
        } else {
            text.append(value);
        }
        return value;
    }

    @Test
    void recordsThatDoNotFitAreToldInOrderAndTheOthersAreRead() throws IOException {
        StringBuilder text = new StringBuilder("scan;depot;weight;day\n");
        List<List<Object>> expected = new ArrayList<>();
        List<String> raw = new ArrayList<>();
        List<String> places = new ArrayList<>();
        Random random = new Random(7);
        for (int i = 0; i < 20_000; i++) {
            boolean allBad = i >= 5000 && i < 10_000;
            int kind = allBad ? 1 + i % 4 : random.nextInt(200);
            String line = switch (kind) {
                case 1 -> i + ";\"Köln;Süd\";ten;2031-03-02";
                case 2 -> i + ";D1;10";
                case 3 -> i + ";D1;10;2031-02-30";
                case 4 -> i + ";\"a \"\"b\"\"\";10;2031-03-02;€";
                default -> i + ";D" + i % 90 + ";" + i % 70 + ";2031-03-02";
            };
            text.append(line).append('\n');
            if (kind >= 1 && kind <= 4) {
                raw.add(line);
                places.add(":" + (i + 2) + ": ");
            } else {
                expected.add(List.of((long) i, "D" + i % 90, i % 70, java.time.LocalDate.of(2031, 3, 2)));
            }
        }
        List<ColumnSpec> columns = List.of(
                ColumnSpec.of("scan", DataType.LONG),
                ColumnSpec.of("depot", DataType.TEXT),
                ColumnSpec.of("weight", DataType.INT),
                ColumnSpec.of("day", DataType.DATE));
        Lenient context = new Lenient();
        Piece whole = Piece.whole(file(text.toString()));
        FormatOptions options = FormatOptions.of(Map.of("delimiter", ";"));
        assertEquals(expected, read(whole, columns, options, context));
        assertEquals(raw, context.raw);
        for (int i = 0; i < places.size(); i++) {
            assertTrue(context.problems.get(i).contains(places.get(i)), context.problems.get(i));
        }
        assertTrue(context.problems.stream().anyMatch(p -> p.contains("weight is int, but the value is 'ten'")));
        assertTrue(context.problems.stream().anyMatch(p -> p.contains("day is date, but the value is '2031-02-30'")));
        assertTrue(context.problems.stream().anyMatch(p -> p.contains("found 3 fields, but the file has 4 columns")));
        BadData first = assertThrows(BadData.class, () -> read(whole, columns, options, ReadContext.STRICT));
        assertEquals(context.problems.get(0), first.getMessage());
    }

    @Test
    void whatIsWrongFurtherUpIsToldFirst() throws IOException {
        DataFile file = file("scan,depot\n1,a\nx,b\n3,\"c\" d\n");
        List<ColumnSpec> columns = List.of(ColumnSpec.of("scan", DataType.INT));
        BadData e = assertThrows(
                BadData.class, () -> read(Piece.whole(file), columns, FormatOptions.DEFAULTS, ReadContext.STRICT));
        assertTrue(e.getMessage().contains(":3: column scan is int, but the value is 'x'"), e.getMessage());
        Lenient context = new Lenient();
        BadData later =
                assertThrows(BadData.class, () -> read(Piece.whole(file), columns, FormatOptions.DEFAULTS, context));
        assertTrue(later.getMessage().contains("near line 4: "), later.getMessage());
        assertEquals(List.of("x,b"), context.raw);
    }

    @Test
    void bytesThatAreNoCharactersAreFoundWhereverTheyStand() throws IOException {
        byte[][] wrong = {
            {(byte) 0xE4}, {(byte) 0xC3}, {(byte) 0xE2, (byte) 0x82}, {(byte) 0xFF}, {(byte) 0xC0, (byte) 0x80}
        };
        for (byte[] bytes : wrong) {
            for (int before : new int[] {0, 100, 65_530, 65_533, 65_535, 200_000}) {
                String start = "scan,depot\n" + "1,ä\n".repeat(before / 5) + "2," + "x".repeat(before % 5);
                byte[] head = start.getBytes(UTF_8);
                for (String behind : List.of("", "\n", ",\n3,c\n")) {
                    byte[] all = Arrays.copyOf(head, head.length + bytes.length + behind.length());
                    System.arraycopy(bytes, 0, all, head.length, bytes.length);
                    System.arraycopy(behind.getBytes(UTF_8), 0, all, head.length + bytes.length, behind.length());
                    Piece whole = Piece.whole(file(all));
                    BadData e = assertThrows(
                            BadData.class,
                            () -> read(whole, texts("scan"), FormatOptions.DEFAULTS, ReadContext.STRICT));
                    assertTrue(e.getMessage().contains("is not UTF-8 text"), e.getMessage());
                }
            }
        }
    }

    @Test
    void aFieldMayBeLargerThanWhatIsReadAtOnce() throws IOException {
        String large = "Straße ".repeat(60_000);
        DataFile file = file("scan,depot\n1,a\n2,\"" + large + "\n\"\"\"\n3," + large + "\n4,d");
        assertEquals(
                List.of(List.of("a"), List.of(large + "\n\""), List.of(large), List.of("d")),
                read(Piece.whole(file), texts("depot"), FormatOptions.DEFAULTS, ReadContext.STRICT));
    }

    @Test
    void manyColumnsMakeSmallerBatchesAndTheSameRows() throws IOException {
        int width = 9000;
        StringBuilder text = new StringBuilder();
        for (int row = 0; row < 200; row++) {
            for (int c = 0; c < width; c++) {
                text.append(c == 0 ? "" : ",").append(row * c % 1000);
            }
            text.append('\n');
        }
        FormatOptions options = FormatOptions.of(Map.of("header", "false"));
        List<ColumnSpec> columns =
                List.of(ColumnSpec.of("column_" + width, DataType.INT), ColumnSpec.of("column_3", DataType.TEXT));
        List<List<Object>> rows = read(Piece.whole(file(text.toString())), columns, options, ReadContext.STRICT);
        assertEquals(200, rows.size());
        for (int row = 0; row < 200; row++) {
            assertEquals(List.of(row * (width - 1) % 1000, String.valueOf(row * 2 % 1000)), rows.get(row));
        }
    }

    @Test
    void filesWithoutRecordsHaveNoRows() throws IOException {
        for (String text : List.of("", "\n", "scan,depot", "scan,depot\n", "\n\nscan,depot\n\n\n", "\uFEFF")) {
            Piece whole = Piece.whole(file(text));
            assertEquals(List.of(), read(whole, texts("depot"), FormatOptions.DEFAULTS, ReadContext.STRICT));
            assertEquals(List.of(), read(whole, List.of(), FormatOptions.DEFAULTS, ReadContext.STRICT));
        }
        DataFile blank = file("\n\n");
        assertEquals(
                List.of(), csv.infer(List.of(blank), FormatOptions.DEFAULTS).columns());
    }
}
