package org.unimeros.storage.format.parquet;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import dev.hardwood.schema.SchemaNode;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Random;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.error.UnimerosException;
import org.unimeros.engine.source.BatchReader;
import org.unimeros.engine.source.ReadContext;
import org.unimeros.storage.format.ColumnSpec;
import org.unimeros.storage.format.DataFile;
import org.unimeros.storage.format.Piece;
import org.unimeros.storage.store.StorePath;

/** What is written and read here, and what the libraries write and read, are the same, in all four combinations. */
class FlatFileTest {

    private static final List<DataType> TYPES = List.of(
            DataType.INT,
            DataType.LONG,
            DataType.DOUBLE,
            DataType.FLOAT,
            DataType.BOOLEAN,
            DataType.TEXT,
            DataType.BYTES,
            DataType.DATE,
            DataType.TIME,
            DataType.TIMESTAMP,
            new DataType.Decimal(12, 2));

    @TempDir
    Path folder;

    private final ParquetFormat format = new ParquetFormat(Duration.ofSeconds(20));

    /** How the values of a column are spread: over how many, from where, and how often there is none. */
    private record Shape(DataType type, int distinct, long least, int nullPercent, boolean runs) {

        static Shape random(Random random) {
            int[] spans = {1, 2, 7, 300, 5000, 1 << 30};
            long[] starts = {0, -100, 1L << 20, Integer.MAX_VALUE - 10L};
            return new Shape(
                    TYPES.get(random.nextInt(TYPES.size())),
                    spans[random.nextInt(spans.length)],
                    starts[random.nextInt(starts.length)],
                    new int[] {0, 0, 1, 50, 99, 100}[random.nextInt(6)],
                    random.nextInt(3) == 0);
        }

        void append(Random random, ColumnBuilder to, long[] last) {
            if (random.nextInt(100) < nullPercent) {
                to.appendNull();
                return;
            }
            long number = runs && random.nextInt(20) != 0 ? last[0] : least + random.nextInt(distinct);
            last[0] = number;
            switch (type.physical()) {
                case INTS -> to.appendInt((int) number);
                case LONGS -> to.appendLong(type == DataType.TIME ? Math.floorMod(number, 86_400_000_000L) : number);
                case DOUBLES -> to.appendDouble((float) (number % 9 == 0 ? Double.NaN : number / 4.0));
                case BITS -> to.appendBoolean(number % 2 == 0);
                default -> to.appendText("parcel ".repeat((int) Math.floorMod(number, 4L)) + number);
            }
        }
    }

    private static List<Batch> batches(Random random, Schema schema, List<Shape> shapes, int rows) {
        List<Batch> all = new ArrayList<>();
        BatchBuilder builder = new BatchBuilder(schema);
        long[][] last = new long[shapes.size()][1];
        for (int i = 0; i < rows; i++) {
            for (int c = 0; c < shapes.size(); c++) {
                shapes.get(c).append(random, builder.column(c), last[c]);
            }
            builder.endRow();
            if (builder.rowCount() == 3000 || i == rows - 1) {
                all.add(builder.build());
            }
        }
        return all;
    }

    private DataFile write(String name, Schema schema, List<Batch> batches, String codec, boolean byLibrary, int flush)
            throws IOException {
        Path path = folder.resolve(name);
        try (ParquetFileWriter out =
                new ParquetFileWriter(StorePath.of(path), schema, Compressor.of(codec), byLibrary)) {
            for (int b = 0; b < batches.size(); b++) {
                out.write(batches.get(b));
                if (b % flush == flush - 1) {
                    out.flush();
                }
            }
            out.finish();
        }
        return new DataFile(StorePath.of(path), Files.size(path), 1);
    }

    private List<List<Object>> rows(DataFile file, Schema schema, boolean byLibrary) {
        List<ColumnSpec> columns = schema.fields().stream()
                .map(f -> ColumnSpec.of(f.name(), f.type()))
                .toList();
        ParquetFormat.Footer footer = format.footer(file);
        Piece piece = new Piece(file, 0, file.bytes());
        SchemaNode[] fields = ParquetPieceReader.match(piece, columns, footer, ReadContext.STRICT);
        assertTrue(FlatPieceReader.canRead(piece, columns, fields, footer));
        try (BatchReader reader = byLibrary
                ? new ParquetPieceReader(piece, columns, fields, footer, new Watchdog(Duration.ofSeconds(20)))
                : new FlatPieceReader(piece, columns, fields, footer)) {
            List<List<Object>> rows = new ArrayList<>();
            for (Batch batch = reader.next(); batch != null; batch = reader.next()) {
                addRows(batch, schema, rows);
            }
            return rows;
        }
    }

    private static void addRows(Batch batch, Schema schema, List<List<Object>> to) {
        for (int i = 0; i < batch.rowCount(); i++) {
            List<Object> row = new ArrayList<>();
            for (int c = 0; c < schema.size(); c++) {
                row.add(Values.get(batch.column(c), i, schema.field(c).type()));
            }
            to.add(row);
        }
    }

