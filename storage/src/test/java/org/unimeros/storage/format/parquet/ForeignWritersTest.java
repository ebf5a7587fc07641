package org.unimeros.storage.format.parquet;

import static java.nio.charset.StandardCharsets.US_ASCII;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertInstanceOf;

import com.github.luben.zstd.Zstd;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.math.BigDecimal;
import java.math.BigInteger;
import java.nio.ByteBuffer;
import java.nio.ByteOrder;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HexFormat;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Random;
import java.util.Set;
import java.util.zip.GZIPOutputStream;
import org.apache.parquet.bytes.BytesInput;
import org.apache.parquet.column.ColumnDescriptor;
import org.apache.parquet.column.ColumnWriteStore;
import org.apache.parquet.column.ColumnWriter;
import org.apache.parquet.column.Encoding;
import org.apache.parquet.column.ParquetProperties;
import org.apache.parquet.column.ParquetProperties.WriterVersion;
import org.apache.parquet.column.page.DictionaryPage;
import org.apache.parquet.column.page.PageWriter;
import org.apache.parquet.column.statistics.SizeStatistics;
import org.apache.parquet.column.statistics.Statistics;
import org.apache.parquet.column.statistics.geospatial.GeospatialStatistics;
import org.apache.parquet.format.ColumnChunk;
import org.apache.parquet.format.ColumnMetaData;
import org.apache.parquet.format.CompressionCodec;
import org.apache.parquet.format.DataPageHeader;
import org.apache.parquet.format.DataPageHeaderV2;
import org.apache.parquet.format.DictionaryPageHeader;
import org.apache.parquet.format.FileMetaData;
import org.apache.parquet.format.PageHeader;
import org.apache.parquet.format.PageType;
import org.apache.parquet.format.RowGroup;
import org.apache.parquet.format.Util;
import org.apache.parquet.io.api.Binary;
import org.apache.parquet.schema.MessageType;
import org.apache.parquet.schema.MessageTypeParser;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.EnumSource;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Bytes;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.error.UnimerosException;
import org.unimeros.engine.source.BatchReader;
import org.unimeros.engine.source.ReadContext;
import org.unimeros.storage.format.ColumnSpec;
import org.unimeros.storage.format.DataFile;
import org.unimeros.storage.format.FormatOptions;
import org.unimeros.storage.format.Piece;
import org.unimeros.storage.store.StorePath;
import org.xerial.snappy.Snappy;

/**
 * Files as five kinds of other programs write them, through the library of the format: pages of the first and of the second
 * version, with dictionaries, plain, as differences, with common starts left out, and as streams of bytes; decimals as bytes.
 */
class ForeignWritersTest {

    private static final MessageType STORED = MessageTypeParser.parseMessageType("""
            message scans {
              optional int64 scan_id;
              optional int32 weight_g;
              optional boolean damaged;
              optional double share;
              optional float load;
              optional binary depot (STRING);
              optional fixed_len_byte_array(16) price (DECIMAL(15, 2));
              optional fixed_len_byte_array(6) fee (DECIMAL(14, 3));
              optional fixed_len_byte_array(15) total (DECIMAL(34, 4));
              optional binary toll (DECIMAL(12, 2));
              optional binary debt (DECIMAL(38, 0));
              optional fixed_len_byte_array(3) seal;
            }
            """);
    private static final Schema SCHEMA = Schema.of(
            Field.of("scan_id", DataType.LONG),
            Field.of("weight_g", DataType.INT),
            Field.of("damaged", DataType.BOOLEAN),
            Field.of("share", DataType.DOUBLE),
            Field.of("load", DataType.FLOAT),
            Field.of("depot", DataType.TEXT),
            Field.of("price", new DataType.Decimal(15, 2)),
            Field.of("fee", new DataType.Decimal(14, 3)),
            Field.of("total", new DataType.Decimal(34, 4)),
            Field.of("toll", new DataType.Decimal(12, 2)),
            Field.of("debt", new DataType.Decimal(38, 0)),
            Field.of("seal", DataType.BYTES));
    private static final List<ColumnSpec> COLUMNS =
            SCHEMA.fields().stream().map(f -> ColumnSpec.of(f.name(), f.type())).toList();

    /** How a program writes. */
    private enum Program {
        FIRST_VERSION(WriterVersion.PARQUET_1_0, true, false, CompressionCodec.SNAPPY),
        PLAIN(WriterVersion.PARQUET_1_0, false, false, CompressionCodec.UNCOMPRESSED),
        SECOND_VERSION(WriterVersion.PARQUET_2_0, true, false, CompressionCodec.ZSTD),
        DIFFERENCES(WriterVersion.PARQUET_2_0, false, false, CompressionCodec.GZIP),
        STREAMS(WriterVersion.PARQUET_2_0, false, true, CompressionCodec.ZSTD);

