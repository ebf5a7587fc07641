package org.unimeros.storage.format.parquet;

import static org.junit.jupiter.api.Assertions.assertEquals;

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
import org.apache.parquet.column.ColumnDescriptor;
import org.apache.parquet.column.ColumnWriteStore;
import org.apache.parquet.column.ColumnWriter;
import org.apache.parquet.column.ParquetProperties;
import org.apache.parquet.format.ColumnChunk;
import org.apache.parquet.format.ConvertedType;
import org.apache.parquet.format.FileMetaData;
import org.apache.parquet.format.RowGroup;
import org.apache.parquet.format.SchemaElement;
import org.apache.parquet.format.Util;
import org.apache.parquet.schema.MessageType;
import org.apache.parquet.schema.MessageTypeParser;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.source.BatchReader;
import org.unimeros.engine.source.ReadContext;
import org.unimeros.storage.format.ColumnSpec;
import org.unimeros.storage.format.DataFile;
import org.unimeros.storage.format.FormatOptions;
import org.unimeros.storage.format.Piece;
import org.unimeros.storage.store.StorePath;

/** Lists and structs in the forms that other programs have written them in. */
class NestedFileTest {

    @TempDir
    Path folder;

    private final ParquetFormat format = new ParquetFormat();

    /**
     * Writes a file with one field.
     *
     * @param annotations by the name of the field inside that they belong to
     * @param entries of each column of the file: value or null, repetition level, definition level
     */
    private DataFile write(String field, Map<String, ConvertedType> annotations, int rows, Integer[][]... entries)
            throws IOException {
        MessageType type = MessageTypeParser.parseMessageType("message foreign { " + field + " }");
        Map<ColumnDescriptor, ChunkBuffer> chunks = new LinkedHashMap<>();
        type.getColumns().forEach(c -> chunks.put(c, new ChunkBuffer(c, Compressor.of("zstd"))));
        ColumnWriteStore store = ParquetProperties.builder().build().newColumnWriteStore(type, chunks::get);
        for (int c = 0; c < entries.length; c++) {
            ColumnWriter writer = store.getColumnWriter(type.getColumns().get(c));
            for (Integer[] entry : entries[c]) {
                if (entry[0] == null) {
                    writer.writeNull(entry[1], entry[2]);
                } else {
                    writer.write(entry[0].intValue(), entry[1], entry[2]);
                }
            }
        }
        for (int i = 0; i < rows; i++) {
            store.endRecord();
        }
        store.flush();
        ByteArrayOutputStream out = new ByteArrayOutputStream();
        out.writeBytes("PAR1".getBytes(StandardCharsets.US_ASCII));
        List<ColumnChunk> written = new ArrayList<>();
        for (ChunkBuffer chunk : chunks.values()) {
            written.add(chunk.writeTo(out, out.size()));
        }
        List<SchemaElement> elements = ParquetTypes.elements(type);
        elements.forEach(e -> {
            if (annotations.containsKey(e.getName())) {
                e.setConverted_type(annotations.get(e.getName()));
            }
        });
        int start = out.size();
        Util.writeFileMetaData(
                new FileMetaData(1, elements, rows, List.of(new RowGroup(written, out.size(), rows))), out);
        ByteBuffer length =
                ByteBuffer.allocate(4).order(ByteOrder.LITTLE_ENDIAN).putInt(out.size() - start);
        out.writeBytes(length.array());
        out.writeBytes("PAR1".getBytes(StandardCharsets.US_ASCII));
        Path path = folder.resolve("nested.parquet");
        Files.write(path, out.toByteArray());
        return new DataFile(StorePath.of(path), out.size(), 1);
    }

    private void requireRead(DataFile file, String type, String values) {
        ColumnSpec column =
                format.infer(List.of(file), FormatOptions.DEFAULTS).columns().get(0);
        assertEquals(type, column.type().toString());
        List<Object> read = new ArrayList<>();
        try (BatchReader reader =
                format.read(Piece.whole(file), List.of(column), FormatOptions.DEFAULTS, ReadContext.STRICT)) {
            for (Batch batch = reader.next(); batch != null; batch = reader.next()) {
                for (int i = 0; i < batch.rowCount(); i++) {
                    read.add(Values.get(batch.column(0), i, column.type()));
                }
            }
        }
        assertEquals(values, read.toString());
    }

    @Test
    void aFieldThatIsSimplyRepeated() throws IOException {
        DataFile file = write(
                "repeated int32 codes;", Map.of(), 3, new Integer[][] {{1, 0, 1}, {2, 1, 1}, {null, 0, 0}, {3, 0, 1}});
        requireRead(file, "int[]", "[[1, 2], [], [3]]");
    }

    @Test
    void aListOfTwoLevels() throws IOException {
        DataFile file = write(
                "optional group codes { repeated int32 array; }",
                Map.of("codes", ConvertedType.LIST),
                4,
                new Integer[][] {{1, 0, 2}, {2, 1, 2}, {null, 0, 1}, {null, 0, 0}, {3, 0, 2}});
        requireRead(file, "int[]", "[[1, 2], [], null, [3]]");
    }

    @Test
    void aListOfRequiredElements() throws IOException {
        DataFile file = write(
                "required group codes { repeated group list { required int32 element; } }",
                Map.of("codes", ConvertedType.LIST),
                3,
                new Integer[][] {{1, 0, 1}, {null, 0, 0}, {2, 0, 1}, {3, 1, 1}});
        requireRead(file, "int[]", "[[1], [], [2, 3]]");
    }

    @Test
    void aListOfListsOfStructs() throws IOException {
        DataFile file = write(
                "optional group days { repeated group list { optional group element { repeated group inner {"
                        + " optional group stop { required int32 n; optional int32 m; } } } } }",
                Map.of("days", ConvertedType.LIST, "element", ConvertedType.LIST),
                3,
                new Integer[][] {{1, 0, 5}, {2, 2, 5}, {null, 1, 3}, {null, 1, 2}, {null, 0, 1}, {null, 0, 4}},
                new Integer[][] {{10, 0, 6}, {null, 2, 5}, {null, 1, 3}, {null, 1, 2}, {null, 0, 1}, {null, 0, 4}});
        requireRead(file, "struct(n int, m int)[][]", "[[[{n=1, m=10}, {n=2, m=null}], [], null], [], [[null]]]");
    }

    @Test
    void aMapIsAListOfPairs() throws IOException {
        DataFile file = write(
                "optional group scans { repeated group key_value { required int32 key; optional int32 value; } }",
                Map.of("scans", ConvertedType.MAP),
                3,
                new Integer[][] {{1, 0, 2}, {2, 1, 2}, {null, 0, 0}, {null, 0, 1}},
                new Integer[][] {{10, 0, 3}, {null, 1, 2}, {null, 0, 0}, {null, 0, 1}});
        requireRead(file, "struct(key int, value int)[]", "[[{key=1, value=10}, {key=2, value=null}], null, []]");
    }

    @Test
    void structsOfRequiredFields() throws IOException {
        DataFile file = write(
                "required group device { required group model { required int32 year; } optional int32 battery; }",
                Map.of(),
                2,
                new Integer[][] {{2029, 0, 0}, {2031, 0, 0}},
                new Integer[][] {{80, 0, 1}, {null, 0, 0}});
        requireRead(
                file,
                "struct(model struct(year int), battery int)",
                "[{model={year=2029}, battery=80}, {model={year=2031}, battery=null}]");
    }
}
