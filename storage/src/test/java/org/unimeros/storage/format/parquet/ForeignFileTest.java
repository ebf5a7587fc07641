package org.unimeros.storage.format.parquet;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.ByteOrder;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.function.BiConsumer;
import org.apache.parquet.column.ColumnDescriptor;
import org.apache.parquet.column.ColumnWriteStore;
import org.apache.parquet.column.ColumnWriter;
import org.apache.parquet.column.ParquetProperties;
import org.apache.parquet.format.ColumnChunk;
import org.apache.parquet.format.ConvertedType;
import org.apache.parquet.format.DecimalType;
import org.apache.parquet.format.FieldRepetitionType;
import org.apache.parquet.format.FileMetaData;
import org.apache.parquet.format.IntType;
import org.apache.parquet.format.LogicalType;
import org.apache.parquet.format.MilliSeconds;
import org.apache.parquet.format.RowGroup;
import org.apache.parquet.format.SchemaElement;
import org.apache.parquet.format.TimeType;
import org.apache.parquet.format.TimeUnit;
import org.apache.parquet.format.TimestampType;
import org.apache.parquet.format.Type;
import org.apache.parquet.format.Util;
import org.apache.parquet.io.api.Binary;
import org.apache.parquet.schema.MessageType;
import org.apache.parquet.schema.MessageTypeParser;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.source.BatchReader;
import org.unimeros.engine.source.ReadContext;
import org.unimeros.storage.format.ColumnSpec;
import org.unimeros.storage.format.DataFile;
import org.unimeros.storage.format.Format;
import org.unimeros.storage.format.FormatOptions;
import org.unimeros.storage.format.Piece;
import org.unimeros.storage.store.StorePath;

/** Files that other programs write: required columns, other widths, units and forms of the same types. */
class ForeignFileTest {

    private static final int ROWS = 5;

    @TempDir
    Path folder;

    private final ParquetFormat format = new ParquetFormat();

    /** A column of a file to be made: its schema element, and what writes its i-th value. */
    private record Foreign(SchemaElement element, BiConsumer<ColumnWriter, Integer> value) {}

    private static SchemaElement element(String name, Type type) {
        SchemaElement element = new SchemaElement(name);
        element.setType(type);
        element.setRepetition_type(FieldRepetitionType.REQUIRED);
        return element;
    }

    private DataFile write(String fileName, List<Foreign> columns) throws IOException {
        StringBuilder message = new StringBuilder("message foreign {\n");
        for (Foreign column : columns) {
            String type = switch (column.element.getType()) {
                case INT32 -> "int32";
                case INT64 -> "int64";
                case FLOAT -> "float";
                case BOOLEAN -> "boolean";
                case FIXED_LEN_BYTE_ARRAY -> "fixed_len_byte_array(" + column.element.getType_length() + ")";
                default -> "binary";
            };
            message.append("required ")
                    .append(type)
                    .append(' ')
                    .append(column.element.getName())
                    .append(";\n");
        }
        MessageType type =
                MessageTypeParser.parseMessageType(message.append("}").toString());
        Map<ColumnDescriptor, ChunkBuffer> chunks = new LinkedHashMap<>();
        type.getColumns().forEach(c -> chunks.put(c, new ChunkBuffer(c, Compressor.of("snappy"))));
        ColumnWriteStore store = ParquetProperties.builder().build().newColumnWriteStore(type, chunks::get);
        for (int i = 0; i < ROWS; i++) {
            for (int c = 0; c < columns.size(); c++) {
                columns.get(c)
                        .value
                        .accept(store.getColumnWriter(type.getColumns().get(c)), i);
            }
            store.endRecord();
        }
        store.flush();
        ByteArrayOutputStream out = new ByteArrayOutputStream();
        out.writeBytes("PAR1".getBytes(StandardCharsets.US_ASCII));
        List<ColumnChunk> written = new ArrayList<>();
        for (ChunkBuffer chunk : chunks.values()) {
            written.add(chunk.writeTo(out, out.size()));
        }
        List<SchemaElement> elements = new ArrayList<>();
        SchemaElement root = new SchemaElement("foreign");
        root.setNum_children(columns.size());
        elements.add(root);
        columns.forEach(c -> elements.add(c.element));
        int start = out.size();
        Util.writeFileMetaData(
                new FileMetaData(1, elements, ROWS, List.of(new RowGroup(written, out.size(), ROWS))), out);
        ByteBuffer length =
                ByteBuffer.allocate(4).order(ByteOrder.LITTLE_ENDIAN).putInt(out.size() - start);
        out.writeBytes(length.array());
        out.writeBytes("PAR1".getBytes(StandardCharsets.US_ASCII));
        Path path = folder.resolve(fileName);
        Files.write(path, out.toByteArray());
        return new DataFile(StorePath.of(path), out.size(), 1);
    }

    private String read(DataFile file, ColumnSpec column) {
        List<Object> values = new ArrayList<>();
        try (BatchReader reader =
                format.read(Piece.whole(file), List.of(column), FormatOptions.DEFAULTS, ReadContext.STRICT)) {
            for (Batch batch = reader.next(); batch != null; batch = reader.next()) {
                for (int i = 0; i < batch.rowCount(); i++) {
                    values.add(Values.get(batch.column(0), i, column.type()));
                }
            }
        }
        return values.toString();
    }

    private static Foreign with(SchemaElement element, LogicalType logical, BiConsumer<ColumnWriter, Integer> value) {
        element.setLogicalType(logical);
        return new Foreign(element, value);
    }