        private final ParquetProperties properties;
        private final CompressionCodec codec;

        Program(WriterVersion version, boolean dictionaries, boolean streams, CompressionCodec codec) {
            this.properties = ParquetProperties.builder()
                    .withWriterVersion(version)
                    .withDictionaryEncoding(dictionaries)
                    .withExtendedByteStreamSplitEncoding(streams)
                    .withPageRowCountLimit(5_000)
                    .withSizeStatisticsEnabled(false)
                    .build();
            this.codec = codec;
        }

        byte[] pack(byte[] plain) throws IOException {
            return switch (codec) {
                case ZSTD -> Zstd.compress(plain);
                case SNAPPY -> Snappy.compress(plain);
                case GZIP -> {
                    ByteArrayOutputStream out = new ByteArrayOutputStream();
                    try (GZIPOutputStream to = new GZIPOutputStream(out)) {
                        to.write(plain);
                    }
                    yield out.toByteArray();
                }
                default -> plain;
            };
        }
    }

    @TempDir
    Path folder;

    /** Keeps pages as the format wants them: levels as they are, values compressed or not. */
    private static final class Pages implements PageWriter {
        private final ByteArrayOutputStream data = new ByteArrayOutputStream();
        private final ByteArrayOutputStream dictionary = new ByteArrayOutputStream();
        private final Set<Encoding> encodings = new LinkedHashSet<>();
        private final Program program;
        private long values;
        private long uncompressed;

        Pages(Program program) {
            this.program = program;
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
            byte[] body = program.pack(plain);
            DataPageHeaderV2 v2 = new DataPageHeaderV2(
                    valueCount,
                    nullCount,
                    rowCount,
                    org.apache.parquet.format.Encoding.valueOf(dataEncoding.name()),
                    levels.length,
                    (int) repetitionLevels.size());
            v2.setIs_compressed(program.codec != CompressionCodec.UNCOMPRESSED);
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
            byte[] body = program.pack(plain);
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
                    program.codec,
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
        public void writePage(
                BytesInput input, int count, Statistics<?> s, Encoding r, Encoding definition, Encoding encoding)
                throws IOException {
            byte[] plain = bytes(input);
            byte[] body = program.pack(plain);
            PageHeader header = new PageHeader(PageType.DATA_PAGE, plain.length, body.length);
            header.setData_page_header(new DataPageHeader(
                    count,
                    org.apache.parquet.format.Encoding.valueOf(encoding.name()),
                    org.apache.parquet.format.Encoding.valueOf(definition.name()),
                    org.apache.parquet.format.Encoding.RLE));
            Util.writePageHeader(header, data);
            data.write(body);
            values += count;
            uncompressed += plain.length + 100;
            encodings.add(encoding);
        }

        @Override
        public void writePage(
                BytesInput bytes, int count, int rows, Statistics<?> s, Encoding r, Encoding d, Encoding encoding)
                throws IOException {
            writePage(bytes, count, s, r, d, encoding);
        }

        @Override
        public void writePage(
                BytesInput bytes,
                int count,
                int rows,
                Statistics<?> s,
                SizeStatistics sizes,
                GeospatialStatistics places,
                Encoding r,
                Encoding d,
                Encoding encoding)
                throws IOException {
            writePage(bytes, count, s, r, d, encoding);
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
            int pick = distinct == 0 ? random.nextInt() : random.nextInt(distinct);
            Object[] row = {
                distinct == 0 ? random.nextLong() : (Long) (1L << 40) + pick,
                pick / 2 - 50,
                random.nextInt(4) == 0,
                pick / 8.0,
                pick % 1000 / 4f,
                "depot-" + Integer.toString(pick, 36) + "ü".repeat(Math.abs(pick % 3)),
                BigDecimal.valueOf(pick * 100_000L - 7, 2),
                BigDecimal.valueOf(pick * 3L, 3),
                new BigDecimal(BigInteger.valueOf(pick).pow(3).shiftLeft(10), 4),
                BigDecimal.valueOf(pick, 2),
                new BigDecimal(BigInteger.valueOf(pick).multiply(BigInteger.TEN.pow(28))),
                "62%02d63".formatted(30 + Math.abs(pick % 10))
            };
            for (int c = 0; c < row.length; c++) {
                row[c] = random.nextInt(100) < nullPercent ? null : row[c];
            }
            rows.add(Arrays.asList(row));
        }
        return rows;
    }

