package org.unimeros.storage.format.json;

import static java.nio.charset.StandardCharsets.ISO_8859_1;
import static java.nio.charset.StandardCharsets.UTF_8;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.math.BigDecimal;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Instant;
import java.time.LocalDate;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Collections;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.source.ReadContext;
import org.unimeros.storage.format.ColumnSpec;
import org.unimeros.storage.format.DataFile;
import org.unimeros.storage.format.Format;
import org.unimeros.storage.format.FormatOptions;
import org.unimeros.storage.format.Lenient;
import org.unimeros.storage.format.Piece;
import org.unimeros.storage.format.ReadRows;
import org.unimeros.storage.store.StorePath;

class JsonReadingTest {

    private static final List<ColumnSpec> COLUMNS = Stream.of(
                    "depot text",
                    "kg double",
                    "day date",
                    "n int",
                    "at timestamp",
                    "fee decimal(8, 2)",
                    "isLate boolean",
                    "scan_id long",
                    "tags text[]",
                    "share float")
            .map(c -> ColumnSpec.of(c.substring(0, c.indexOf(' ')), DataType.parse(c.substring(c.indexOf(' ') + 1))))
            .toList();

    private static final String[] PARTS = {
        "depot", "Übergröße", "\"", "\\", "\n", "€", "😀", "{", "}", " ", "/", "\u0007", ""
    };

    /** Fields that nobody asks for. */
    private static final String[] OTHERS = {
        "{\"a\": [1, {\"depot\": \"x\"}], \"b\": null}",
        "[]",
        "-1.5e3",
        "\"}\\\"{\"",
        "true",
        "null",
        "\"" + "y".repeat(90) + "\""
    };

    @TempDir
    Path folder;

    private int files;

    private Piece file(byte[] bytes) throws IOException {
        Path path = folder.resolve("scans-" + files++ + ".jsonl");
        Files.write(path, bytes);
        return Piece.whole(new DataFile(StorePath.of(path), bytes.length, 1));
    }

    private Piece file(String... lines) throws IOException {
        return file((String.join("\n", lines) + "\n").getBytes(UTF_8));
    }

    private static List<List<Object>> read(Piece piece, List<ColumnSpec> columns, ReadContext context) {
        return ReadRows.of(new JsonLinesFormat(), piece, columns, FormatOptions.DEFAULTS, context);
    }

    /** Fields in any order, absent, null, repeated, among others, in every way to write a value; files of several buffers, whole and cut. */
    @Test
    void recordsAreReadAsTheyWereWritten() throws IOException {
        for (int seed = 0; seed < 6; seed++) {
            Random random = new Random(seed);
            StringBuilder text = new StringBuilder();
            List<List<Object>> expected = new ArrayList<>();
            for (int i = 0; i < 5000; i++) {
                List<Object> row = new ArrayList<>();
                text.append(line(random, seed % 2 == 0 ? 20 : 2, row));
                text.append(i == 4999 && seed < 3 ? "" : random.nextInt(9) == 0 ? " \t\r\n" : "\n");
                text.append(random.nextInt(30) == 0 && i < 4999 ? " \n\n" : "");
                expected.add(row);
            }
            Piece whole = file(text.toString().getBytes(UTF_8));
            assertEquals(expected, read(whole, COLUMNS, ReadContext.STRICT), "seed " + seed);

            List<ColumnSpec> turned = new ArrayList<>(COLUMNS);
            Collections.reverse(turned);
            List<List<Object>> cut = new ArrayList<>();
            long start = 0;
            while (start < whole.end()) {
                long end = Math.min(whole.end(), start + 1 + random.nextInt(200_000));
                cut.addAll(read(new Piece(whole.file(), start, end), turned, ReadContext.STRICT));
                start = end;
            }
            expected.forEach(Collections::reverse);
            assertEquals(expected, cut, "seed " + seed);
        }
    }

    /** @param sameOrder of so many records, one has its fields in another order than most */
    private static String line(Random random, int sameOrder, List<Object> row) {
        Map<String, String> fields = new LinkedHashMap<>();
        for (int c = 0; c < COLUMNS.size(); c++) {
            row.add(null);
            if (random.nextInt(12) > 0) {
                fields.put(COLUMNS.get(c).name(), random.nextInt(12) == 0 ? "null" : value(random, c, row));
            }
        }
        List<String> written = new ArrayList<>();
        fields.forEach((name, value) -> written.add("\"" + name + "\":" + value));
        for (int other = 0; other < 3; other++) {
            written.add("\"other" + other + "\" : " + OTHERS[random.nextInt(OTHERS.length)]);
        }
        if (random.nextInt(sameOrder) == 0) {
            Collections.shuffle(written, random);
        }
        // Of a repeated field the first counts, whatever the others are.
        fields.keySet().stream().limit(random.nextInt(2)).forEach(name -> written.add("\"" + name + "\": \"again\""));
        return random.nextBoolean()
                ? "{" + String.join(",", written) + "}"
                : "  { " + String.join(" ,\t", written) + " } ";
    }

