package org.unimeros.storage.format;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.IOException;
import java.math.BigDecimal;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalTime;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.MethodSource;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.Bytes;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.source.BatchReader;
import org.unimeros.engine.source.ReadContext;
import org.unimeros.storage.dataset.Formats;
import org.unimeros.storage.store.StorePath;

/** What every format that holds typed columns must do. */
class FormatContractTest {

    private static final Schema SCHEMA = Schema.of(
            Field.of("truth", DataType.BOOLEAN),
            Field.of("small", DataType.INT),
            Field.of("large", DataType.LONG),
            Field.of("ratio", DataType.DOUBLE),
            Field.of("price", new DataType.Decimal(18, 3)),
            Field.of("name", DataType.TEXT),
            Field.of("day", DataType.DATE),
            Field.of("at", DataType.TIMESTAMP),
            Field.of("sum", new DataType.Decimal(38, 6)),
            Field.of("single", DataType.FLOAT),
            Field.of("raw", DataType.BYTES),
            Field.of("clock", DataType.TIME),
            Field.of("codes", DataType.parse("int[]")),
            Field.of("device", DataType.parse("struct(model text, battery double, seen timestamp)")),
            Field.of("stops", DataType.parse("struct(depot text, weights decimal(20, 2)[], scans struct(n int)[])[]")));

    private static final Object[][] CORNERS = {
        {true, 0, 0L, 0.0, new BigDecimal("0.000"), "", LocalDate.EPOCH, Instant.EPOCH},
        {null, null, null, null, null, null, null, null},
        {
            false,
            Integer.MAX_VALUE,
            Long.MAX_VALUE,
            Double.MAX_VALUE,
            new BigDecimal("999999999999999.999"),
            "a,\"b\"\nc\td",
            LocalDate.of(9999, 12, 31),
            Instant.parse("2031-03-04T05:06:07.000001Z")
        },
        {
            true,
            Integer.MIN_VALUE,
            Long.MIN_VALUE,
            Double.MIN_VALUE,
            new BigDecimal("-999999999999999.999"),
            "Ünïcode 😀 ''",
            LocalDate.of(1, 1, 1),
            Instant.parse("1700-01-01T00:00:00.999999Z")
        },
        {false, -1, -1L, -0.1, new BigDecimal("-0.001"), "null", LocalDate.of(2031, 3, 4), Instant.ofEpochSecond(-1)},
        {false, 1, 1L, Double.NaN, new BigDecimal("0.001"), " x ", LocalDate.of(2000, 2, 29), Instant.ofEpochSecond(1)},
        {true, 2, 2L, Double.NEGATIVE_INFINITY, null, "\\N", null, null},
    };

    private static final Object[][] MORE_CORNERS = {
        {new BigDecimal("0.000000"), 0f, Bytes.of(), LocalTime.MIDNIGHT, List.of(), device("", 0.0, null), List.of()},
        {null, null, null, null, null, null, null},
        {
            new BigDecimal("99999999999999999999999999999999.999999"),
            Float.MAX_VALUE,
            Bytes.of((byte) 0, (byte) -1),
            LocalTime.of(23, 59, 59, 999_999_000),
            Arrays.asList(1, null, Integer.MIN_VALUE),
            device(null, null, null),
            Arrays.asList((Object) null)
        },
        {
            new BigDecimal("-99999999999999999999999999999999.999999"),
            Float.NaN,
            Bytes.of((byte) 'x'),
            LocalTime.NOON,
            Arrays.asList((Object) null),
            device("T\"5\"", Double.POSITIVE_INFINITY, Instant.parse("2031-03-04T05:06:07.000001Z")),
            List.of(stop("D01", List.of(), List.of()), stop(null, null, null))
        },
        {
            new BigDecimal("-0.000001"),
            -0.1f,
            Bytes.of((byte) 7),
            LocalTime.of(1, 2, 3),
            List.of(7),
            device("Ü", -1.5, Instant.EPOCH),
            List.of(
                    stop(
                            "D02",
                            Arrays.asList(new BigDecimal("123456789012345678.25"), null),
                            Arrays.asList(scan(1), null)),
                    stop("D03", Arrays.asList((Object) null), List.of(scan(null), scan(2))))
        }
    };

    private static Map<String, Object> device(String model, Double battery, Instant seen) {
        Map<String, Object> device = new LinkedHashMap<>();
        device.put("model", model);
        device.put("battery", battery);
        device.put("seen", seen);
        return device;
    }