    private List<Foreign> manyForms() {
        SchemaElement price = element("price", Type.INT32);
        price.setConverted_type(ConvertedType.DECIMAL);
        price.setPrecision(7);
        price.setScale(2);
        SchemaElement fixed = element("fixed_price", Type.FIXED_LEN_BYTE_ARRAY);
        fixed.setType_length(5);
        fixed.setConverted_type(ConvertedType.DECIMAL);
        fixed.setPrecision(11);
        fixed.setScale(1);
        SchemaElement text = element("old_text", Type.BYTE_ARRAY);
        text.setConverted_type(ConvertedType.UTF8);
        return List.of(
                new Foreign(element("plain", Type.INT32), (w, i) -> w.write(i * 10, 0, 0)),
                new Foreign(element("ratio", Type.FLOAT), (w, i) -> w.write(i / 4f, 0, 0)),
                new Foreign(element("truth", Type.BOOLEAN), (w, i) -> w.write(i % 2 == 0, 0, 0)),
                with(
                        element("millis", Type.INT64),
                        LogicalType.TIMESTAMP(new TimestampType(true, TimeUnit.MILLIS(new MilliSeconds()))),
                        (w, i) -> w.write(1000L * i, 0, 0)),
                with(
                        element("unsigned", Type.INT32),
                        LogicalType.INTEGER(new IntType((byte) 32, false)),
                        (w, i) -> w.write(-1 - i, 0, 0)),
                new Foreign(price, (w, i) -> w.write(i * 125, 0, 0)),
                new Foreign(
                        fixed,
                        (w, i) -> w.write(
                                Binary.fromConstantByteArray(new byte[] {-1, -1, -1, -1, (byte) (-1 - i)}), 0, 0)),
                new Foreign(text, (w, i) -> w.write(Binary.fromString("ä" + i), 0, 0)),
                new Foreign(
                        element("raw", Type.BYTE_ARRAY),
                        (w, i) -> w.write(Binary.fromConstantByteArray(new byte[] {'?', i.byteValue()}), 0, 0)),
                with(
                        element("clock", Type.INT32),
                        LogicalType.TIME(new TimeType(true, TimeUnit.MILLIS(new MilliSeconds()))),
                        (w, i) -> w.write(1000 * i, 0, 0)),
                with(
                        element("long_price", Type.BYTE_ARRAY),
                        LogicalType.DECIMAL(new DecimalType(2, 30)),
                        (w, i) -> w.write(Binary.fromConstantByteArray(new byte[] {(byte) -i}), 0, 0)),
                with(
                        element("huge", Type.INT64),
                        LogicalType.INTEGER(new IntType((byte) 64, false)),
                        (w, i) -> w.write(-1L, 0, 0)));
    }

    @Test
    void everyFormIsReadAsItsType() throws IOException {
        DataFile file = write("forms.parquet", manyForms());
        Format.Inferred inferred = format.infer(List.of(file), FormatOptions.DEFAULTS);
        Map<String, ColumnSpec> columns = new LinkedHashMap<>();
        inferred.columns().forEach(c -> columns.put(c.name(), c));
        String[][] expected = {
            {"plain", "int", "[0, 10, 20, 30, 40]"},
            {"ratio", "float", "[0.0, 0.25, 0.5, 0.75, 1.0]"},
            {"truth", "boolean", "[true, false, true, false, true]"},
            {
                "millis",
                "timestamp",
                "[1970-01-01T00:00:00Z, 1970-01-01T00:00:01Z, 1970-01-01T00:00:02Z, 1970-01-01T00:00:03Z, 1970-01-01T00:00:04Z]"
            },
            {"unsigned", "long", "[4294967295, 4294967294, 4294967293, 4294967292, 4294967291]"},
            {"price", "decimal(7, 2)", "[0.00, 1.25, 2.50, 3.75, 5.00]"},
            {"fixed_price", "decimal(11, 1)", "[-0.1, -0.2, -0.3, -0.4, -0.5]"},
            {"old_text", "text", "[ä0, ä1, ä2, ä3, ä4]"},
            {"raw", "bytes", "[3f00, 3f01, 3f02, 3f03, 3f04]"},
            {"clock", "time", "[00:00, 00:00:01, 00:00:02, 00:00:03, 00:00:04]"},
            {"long_price", "decimal(30, 2)", "[0.00, -0.01, -0.02, -0.03, -0.04]"},
        };
        assertEquals(expected.length, columns.size(), columns.keySet().toString());
        for (String[] e : expected) {
            assertEquals(e[1], columns.get(e[0]).type().toString(), e[0]);
            assertEquals(e[2], read(file, columns.get(e[0])), e[0]);
        }
        assertEquals(
                List.of("column huge (INT64 as UINT_64) is left out: its type is not supported"), inferred.warnings());
    }

    @Test
    void columnsThatWidenMeetAndOthersAreAMistakeThatNamesBothFiles() throws IOException {
        DataFile ints =
                write("ints.parquet", List.of(new Foreign(element("n", Type.INT32), (w, i) -> w.write(i, 0, 0))));
        DataFile longs = write(
                "longs.parquet", List.of(new Foreign(element("n", Type.INT64), (w, i) -> w.write(1L << 40, 0, 0))));
        DataFile truths = write(
                "truths.parquet", List.of(new Foreign(element("n", Type.BOOLEAN), (w, i) -> w.write(true, 0, 0))));
        ColumnSpec wide = format.infer(List.of(ints, longs), FormatOptions.DEFAULTS)
                .columns()
                .get(0);
        assertEquals("long", wide.type().toString());
        assertEquals("[0, 1, 2, 3, 4]", read(ints, wide));
        BadData e = assertThrows(BadData.class, () -> format.infer(List.of(ints, truths), FormatOptions.DEFAULTS));
        assertTrue(
                e.getMessage().contains("column n is int in " + ints + ", but boolean in " + truths), e.getMessage());
    }
}