    /** Sets the value of a column, and returns how it is written. */
    private static String value(Random random, int c, List<Object> row) {
        int whole = random.nextInt(2000) - 1000;
        String cents = whole / 100 + "." + (10 + Math.abs(whole % 89));
        return switch (COLUMNS.get(c).name()) {
            case "depot" -> text(random, c, row);
            case "kg" -> set(row, c, whole / 8.0, whole / 8.0 + (random.nextBoolean() ? "" : "e0"));
            case "day" -> {
                LocalDate day = LocalDate.of(2031, 3, 1).plusDays(whole);
                yield set(row, c, day, "\"" + day + "\"");
            }
            case "n" -> set(row, c, whole, random.nextBoolean() ? whole + "" : "\" " + whole + "\"");
            case "at" -> {
                Instant at = Instant.ofEpochSecond(1_930_000_000L + whole);
                yield set(row, c, at, "\"" + at + "\"");
            }
            case "fee" -> set(row, c, new BigDecimal(cents), random.nextBoolean() ? cents : "\"" + cents + "\"");
            case "isLate" -> set(row, c, whole > 0, whole > 0 ? "true" : "\"no\"");
            case "scan_id" -> set(row, c, Long.MAX_VALUE + whole - 1000, Long.MAX_VALUE + whole - 1000 + "");
            case "tags" -> set(row, c, Arrays.asList("a", null, "ß"), "[\"a\", null, \"\\u00df\"]");
            default -> set(row, c, whole / 4f, whole / 4f + "");
        };
    }

    private static String set(List<Object> row, int column, Object value, String written) {
        row.set(column, value);
        return written;
    }

    /** Text with some characters escaped that need not be; also numbers, truth values and objects as they are written. */
    private static String text(Random random, int c, List<Object> row) {
        if (random.nextInt(6) == 0) {
            String other =
                    List.of("12.50", "-7", "true", "[1,\"x\"]", "{\"a\":null}").get(random.nextInt(5));
            return set(row, c, other, other);
        }
        StringBuilder value = new StringBuilder();
        for (int n = random.nextInt(4); n > 0; n--) {
            value.append(PARTS[random.nextInt(PARTS.length)]);
        }
        StringBuilder written = new StringBuilder("\"");
        value.codePoints().mapToObj(Character::toString).forEach(ch -> {
            if (ch.charAt(0) < ' ' || random.nextInt(8) == 0) {
                ch.chars().forEach(unit -> written.append(String.format("\\u%04x", unit)));
            } else {
                written.append(ch.equals("\"") || ch.equals("\\") ? "\\" : "").append(ch);
            }
        });
        return set(row, c, value.toString(), written.append('"').toString());
    }

    /** Lines with any bytes changed are read, or told of, as if each stood in a file by itself. */
    @Test
    void damagedLinesHarmNoOthers() throws IOException {
        for (int seed = 0; seed < 8; seed++) {
            Random random = new Random(seed);
            StringBuilder text = new StringBuilder();
            for (int i = 0; i < 150; i++) {
                text.append(line(random, 5, new ArrayList<>())).append('\n');
            }
            byte[] bytes = text.toString().getBytes(UTF_8);
            byte[] put = "\n\r\"{}[],:\\0e.\u0000\u00ff\u00c3 ".getBytes(ISO_8859_1);
            for (int i = 0; i < 120; i++) {
                bytes[random.nextInt(bytes.length)] = put[random.nextInt(put.length)];
            }
            Lenient expected = new Lenient(true);
            List<List<Object>> rows = new ArrayList<>();
            int number = 0;
            for (String line : new String(bytes, ISO_8859_1).split("\n")) {
                number++;
                Piece alone = file(line.getBytes(ISO_8859_1));
                Lenient noted = new Lenient(true);
                rows.addAll(read(alone, COLUMNS, noted));
                for (String problem : noted.problems) {
                    expected.problems.add(problem.replace(alone.file() + ":1:", "line " + number + ":"));
                }
                expected.raw.addAll(noted.raw);
            }
            Piece all = file(bytes);
            Lenient noted = new Lenient(true);

            assertEquals(rows, read(all, COLUMNS, noted), "seed " + seed);

            noted.problems.replaceAll(p -> p.replace(all.file() + ":", "line "));
            assertEquals(expected.problems, noted.problems, "seed " + seed);
            assertEquals(expected.raw, noted.raw, "seed " + seed);
            assertTrue(rows.size() > 20 && noted.problems.size() > 20, rows.size() + " " + noted.problems.size());
        }
    }

