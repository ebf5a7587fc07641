package org.unimeros.storage.format.parquet;

import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Set;
import java.util.zip.CRC32;
import org.apache.parquet.bytes.BytesInput;
import org.apache.parquet.column.ColumnDescriptor;
import org.apache.parquet.column.Encoding;
import org.apache.parquet.column.page.DictionaryPage;
import org.apache.parquet.column.page.PageWriter;
import org.apache.parquet.column.statistics.SizeStatistics;
import org.apache.parquet.column.statistics.Statistics;
import org.apache.parquet.column.statistics.geospatial.GeospatialStatistics;
import org.apache.parquet.format.ColumnChunk;
import org.apache.parquet.format.ColumnMetaData;
import org.apache.parquet.format.DataPageHeader;
import org.apache.parquet.format.DictionaryPageHeader;
import org.apache.parquet.format.PageHeader;
import org.apache.parquet.format.PageType;
import org.apache.parquet.format.Util;

/** The pages of one column of one row group, compressed and in memory until the row group is written. */
final class ChunkBuffer implements PageWriter {

    private final ColumnDescriptor column;
    private final Compressor compressor;
    private final ByteArrayOutputStream dataPages = new ByteArrayOutputStream();
    private final ByteArrayOutputStream dictionaryPage = new ByteArrayOutputStream();
    private final Set<Encoding> encodings = new LinkedHashSet<>();
    private Statistics<?> statistics;
    private long values;
    private long uncompressed;

    ChunkBuffer(ColumnDescriptor column, Compressor compressor) {
        this.column = column;
        this.compressor = compressor;
    }

    @Override
    @SuppressWarnings("deprecation")
    public void writePage(
            BytesInput bytes,
            int valueCount,
            Statistics<?> pageStatistics,
            Encoding repetition,
            Encoding definition,
            Encoding valuesEncoding)
            throws IOException {
        writeDataPage(bytes, valueCount, pageStatistics, repetition, definition, valuesEncoding);
    }

    @Override
    public void writePage(
            BytesInput bytes,
            int valueCount,
            int rowCount,
            Statistics<?> pageStatistics,
            SizeStatistics sizes,
            GeospatialStatistics places,
            Encoding repetition,
            Encoding definition,
            Encoding valuesEncoding)
            throws IOException {
        writeDataPage(bytes, valueCount, pageStatistics, repetition, definition, valuesEncoding);
    }

    private void writeDataPage(
            BytesInput bytes,
            int valueCount,
            Statistics<?> pageStatistics,
            Encoding repetition,
            Encoding definition,
            Encoding valuesEncoding)
            throws IOException {
        PageHeader header = new PageHeader();
        header.setType(PageType.DATA_PAGE);
        header.setData_page_header(
                new DataPageHeader(valueCount, encoding(valuesEncoding), encoding(definition), encoding(repetition)));
        append(header, bytes(bytes), dataPages);
        encodings.addAll(List.of(repetition, definition, valuesEncoding));
        values += valueCount;
        merge(pageStatistics);
    }

    @Override
    public void writePage(
            BytesInput bytes,
            int valueCount,
            int rowCount,
            Statistics<?> pageStatistics,
            Encoding repetition,
            Encoding definition,
            Encoding valuesEncoding)
            throws IOException {
        writeDataPage(bytes, valueCount, pageStatistics, repetition, definition, valuesEncoding);
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
            Statistics<?> pageStatistics) {
        throw new UnsupportedOperationException("pages are written in version 1");
    }

    @Override
    public void writeDictionaryPage(DictionaryPage page) throws IOException {
        PageHeader header = new PageHeader();
        header.setType(PageType.DICTIONARY_PAGE);
        header.setDictionary_page_header(
                new DictionaryPageHeader(page.getDictionarySize(), encoding(page.getEncoding())));
        append(header, bytes(page.getBytes()), dictionaryPage);
        encodings.add(page.getEncoding());
    }

    private static byte[] bytes(BytesInput input) throws IOException {
        ByteArrayOutputStream out = new ByteArrayOutputStream((int) input.size());
        input.writeAllTo(out);
        return out.toByteArray();
    }

    private void append(PageHeader header, byte[] body, ByteArrayOutputStream to) throws IOException {
        byte[] compressed = compressor.compress(body);
        CRC32 checksum = new CRC32();
        checksum.update(compressed);
        header.setUncompressed_page_size(body.length);
        header.setCompressed_page_size(compressed.length);
        header.setCrc((int) checksum.getValue());
        int before = to.size();
        Util.writePageHeader(header, to);
        uncompressed += to.size() - before + body.length;
        to.write(compressed);
    }

    private void merge(Statistics<?> page) {
        if (statistics == null) {
            statistics = page.copy();
        } else {
            statistics.mergeStatistics(page);
        }
    }

    private static org.apache.parquet.format.Encoding encoding(Encoding encoding) {
        return org.apache.parquet.format.Encoding.valueOf(encoding.name());
    }

    long size() {
        return dataPages.size() + dictionaryPage.size();
    }

    long uncompressedBytes() {
        return uncompressed;
    }

    /** Writes the chunk; {@code offset} is where it begins in the file. */
    ColumnChunk writeTo(OutputStream out, long offset) throws IOException {
        dictionaryPage.writeTo(out);
        dataPages.writeTo(out);
        List<org.apache.parquet.format.Encoding> used = new ArrayList<>();
        encodings.forEach(e -> used.add(encoding(e)));
        ColumnMetaData meta = new ColumnMetaData(
                ParquetTypes.formatType(column.getPrimitiveType().getPrimitiveTypeName()),
                used,
                List.of(column.getPath()),
                compressor.codec(),
                values,
                uncompressed,
                size(),
                offset + dictionaryPage.size());
        if (dictionaryPage.size() > 0) {
            meta.setDictionary_page_offset(offset);
        }
        if (statistics != null) {
            meta.setStatistics(formatStatistics());
        }
        ColumnChunk chunk = new ColumnChunk(0);
        chunk.setMeta_data(meta);
        return chunk;
    }

    /** Bounds are left out where a value is very long; they would only swell the footer. */
    private org.apache.parquet.format.Statistics formatStatistics() {
        org.apache.parquet.format.Statistics written = new org.apache.parquet.format.Statistics();
        written.setNull_count(statistics.getNumNulls());
        if (statistics.hasNonNullValue() && statistics.isSmallerThan(1024)) {
            written.setMin_value(statistics.getMinBytes());
            written.setMax_value(statistics.getMaxBytes());
        }
        return written;
    }

    @Override
    public long getMemSize() {
        return size();
    }

    @Override
    public long allocatedSize() {
        return size();
    }

    @Override
    public String memUsageString(String prefix) {
        return prefix + " " + size() + " bytes";
    }
}