    private static Map<String, Object> stop(String depot, List<?> weights, List<?> scans) {
        Map<String, Object> stop = new LinkedHashMap<>();
        stop.put("depot", depot);
        stop.put("weights", weights);
        stop.put("scans", scans);
        return stop;
    }

    private static Map<String, Object> scan(Integer n) {
        Map<String, Object> scan = new LinkedHashMap<>();
        scan.put("n", n);
        return scan;
    }

    @TempDir
    Path folder;

    static Stream<Format> typedFormats() {
        Formats formats = new Formats();
        return Stream.of("parquet", "csv", "json").map(formats::byName);
    }

    private static List<List<Object>> randomRows(long seed, int count) {
        Random random = new Random(seed);
        List<List<Object>> rows = new ArrayList<>();
        for (int i = 0; i < count; i++) {
            Object[] corner = CORNERS[random.nextInt(CORNERS.length)];
            List<Object> row = new ArrayList<>();
            for (int c = 0; c < corner.length; c++) {
                row.add(random.nextBoolean() ? corner[c] : CORNERS[random.nextInt(CORNERS.length)][c]);
            }
            for (int c = 0; c < MORE_CORNERS[0].length; c++) {
                row.add(MORE_CORNERS[random.nextInt(MORE_CORNERS.length)][c]);
            }
            row.set(2, random.nextInt(5) == 0 ? null : (Long) random.nextLong());
            row.set(5, random.nextInt(5) == 0 ? null : "value " + random.nextInt(50));
            rows.add(row);
        }
        return rows;
    }

    private DataFile write(Format format, List<List<Object>> rows, int batchRows) throws IOException {
        Path path = folder.resolve("data" + format.ending());
        try (FileWriter writer = format.write(StorePath.of(path), SCHEMA, FormatOptions.DEFAULTS)) {
            for (int from = 0; from < rows.size(); from += batchRows) {
                BatchBuilder builder = new BatchBuilder(SCHEMA);
                for (List<Object> row : rows.subList(from, Math.min(rows.size(), from + batchRows))) {
                    for (int c = 0; c < row.size(); c++) {
                        Values.append(builder.column(c), row.get(c));
                    }
                    builder.endRow();
                }
                writer.write(builder.build());
            }
            assertEquals(writer.finish(), Files.size(path));
        }
        return new DataFile(StorePath.of(path), Files.size(path), 1);
    }

    private static List<ColumnSpec> columns(String... names) {
        return Stream.of(names)
                .map(n -> ColumnSpec.of(n, SCHEMA.field(SCHEMA.indexOf(n)).type()))
                .toList();
    }

    static List<List<Object>> read(Format format, List<Piece> pieces, List<ColumnSpec> columns) {
        List<List<Object>> rows = new ArrayList<>();
        for (Piece piece : pieces) {
            try (BatchReader reader = format.read(piece, columns, FormatOptions.DEFAULTS, ReadContext.STRICT)) {
                for (Batch batch = reader.next(); batch != null; batch = reader.next()) {
                    assertTrue(batch.rowCount() > 0, "an empty batch");
                    for (int r = 0; r < batch.rowCount(); r++) {
                        List<Object> row = new ArrayList<>();
                        for (int c = 0; c < columns.size(); c++) {
                            row.add(Values.get(
                                    batch.column(c), r, columns.get(c).type()));
                        }
                        rows.add(row);
                    }
                }
            }
        }
        return rows;
    }

    private static List<List<Object>> corners() {
        List<List<Object>> rows = new ArrayList<>();
        for (int i = 0; i < CORNERS.length; i++) {
            List<Object> row = new ArrayList<>(Arrays.asList(CORNERS[i]));
            row.addAll(Arrays.asList(MORE_CORNERS[i % MORE_CORNERS.length]));
            rows.add(row);
        }
        return rows;
    }

    @ParameterizedTest
    @MethodSource("typedFormats")
    void whatIsWrittenIsReadBack(Format format) throws IOException {
        DataFile file = write(format, corners(), 3);
        List<ColumnSpec> all = columns(SCHEMA.names().toArray(String[]::new));
        assertEquals(corners(), read(format, List.of(Piece.whole(file)), all));
        for (long seed = 0; seed < 5; seed++) {
            List<List<Object>> rows = randomRows(seed, 5000);
            DataFile random = write(format, rows, 700);
            assertEquals(rows, read(format, List.of(Piece.whole(random)), all), "seed " + seed);
        }
    }