    @Test
    void whatIsWrongIsToldInTheOrderOfLines() throws IOException {
        Piece file = file(
                "{\"depot\": \"D1\", \"fee\": 1}",
                "{\"depot\": \"D2\", \"day\": \"3 March\"}",
                "{\"depot\": \"D3\"",
                ", \"n\": 1}",
                "{\"depot\": \"D4\", \"fee\": 12345678.5}",
                "{\"depot\": \"D5\"} {\"depot\": \"D6\"}",
                "\ufeff{\"depot\": \"D7\"}",
                "[1]",
                "{\"depot\": \"D8\", \"day\": 4, \"kg\": \"heavy\"}",
                "{\"depot\": \"D9\", \"kg\": \"heavy\", \"fee\": \"dear\"}",
                "{\"depot\": \"D10\", \"n\": 1.5, \"fee\": \"x\"}",
                "{\"depot\": \"D11\", \"kg\": \"0.5\"}");
        List<ColumnSpec> columns = COLUMNS.subList(0, 6);
        for (boolean keeps : new boolean[] {false, true}) {
            Lenient noted = new Lenient(keeps);
            List<List<Object>> rows = read(file, columns, noted);
            assertEquals(
                    List.of("D1", "D7", "D11"), rows.stream().map(r -> r.get(0)).toList());
            assertEquals(new BigDecimal("1.00"), rows.get(0).get(5));
            assertEquals(0.5, rows.get(2).get(1));
            assertEquals(
                    List.of(
                            "2: column day is date, but the value is '3 March'",
                            "3: broken JSON at column 15: Unexpected end-of-input: expected close marker for Object",
                            "4: broken JSON at column 1: Unexpected character (',' (code 44)): expected a value",
                            "5: column fee is decimal(8, 2), but the value is 12345678.5",
                            "6: expected one JSON object per line, but found { behind it",
                            "8: expected a JSON object, but the line starts with [",
                            "9: column day is date, but the value is 4",
                            "10: column kg is double, but the value is 'heavy'",
                            "11: column n is int, but the value is 1.5"),
                    noted.told(file.file()));
            assertEquals(keeps ? "{\"depot\": \"D3\"" : "", noted.raw.get(1));
        }
        BadData first = assertThrows(BadData.class, () -> read(file, columns, ReadContext.STRICT));
        assertTrue(first.getMessage().contains(":2: column day"), first.getMessage());
    }

    /** The parser goes on from line to line, so what it holds must not be what was read over. */
    @Test
    void linesThatAreLongerThanTheBufferAreRead() throws IOException {
        String[] lines = new String[40];
        List<List<Object>> expected = new ArrayList<>();
        for (int i = 0; i < lines.length; i++) {
            String depot = String.valueOf((char) ('a' + i % 26)).repeat(i % 3 == 0 ? 700_000 : i);
            lines[i] = "{\"n\": " + i + ", \"depot\": \"" + depot + "\", \"day\": \"2031-03-" + (10 + i % 20) + "\"}";
            expected.add(List.of(depot, i, LocalDate.of(2031, 3, 10 + i % 20)));
        }
        List<ColumnSpec> columns = List.of(COLUMNS.get(0), COLUMNS.get(3), COLUMNS.get(2));
        assertEquals(expected, read(file(lines), columns, ReadContext.STRICT));
    }

    /** A parser has limits of its own, which are not those of a line. */
    @Test
    void aTextOfManyMillionsOfBytesIsInferredAndRead() throws IOException {
        String depot = "d".repeat(21_000_000);
        Piece piece = file(
                "{\"" + "n".repeat(60_000) + "\": 1, \"depot\": \"" + depot + "\", \"n\": " + "9".repeat(1_100) + "}");
        Format.Inferred found = new JsonLinesFormat().infer(List.of(piece.file()), FormatOptions.DEFAULTS);
        assertEquals(
                List.of(60_000, 5, 1),
                found.columns().stream().map(c -> c.name().length()).toList());
        assertEquals(List.of(List.of(depot)), read(piece, List.of(COLUMNS.get(0)), ReadContext.STRICT));
    }

    @Test
    void recordsOfWhichNothingIsWantedAreCounted() throws IOException {
        Lenient noted = new Lenient(false);
        assertEquals(List.of(List.of(), List.of()), read(file("{\"n\": 1}", "", "{}", "{"), List.of(), noted));
        assertEquals(1, noted.problems.size());
    }
}
