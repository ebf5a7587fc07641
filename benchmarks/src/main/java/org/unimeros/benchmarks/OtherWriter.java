package org.unimeros.benchmarks;

import static java.nio.charset.StandardCharsets.US_ASCII;

import java.io.BufferedOutputStream;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.math.BigDecimal;
import java.nio.ByteBuffer;
import java.nio.ByteOrder;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.LocalDate;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
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
import org.apache.parquet.format.ConvertedType;
import org.apache.parquet.format.DataPageHeader;
import org.apache.parquet.format.DictionaryPageHeader;
import org.apache.parquet.format.FieldRepetitionType;
import org.apache.parquet.format.FileMetaData;
import org.apache.parquet.format.PageHeader;
import org.apache.parquet.format.PageType;
import org.apache.parquet.format.RowGroup;
import org.apache.parquet.format.SchemaElement;
import org.apache.parquet.format.Type;
import org.apache.parquet.format.Util;
import org.apache.parquet.io.api.Binary;
import org.apache.parquet.schema.MessageType;
import org.apache.parquet.schema.PrimitiveType.PrimitiveTypeName;
import org.apache.parquet.schema.Types;
import org.unimeros.Result;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.xerial.snappy.Snappy;

/**
 * Writes tables as many other programs do: pages of the first version, dictionaries where they are short, Snappy, decimals as bytes of
 * a fixed length.
 */
final class OtherWriter {

    private static final int GROUP_ROWS = 500_000;
    private static final byte[] MAGIC = "PAR1".getBytes(US_ASCII);
    private static final ParquetProperties PROPERTIES =
            ParquetProperties.builder().withSizeStatisticsEnabled(false).build();

    private OtherWriter() {}

    /** Writes a table to a file of a new folder. */
    static void write(Result result, Path folder) throws IOException {
        Files.createDirectories(folder);
        List<SchemaElement> elements = new ArrayList<>();
        SchemaElement root = new SchemaElement("rows");
        root.setNum_children(result.schema().size());
        elements.add(root);
        Types.MessageTypeBuilder message = Types.buildMessage();
        for (Field field : result.schema().fields()) {
            SchemaElement element = element(field);
            elements.add(element);
            PrimitiveTypeName type = PrimitiveTypeName.valueOf(
                    element.getType() == Type.BYTE_ARRAY
                            ? "BINARY"
                            : element.getType().name());
            message.optional(type).length(element.getType_length()).named(field.name());
        }
        MessageType schema = message.named("rows");
        try (OutputStream out = new BufferedOutputStream(Files.newOutputStream(folder.resolve("part-0.parquet")))) {
            out.write(MAGIC);
            long at = MAGIC.length;
            List<RowGroup> groups = new ArrayList<>();
            for (int from = 0; from < result.size(); from += GROUP_ROWS) {
                RowGroup group = group(result, from, Math.min(result.size(), from + GROUP_ROWS), schema, out, at);
                at += group.getTotal_byte_size();
                groups.add(group);
            }
            ByteArrayOutputStream footer = new ByteArrayOutputStream();
            Util.writeFileMetaData(new FileMetaData(1, elements, result.size(), groups), footer);
            footer.writeTo(out);
            out.write(ByteBuffer.allocate(4)
                    .order(ByteOrder.LITTLE_ENDIAN)
                    .putInt(footer.size())
                    .array());
            out.write(MAGIC);
        }
    }

    private static SchemaElement element(Field field) {
        SchemaElement element = new SchemaElement(field.name());
        element.setRepetition_type(FieldRepetitionType.OPTIONAL);
        switch (field.type()) {
            case DataType.Decimal decimal -> {
                element.setType(Type.FIXED_LEN_BYTE_ARRAY);
                element.setType_length(16);
                element.setConverted_type(ConvertedType.DECIMAL);
                element.setPrecision(decimal.precision());
                element.setScale(decimal.scale());
            }
            case DataType type -> {
                element.setType(
                        switch (type.physical()) {
                            case INTS -> Type.INT32;
                            case LONGS -> Type.INT64;
                            case DOUBLES -> Type.DOUBLE;
                            case BYTES -> Type.BYTE_ARRAY;
                            default -> throw new IllegalArgumentException(field + " is not in the network");
                        });
                if (type == DataType.TEXT || type == DataType.DATE) {
                    element.setConverted_type(type == DataType.TEXT ? ConvertedType.UTF8 : ConvertedType.DATE);
                }
            }
        }
        return element;
    }