    @ParameterizedTest
    @ValueSource(strings = {"snappy", "zstd", "none"})
    void theLibrariesAndThisCodeWriteAndReadTheSame(String codec) throws IOException {
        for (int seed = 0; seed < 12; seed++) {
            Random random = new Random(seed);
            List<Shape> shapes = new ArrayList<>();
            List<Field> fields = new ArrayList<>();
            for (int c = 0; c < 5; c++) {
                shapes.add(Shape.random(random));
                fields.add(Field.of("c" + c, shapes.get(c).type));
            }
            Schema schema = new Schema(fields);
            List<Batch> batches = batches(random, schema, shapes, random.nextInt(60_000));
            List<List<Object>> expected = new ArrayList<>();
            batches.forEach(b -> addRows(b, schema, expected));
            for (boolean libraryWrites : new boolean[] {false, true}) {
                int flush = 1 + random.nextInt(12);
                DataFile file = write(seed + "-" + libraryWrites + codec, schema, batches, codec, libraryWrites, flush);
                String what = "seed " + seed + ", " + shapes + ", library writes: " + libraryWrites;
                assertEquals(expected, rows(file, schema, false), what);
                assertEquals(expected, rows(file, schema, true), what);
            }
        }
    }

    @Test
    void textInASmallDictionaryStaysInItsCodes() throws IOException {
        Schema schema = Schema.of(Field.of("kind", DataType.TEXT), Field.of("note", DataType.TEXT));
        Random random = new Random(3);
        List<Shape> shapes =
                List.of(new Shape(DataType.TEXT, 5, 0, 10, false), new Shape(DataType.TEXT, 1 << 30, 0, 0, false));
        DataFile file = write("codes", schema, batches(random, schema, shapes, 50_000), "zstd", false, 100);
        List<ColumnSpec> columns = List.of(ColumnSpec.of("kind", DataType.TEXT), ColumnSpec.of("note", DataType.TEXT));
        Piece piece = new Piece(file, 0, file.bytes());
        try (BatchReader reader = format.read(piece, columns, null, ReadContext.STRICT)) {
            Batch batch = reader.next();
            assertEquals(5, ((TextColumn) batch.column(0)).entries());
            assertEquals(0, ((TextColumn) batch.column(1)).entries());
        }
    }

    @Test
    void pagesWithAnyBytesAreRefusedOrReadButNeverAnythingElse() {
        Random random = new Random(8);
        for (int i = 0; i < 20_000; i++) {
            byte[] bytes = new byte[PageBytes.SLACK + random.nextInt(60)];
            random.nextBytes(bytes);
            int end = bytes.length - PageBytes.SLACK;
            int[] out = new int[50];
            int width = random.nextInt(33);
            refusedOrDone(() -> new RunReader(new PageBytes(bytes, 0, end), width).read(out, 0, 50));
            refusedOrDone(() -> {
                DeltaReader deltas = new DeltaReader(new PageBytes(bytes, 0, end));
                for (int k = 0; k < 50; k++) {
                    deltas.next();
                }
            });
        }
    }

    private static void refusedOrDone(Runnable work) {
        try {
            work.run();
        } catch (IllegalStateException | IndexOutOfBoundsException e) {
            assertTrue(e.getMessage() != null);
        }
    }

    @Test
    void aFileWithChangedBytesIsRefusedInALineOrReadWhole() throws IOException {
        Schema schema = Schema.of(
                Field.of("scan_id", DataType.LONG),
                Field.of("kind", DataType.TEXT),
                Field.of("note", DataType.TEXT),
                Field.of("share", DataType.DOUBLE),
                Field.of("damaged", DataType.BOOLEAN));
        List<Shape> shapes = List.of(
                new Shape(DataType.LONG, 1 << 30, 0, 5, false),
                new Shape(DataType.TEXT, 5, 0, 20, true),
                new Shape(DataType.TEXT, 1 << 30, 0, 0, false),
                new Shape(DataType.DOUBLE, 300, 0, 1, false),
                new Shape(DataType.BOOLEAN, 2, 0, 50, true));
        Random random = new Random(14);
        List<Batch> batches = batches(random, schema, shapes, 3000);
        byte[] good = Files.readAllBytes(
                Path.of(write("whole", schema, batches, "snappy", false, 100).toString()));
        for (int i = 0; i < 300; i++) {
            byte[] bytes = good.clone();
            for (int k = 0; k <= i % 3; k++) {
                bytes[random.nextInt(bytes.length)] = (byte) random.nextInt();
            }
            Path path = folder.resolve("changed-" + i);
            Files.write(path, bytes);
            try {
                int rows = rows(new DataFile(StorePath.of(path), bytes.length, i), schema, false)
                        .size();
                assertEquals(3000, rows, "change " + i);
            } catch (UnimerosException e) {
                assertTrue(e.getMessage().contains(path.toString()), e.getMessage());
                assertEquals(-1, e.getMessage().indexOf('\n'), e.getMessage());
            }
        }
    }

    @Test
    void aPageWithAChangedByteIsFoundByItsChecksum() throws IOException {
        Schema schema = Schema.of(Field.of("id", DataType.LONG));
        List<Shape> shapes = List.of(new Shape(DataType.LONG, 1 << 30, 0, 0, false));
        DataFile good = write("good", schema, batches(new Random(1), schema, shapes, 30_000), "none", false, 100);
        byte[] bytes = Files.readAllBytes(Path.of(good.toString()));
        bytes[5000] ^= 4;
        Path path = folder.resolve("changed");
        Files.write(path, bytes);
        DataFile changed = new DataFile(StorePath.of(path), bytes.length, 2);
        BadData e = assertThrows(BadData.class, () -> rows(changed, schema, false));
        assertTrue(e.getMessage().contains("checksum"), e.getMessage());
        assertEquals(30_000, rows(good, schema, false).size());
    }
}