    /** Files that the first version wrote, which are never written anew: whoever has such files can read them for ever. */
    @ParameterizedTest
    @MethodSource("typedFormats")
    void filesOfEarlierVersionsAreRead(Format format) throws IOException {
        Path golden = Path.of("src/test/resources/golden/version-1" + format.ending());
        DataFile file = new DataFile(StorePath.of(golden), Files.size(golden), 1);
        List<ColumnSpec> all = columns(SCHEMA.names().toArray(String[]::new));
        List<List<Object>> expected = corners();
        expected.addAll(randomRows(2031, 100));
        assertEquals(expected, read(format, List.of(Piece.whole(file)), all));
    }

    @Test
    void flatParquetFilesOfEarlierVersionsAreRead() throws IOException {
        Path golden = Path.of("src/test/resources/golden/version-1-flat.parquet");
        DataFile file = new DataFile(StorePath.of(golden), Files.size(golden), 1);
        int flat = SCHEMA.indexOf("codes");
        List<List<Object>> expected =
                randomRows(2032, 300).stream().map(row -> row.subList(0, flat)).toList();
        List<ColumnSpec> all = columns(SCHEMA.names().subList(0, flat).toArray(String[]::new));
        assertEquals(expected, read(new Formats().byName("parquet"), List.of(Piece.whole(file)), all));
    }

    @ParameterizedTest
    @MethodSource("typedFormats")
    void columnsCanBeChosenInAnyOrderOrNotAtAll(Format format) throws IOException {
        List<List<Object>> rows = randomRows(9, 300);
        DataFile file = write(format, rows, 100);
        List<List<Object>> some = read(format, List.of(Piece.whole(file)), columns("at", "small"));
        assertEquals(rows.stream().map(r -> Arrays.asList(r.get(7), r.get(1))).toList(), some);
        assertEquals(300, read(format, List.of(Piece.whole(file)), List.of()).size());
    }

    @ParameterizedTest
    @MethodSource("typedFormats")
    void theRowsAreTheSameHoweverAFileIsCut(Format format) throws IOException {
        List<List<Object>> rows = randomRows(11, 2000);
        rows.forEach(row -> row.set(5, row.get(5) == null ? "" : ((String) row.get(5)).replace('\n', ' ')));
        DataFile file = write(format, rows, 100);
        List<ColumnSpec> all = columns(SCHEMA.names().toArray(String[]::new));
        for (long target : new long[] {100, 777, 4096, 60_000, 1 << 30}) {
            List<Piece> pieces = format.pieces(file, all, List.of(), target).pieces();
            assertTrue(format.name().equals("parquet") || pieces.size() >= Math.min(2, file.bytes() / target));
            assertEquals(rows, read(format, pieces, all), format.name() + " cut at " + target);
        }
    }

    @ParameterizedTest
    @MethodSource("typedFormats")
    void aColumnThatAFileLacksIsNull(Format format) throws IOException {
        DataFile file = write(format, randomRows(1, 10), 10);
        List<ColumnSpec> wanted = List.of(ColumnSpec.of("small", DataType.INT), ColumnSpec.of("later", DataType.TEXT));
        List<List<Object>> rows = read(format, List.of(Piece.whole(file)), wanted);
        assertEquals(10, rows.size());
        assertTrue(rows.stream().allMatch(r -> r.get(1) == null));
    }

    @ParameterizedTest
    @MethodSource("typedFormats")
    void columnsAreFoundWithTheirTypes(Format format) throws IOException {
        DataFile file = write(format, randomRows(4, 3000), 1000);
        List<String> found = new ArrayList<>();
        format.infer(List.of(file), FormatOptions.DEFAULTS)
                .columns()
                .forEach(c -> found.add(c.name() + " " + c.type()));
        assertTrue(found.contains("truth boolean"), found.toString());
        assertTrue(found.contains("small int"), found.toString());
        assertTrue(found.contains("large long"), found.toString());
        assertTrue(found.contains("name text"), found.toString());
        assertTrue(found.contains("day date"), found.toString());
        assertTrue(found.contains("at timestamp"), found.toString());
        if (format.name().equals("parquet")) {
            assertTrue(found.contains("price decimal(18, 3)"), found.toString());
            assertTrue(
                    found.containsAll(
                            SCHEMA.fields().stream().map(Field::toString).toList()),
                    found.toString());
        }
    }
}