    private static RowGroup group(Result result, int from, int end, MessageType schema, OutputStream out, long start)
            throws IOException {
        Map<ColumnDescriptor, Pages> pages = new LinkedHashMap<>();
        schema.getColumns().forEach(column -> pages.put(column, new Pages()));
        try (ColumnWriteStore store = PROPERTIES.newColumnWriteStore(schema, pages::get)) {
            for (int row = from; row < end; row++) {
                for (int c = 0; c < schema.getColumns().size(); c++) {
                    put(
                            result.row(row).get(c),
                            store.getColumnWriter(schema.getColumns().get(c)));
                }
                store.endRecord();
            }
            store.flush();
        }
        List<ColumnChunk> chunks = new ArrayList<>();
        long at = start;
        for (Map.Entry<ColumnDescriptor, Pages> column : pages.entrySet()) {
            Pages written = column.getValue();
            chunks.add(written.chunk(column.getKey(), at));
            written.dictionary.writeTo(out);
            written.data.writeTo(out);
            at += written.dictionary.size() + written.data.size();
        }
        return new RowGroup(chunks, at - start, end - from);
    }

    private static void put(Object value, ColumnWriter to) {
        switch (value) {
            case null -> to.writeNull(0, 0);
            case Integer i -> to.write(i, 0, 1);
            case Long l -> to.write(l, 0, 1);
            case Double d -> to.write(d, 0, 1);
            case LocalDate day -> to.write((int) day.toEpochDay(), 0, 1);
            case BigDecimal number -> {
                byte[] bytes = number.unscaledValue().toByteArray();
                byte[] padded = new byte[16];
                Arrays.fill(padded, (byte) (number.signum() < 0 ? -1 : 0));
                System.arraycopy(bytes, 0, padded, 16 - bytes.length, bytes.length);
                to.write(Binary.fromConstantByteArray(padded), 0, 1);
            }
            default -> to.write(Binary.fromString(value.toString()), 0, 1);
        }
    }

    /** The pages of a column of a row group. */
    private static final class Pages implements PageWriter {
        private final ByteArrayOutputStream data = new ByteArrayOutputStream();
        private final ByteArrayOutputStream dictionary = new ByteArrayOutputStream();
        private final Set<org.apache.parquet.format.Encoding> encodings = new LinkedHashSet<>();
        private long values;
        private long uncompressed;

        private void add(PageHeader header, byte[] packed, int plainBytes, ByteArrayOutputStream to)
                throws IOException {
            int before = to.size();
            Util.writePageHeader(header, to);
            uncompressed += to.size() - before + plainBytes;
            to.write(packed);
        }

        private static byte[] bytes(BytesInput input) throws IOException {
            ByteArrayOutputStream out = new ByteArrayOutputStream();
            input.writeAllTo(out);
            return out.toByteArray();
        }

        private static org.apache.parquet.format.Encoding encoding(Encoding encoding) {
            return org.apache.parquet.format.Encoding.valueOf(encoding.name());
        }

        @Override
        @SuppressWarnings("deprecation")
        public void writePage(
                BytesInput bytes,
                int count,
                Statistics<?> statistics,
                Encoding repetition,
                Encoding definition,
                Encoding encoding)
                throws IOException {
            byte[] plain = bytes(bytes);
            byte[] packed = Snappy.compress(plain);
            PageHeader header = new PageHeader(PageType.DATA_PAGE, plain.length, packed.length);
            header.setData_page_header(
                    new DataPageHeader(count, encoding(encoding), encoding(definition), encoding(repetition)));
            add(header, packed, plain.length, data);
            values += count;
            encodings.add(encoding(encoding));
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
        public void writePageV2(
                int rows, int nulls, int count, BytesInput r, BytesInput d, Encoding e, BytesInput b, Statistics<?> s) {
            throw new UnsupportedOperationException("pages of the second version");
        }

        @Override
        public void writeDictionaryPage(DictionaryPage page) throws IOException {
            byte[] plain = bytes(page.getBytes());
            byte[] packed = Snappy.compress(plain);
            PageHeader header = new PageHeader(PageType.DICTIONARY_PAGE, plain.length, packed.length);
            header.setDictionary_page_header(
                    new DictionaryPageHeader(page.getDictionarySize(), encoding(page.getEncoding())));
            add(header, packed, plain.length, dictionary);
        }

        ColumnChunk chunk(ColumnDescriptor column, long offset) {
            String type = column.getPrimitiveType().getPrimitiveTypeName().name();
            ColumnMetaData meta = new ColumnMetaData(
                    Type.valueOf(type.equals("BINARY") ? "BYTE_ARRAY" : type),
                    List.copyOf(encodings),
                    List.of(column.getPath()),
                    CompressionCodec.SNAPPY,
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
        public long getMemSize() {
            return data.size() + dictionary.size();
        }

        @Override
        public long allocatedSize() {
            return getMemSize();
        }

        @Override
        public String memUsageString(String prefix) {
            return prefix + getMemSize();
        }
    }
}
