package org.unimeros.storage.format.json;

import static org.junit.jupiter.api.Assertions.assertEquals;

import java.io.IOException;
import java.math.BigDecimal;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalTime;
import java.util.Arrays;
import java.util.List;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.Bytes;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.Values;
import org.unimeros.storage.format.FileWriter;
import org.unimeros.storage.format.FormatOptions;
import org.unimeros.storage.store.StorePath;

/** The lines that are written, byte by byte. */
class JsonWritingTest {

    @TempDir
    Path folder;

    private String written(List<String> columns, List<List<Object>> rows, int rowsPerBatch) throws IOException {
        Schema schema = new Schema(columns.stream()
                .map(c -> Field.of(c.substring(0, c.indexOf(' ')), DataType.parse(c.substring(c.indexOf(' ') + 1))))
                .toList());
        Path file = folder.resolve("scans.jsonl");
        try (FileWriter writer = new JsonLinesFormat().write(StorePath.of(file), schema, FormatOptions.DEFAULTS)) {
            BatchBuilder batch = new BatchBuilder(schema);
            for (int i = 0; i < rows.size(); i++) {
                for (int c = 0; c < schema.size(); c++) {
                    Values.append(batch.column(c), rows.get(i).get(c));
                }
                batch.endRow();
                if (batch.rowCount() == rowsPerBatch || i == rows.size() - 1) {
                    writer.write(batch.build());
                }
            }
            assertEquals(writer.finish(), Files.size(file));
        }
        return Files.readString(file);
    }

    @Test
    void valuesOfEveryTypeAreWrittenAsTheyAreReadAgain() throws IOException {
        Stream.of(
                        new Object[] {"boolean", true, "true"},
                        new Object[] {"int", Integer.MIN_VALUE, "-2147483648"},
                        new Object[] {"long", Long.MAX_VALUE, "9223372036854775807"},
                        new Object[] {"float", 0.1f, "0.1"},
                        new Object[] {"double", 1e300, "1.0E300"},
                        new Object[] {"double", Double.NaN, "\"NaN\""},
                        new Object[] {"decimal(8, 2)", new BigDecimal("-0.05"), "-0.05"},
                        new Object[] {"decimal(30, 3)", new BigDecimal("123456789012345678901.250"), null},
                        new Object[] {"text", "Übergröße 😀", "\"Übergröße 😀\""},
                        new Object[] {"text", "a\"b\\c/d\n\t\u0001\u007f", "\"a\\\"b\\\\c/d\\n\\t\\u0001\u007f\""},
                        new Object[] {"text", "", "\"\""},
                        new Object[] {"bytes", Bytes.of((byte) 0, (byte) -1), "\"00ff\""},
                        new Object[] {"date", LocalDate.of(2031, 3, 4), "\"2031-03-04\""},
                        new Object[] {"time", LocalTime.of(6, 5), "\"06:05:00\""},
                        new Object[] {"timestamp", Instant.parse("1969-12-31T23:59:59.5Z"), "\"1969-12-31 23:59:59.5\""
                        },
                        new Object[] {"int[]", Arrays.asList(1, null), "[1,null]"})
                .forEach(c -> {
                    try {
                        List<List<Object>> row = List.of(List.of(c[1]));
                        String value = c[2] == null ? c[1].toString() : (String) c[2];
                        assertEquals("{\"v\":" + value + "}\n", written(List.of("v " + c[0]), row, 1), "" + c[0]);
                    } catch (IOException e) {
                        throw new AssertionError(e);
                    }
                });
    }

    @Test
    void dottedNamesAreObjectsAndNullsAreLeftOut() throws IOException {
        List<String> columns = List.of(
                "depot.id int", "kind.x int", "depot.place.name text", "kind text", ".y int", "depot.place.rack long");
        List<List<Object>> rows = List.of(
                List.of(1, 2, "Nord", "load", 3, 4L),
                Arrays.asList(null, null, null, null, null, null),
                Arrays.asList(5, null, null, null, null, 6L));
        String lines = """
                {"depot":{"id":1,"place":{"name":"Nord","rack":4}},"kind.x":2,"kind":"load",".y":3}
                {"depot":{"place":{}}}
                {"depot":{"id":5,"place":{"rack":6}}}
                """;
        for (int rowsPerBatch = 1; rowsPerBatch < 4; rowsPerBatch++) {
            assertEquals(lines, written(columns, rows, rowsPerBatch));
        }
    }

    @Test
    void noRowsAreAnEmptyFile() throws IOException {
        assertEquals("", written(List.of("n int"), List.of(), 1));
    }
}
