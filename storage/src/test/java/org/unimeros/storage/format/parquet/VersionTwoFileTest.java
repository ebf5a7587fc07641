package org.unimeros.storage.format.parquet;

import static java.nio.charset.StandardCharsets.US_ASCII;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertInstanceOf;

import com.github.luben.zstd.Zstd;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.ByteOrder;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.Set;
import org.apache.parquet.bytes.BytesInput;
import org.apache.parquet.column.ColumnDescriptor;
import org.apache.parquet.column.ColumnWriteStore;
import org.apache.parquet.column.ColumnWriter;
import org.apache.parquet.column.Encoding;
import org.apache.parquet.column.ParquetProperties;
import org.apache.parquet.column.page.DictionaryPage;
import org.apache.parquet.column.page.PageWriter;
import org.apache.parquet.column.statistics.SizeStatistics;
import org.apache.parquet.column.statistics.Statistics;
import org.apache.parquet.column.statistics.geospatial.GeospatialStatistics;
import org.apache.parquet.format.ColumnChunk;
import org.apache.parquet.format.ColumnMetaData;
import org.apache.parquet.format.CompressionCodec;
import org.apache.parquet.format.DataPageHeaderV2;
import org.apache.parquet.format.DictionaryPageHeader;
import org.apache.parquet.format.FileMetaData;
import org.apache.parquet.format.PageHeader;
import org.apache.parquet.format.PageType;
import org.apache.parquet.format.RowGroup;
import org.apache.parquet.format.Util;
import org.apache.parquet.schema.MessageType;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.source.BatchReader;
import org.unimeros.engine.source.ReadContext;
import org.unimeros.storage.format.ColumnSpec;
import org.unimeros.storage.format.DataFile;
import org.unimeros.storage.format.FormatOptions;
import org.unimeros.storage.format.Piece;

/** Files with pages of the second version, as other programs write them: differences, runs of bits, levels outside. */
class VersionTwoFileTest {

    private static final Schema SCHEMA = Schema.of(
            Field.of("scan_id", DataType.LONG),
            Field.of("weight_g", DataType.INT),
            Field.of("damaged", DataType.BOOLEAN),
            Field.of("share", DataType.DOUBLE));
    private static final List<ColumnSpec> COLUMNS =
            SCHEMA.fields().stream().map(f -> ColumnSpec.of(f.name(), f.type())).toList();

    @TempDir
    Path folder;

    /** Keeps pages as the format wants them: levels as they are, values compressed or not. */
    private static final class Pages implements PageWriter {
        private final ByteArrayOutputStream data = new ByteArrayOutputStream();
        private final ByteArrayOutputStream dictionary = new ByteArrayOutputStream();
        private final Set<Encoding> encodings = new LinkedHashSet<>();
        private final boolean compressed;
        private long values;
        private long uncompressed;

        Pages(boolean compressed) {
            this.compressed = compressed;
        }

        private static byte[] bytes(BytesInput input) throws IOException {
            ByteArrayOutputStream out = new ByteArrayOutputStream();
            input.writeAllTo(out);
            return out.toByteArray();
        }

        @Override
        public void writePageV2(
                int rowCount,
                int nullCount,
                int valueCount,
                BytesInput repetitionLevels,
                BytesInput definitionLevels,
                Encoding dataEncoding,
                BytesInput bytes,
                Statistics<?> statistics)
                throws IOException {
            byte[] levels = bytes(definitionLevels);
            byte[] plain = bytes(bytes);
            byte[] body = compressed ? Zstd.compress(plain) : plain;
            DataPageHeaderV2 v2 = new DataPageHeaderV2(
                    valueCount,
                    nullCount,
                    rowCount,
                    org.apache.parquet.format.Encoding.valueOf(dataEncoding.name()),
                    levels.length,
                    (int) repetitionLevels.size());
            v2.setIs_compressed(compressed);
            PageHeader header =
                    new PageHeader(PageType.DATA_PAGE_V2, levels.length + plain.length, levels.length + body.length);
            header.setData_page_header_v2(v2);
            Util.writePageHeader(header, data);
            data.write(levels);
            data.write(body);
            values += valueCount;
            uncompressed += levels.length + plain.length + 100;
            encodings.add(dataEncoding);
        }

        @Override
        public void writePageV2(
                int rowCount,
                int nullCount,
                int valueCount,
                BytesInput repetitionLevels,
                BytesInput definitionLevels,
                Encoding dataEncoding,
                BytesInput data,
                Statistics<?> statistics,
                SizeStatistics sizes,
                GeospatialStatistics places)
                throws IOException {
            writePageV2(
                    rowCount,
                    nullCount,
                    valueCount,
                    repetitionLevels,
                    definitionLevels,
                    dataEncoding,
                    data,
                    statistics);
        }

        @Override
        public void writeDictionaryPage(DictionaryPage page) throws IOException {
            byte[] plain = bytes(page.getBytes());
            byte[] body = compressed ? Zstd.compress(plain) : plain;
            PageHeader header = new PageHeader(PageType.DICTIONARY_PAGE, plain.length, body.length);
            header.setDictionary_page_header(
                    new DictionaryPageHeader(page.getDictionarySize(), org.apache.parquet.format.Encoding.PLAIN));
            Util.writePageHeader(header, dictionary);
            dictionary.write(body);
            uncompressed += plain.length + 100;
        }