    private DataFile write(List<List<Object>> rows, Program program) throws IOException {
        Map<ColumnDescriptor, Pages> pages = new LinkedHashMap<>();
        STORED.getColumns().forEach(c -> pages.put(c, new Pages(program)));
        try (ColumnWriteStore store = program.properties.newColumnWriteStore(STORED, pages::get)) {
            for (List<Object> row : rows) {
                for (int c = 0; c < SCHEMA.size(); c++) {
                    put(row.get(c), STORED.getColumns().get(c), store);
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
        Util.writeFileMetaData(new FileMetaData(2, ParquetTypes.elements(STORED), rows.size(), List.of(group)), out);
        out.write(ByteBuffer.allocate(4)
                .order(ByteOrder.LITTLE_ENDIAN)
                .putInt(out.size() - start)
                .array());
        out.write("PAR1".getBytes(US_ASCII));
        Path path = folder.resolve("scans.parquet");
        Files.write(path, out.toByteArray());
        return new DataFile(StorePath.of(path), out.size(), 1);
    }

    private static void put(Object value, ColumnDescriptor column, ColumnWriteStore store) {
        ColumnWriter to = store.getColumnWriter(column);
        switch (value) {
            case null -> to.writeNull(0, 0);
            case Long l -> to.write(l, 0, 1);
            case Integer i -> to.write(i, 0, 1);
            case Boolean b -> to.write(b, 0, 1);
            case Float f -> to.write(f, 0, 1);
            case Double d -> to.write(d, 0, 1);
            case BigDecimal d -> to.write(unscaled(d, column.getPrimitiveType().getTypeLength()), 0, 1);
            default -> {
                boolean isHex = column.getPrimitiveType().getTypeLength() > 0;
                String text = (String) value;
                Binary bytes =
                        isHex ? Binary.fromConstantByteArray(HexFormat.of().parseHex(text)) : Binary.fromString(text);
                to.write(bytes, 0, 1);
            }
        }
    }

    private static Binary unscaled(BigDecimal value, int length) {
        byte[] bytes = value.unscaledValue().toByteArray();
        if (length == 0) {
            return Binary.fromConstantByteArray(bytes);
        }
        byte[] padded = new byte[length];
        Arrays.fill(padded, (byte) value.signum() < 0 ? (byte) -1 : 0);
        System.arraycopy(bytes, 0, padded, length - bytes.length, bytes.length);
        return Binary.fromConstantByteArray(padded);
    }

    private static BatchReader open(DataFile file) {
        return new ParquetFormat()
                .read(new Piece(file, 0, file.bytes()), COLUMNS, FormatOptions.DEFAULTS, ReadContext.STRICT);
    }

    private static List<List<Object>> read(BatchReader rows) {
        List<List<Object>> read = new ArrayList<>();
        try (BatchReader reader = rows) {
            for (Batch batch = reader.next(); batch != null; batch = reader.next()) {
                for (int i = 0; i < batch.rowCount(); i++) {
                    List<Object> row = new ArrayList<>();
                    for (int c = 0; c < SCHEMA.size(); c++) {
                        Object value =
                                Values.get(batch.column(c), i, SCHEMA.field(c).type());
                        row.add(value instanceof Bytes ? value.toString() : value);
                    }
                    read.add(row);
                }
            }
        }
        return read;
    }

    @ParameterizedTest
    @EnumSource
    void valuesAreReadAsTheyWereWritten(Program program) throws IOException {
        int[][] forms = {
            {20_000, 0, 0},
            {20_000, 1, 0},
            {20_000, 1_000_000, 0},
            {20_000, 30, 20},
            {12_345, 1_000_000, 60},
            {12_345, 7, 99},
            {1, 5, 0},
            {300, 5, 100}
        };
        for (int[] form : forms) {
            List<List<Object>> rows = rows(new Random(form[0] + form[1]), form[0], form[1], form[2]);
            DataFile file = write(rows, program);
            BatchReader reader = open(file);
            assertInstanceOf(FlatPieceReader.class, reader);
            List<List<Object>> read = read(reader);
            assertEquals(rows.size(), read.size());
            for (int i = 0; i < read.size(); i++) {
                assertEquals(rows.get(i), read.get(i), program + " " + Arrays.toString(form) + " row " + i);
            }
        }
    }

    @ParameterizedTest
    @EnumSource
    void aFileWithChangedBytesIsReadOrRefused(Program program) throws IOException {
        DataFile file = write(rows(new Random(9), 500, 100, 10), program);
        byte[] bytes = Files.readAllBytes(Path.of(file.toString()));
        Random random = new Random(10);
        for (int round = 0; round < 300; round++) {
            byte[] changed = bytes.clone();
            changed[4 + random.nextInt(bytes.length - 4)] ^= (byte) (1 << random.nextInt(8));
            Path path = folder.resolve("changed-" + round + ".parquet");
            Files.write(path, changed);
            try {
                read(open(new DataFile(StorePath.of(path), changed.length, 1)));
            } catch (UnimerosException e) {
                // what cannot be read is told as bad data
            }
        }
    }
}