        ColumnChunk chunk(ColumnDescriptor column, long offset) {
            List<org.apache.parquet.format.Encoding> used = new ArrayList<>();
            encodings.forEach(e -> used.add(org.apache.parquet.format.Encoding.valueOf(e.name())));
            ColumnMetaData meta = new ColumnMetaData(
                    ParquetTypes.formatType(column.getPrimitiveType().getPrimitiveTypeName()),
                    used,
                    List.of(column.getPath()),
                    compressed ? CompressionCodec.ZSTD : CompressionCodec.UNCOMPRESSED,
                    values,
                    uncompressed,
                    data.size() + dictionary.size(),
                    offset + dictionary.size());
            if (dictionary.size() > 0) {
                meta.setDictionary_page_offset(offset);
            }
            ColumnChunk chunk = new ColumnChunk(0);
            chunk.setMeta_data(meta);
            return chunk;
        }

        @Override
        @SuppressWarnings("deprecation")
        public void writePage(BytesInput bytes, int count, Statistics<?> s, Encoding r, Encoding d, Encoding encoding) {
            throw new UnsupportedOperationException("version 1");
        }

        @Override
        public void writePage(
                BytesInput bytes, int count, int rows, Statistics<?> s, Encoding r, Encoding d, Encoding encoding) {
            throw new UnsupportedOperationException("version 1");
        }

        @Override
        public long getMemSize() {
            return data.size();
        }

        @Override
        public long allocatedSize() {
            return data.size();
        }

        @Override
        public String memUsageString(String prefix) {
            return prefix;
        }
    }

    private static List<List<Object>> rows(Random random, int n, int distinct, int nullPercent) {
        List<List<Object>> rows = new ArrayList<>();
        for (int i = 0; i < n; i++) {
            Object[] row = {
                distinct == 0 ? random.nextLong() : (Long) (1L << 40) + random.nextInt(distinct),
                random.nextInt(Math.max(1, distinct)) - 50,
                random.nextInt(4) == 0,
                random.nextInt(1000) / 8.0
            };
            for (int c = 0; c < row.length; c++) {
                row[c] = random.nextInt(100) < nullPercent ? null : row[c];
            }
            rows.add(Arrays.asList(row));
        }
        return rows;
    }

    private DataFile write(List<List<Object>> rows, boolean dictionaries, boolean compressed) throws IOException {
        MessageType type = ParquetTypes.messageType(SCHEMA);
        Map<ColumnDescriptor, Pages> pages = new LinkedHashMap<>();
        type.getColumns().forEach(c -> pages.put(c, new Pages(compressed)));
        ParquetProperties properties = ParquetProperties.builder()
                .withWriterVersion(ParquetProperties.WriterVersion.PARQUET_2_0)
                .withDictionaryEncoding(dictionaries)
                .withPageRowCountLimit(5_000)
                .withSizeStatisticsEnabled(false)
                .build();
        try (ColumnWriteStore store = properties.newColumnWriteStore(type, pages::get)) {
            for (List<Object> row : rows) {
                for (int c = 0; c < SCHEMA.size(); c++) {
                    put(row.get(c), store.getColumnWriter(type.getColumns().get(c)));
                }
                store.endRecord();
            }
            store.flush();
        }
        ByteArrayOutputStream out = new ByteArrayOutputStream();
        out.write("PAR1".getBytes(US_ASCII));
        List<ColumnChunk> chunks = new ArrayList<>();
        for (Map.Entry<ColumnDescriptor, Pages> column : pages.entrySet()) {
            chunks.add(column.getValue().chunk(column.getKey(), out.size()));
            column.getValue().dictionary.writeTo(out);
            column.getValue().data.writeTo(out);
        }
        RowGroup group = new RowGroup(chunks, out.size(), rows.size());
        int start = out.size();
        Util.writeFileMetaData(new FileMetaData(2, ParquetTypes.elements(type), rows.size(), List.of(group)), out);
        out.write(ByteBuffer.allocate(4)
                .order(ByteOrder.LITTLE_ENDIAN)
                .putInt(out.size() - start)
                .array());
        out.write("PAR1".getBytes(US_ASCII));
        Path path = folder.resolve("scans.parquet");
        Files.write(path, out.toByteArray());
        return new DataFile(path, out.size(), 1);
    }

    private static void put(Object value, ColumnWriter to) {
        switch (value) {
            case null -> to.writeNull(0, 0);
            case Long l -> to.write(l, 0, 1);
            case Integer i -> to.write(i, 0, 1);
            case Boolean b -> to.write(b, 0, 1);
            default -> to.write((Double) value, 0, 1);
        }
    }

    @ParameterizedTest
    @CsvSource({
        "20000, 0, 0, false, true",
        "20000, 1000000, 0, false, false",
        "20000, 30, 20, true, true",
        "20000, 1000000, 60, false, true",
        "12345, 7, 99, true, false",
        "1, 5, 0, false, true",
        "300, 5, 100, true, true"
    })
    void valuesAreReadAsTheyWereWritten(
            int count, int distinct, int nullPercent, boolean dictionaries, boolean compressed) throws IOException {
        List<List<Object>> rows = rows(new Random(count + distinct), count, distinct, nullPercent);
        DataFile file = write(rows, dictionaries, compressed);
        List<List<Object>> read = new ArrayList<>();
        Piece piece = new Piece(file, 0, file.bytes());
        try (BatchReader reader =
                new ParquetFormat().read(piece, COLUMNS, FormatOptions.DEFAULTS, ReadContext.STRICT)) {
            assertInstanceOf(FlatPieceReader.class, reader);
            for (Batch batch = reader.next(); batch != null; batch = reader.next()) {
                for (int i = 0; i < batch.rowCount(); i++) {
                    List<Object> row = new ArrayList<>();
                    for (int c = 0; c < SCHEMA.size(); c++) {
                        row.add(Values.get(batch.column(c), i, SCHEMA.field(c).type()));
                    }
                    read.add(row);
                }
            }
        }
        assertEquals(rows, read);
    }
}
