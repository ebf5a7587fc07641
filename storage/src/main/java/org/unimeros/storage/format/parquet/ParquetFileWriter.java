package org.unimeros.storage.format.parquet;

import static java.nio.charset.StandardCharsets.US_ASCII;

import java.io.BufferedOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.apache.parquet.column.ColumnDescriptor;
import org.apache.parquet.column.ColumnWriteStore;
import org.apache.parquet.column.ParquetProperties;
import org.apache.parquet.format.ColumnChunk;
import org.apache.parquet.format.ColumnOrder;
import org.apache.parquet.format.FileMetaData;
import org.apache.parquet.format.RowGroup;
import org.apache.parquet.format.TypeDefinedOrder;
import org.apache.parquet.format.Util;
import org.apache.parquet.schema.MessageType;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Schema;
import org.unimeros.storage.format.FileWriter;
import org.unimeros.storage.format.Io;

/** Writes one Parquet file, row group by row group. */
final class ParquetFileWriter implements FileWriter {

    /** Rows are handed over in slices, because the column writers look at page sizes only when a record ends. */
    private static final int SLICE_ROWS = 1000;

    private static final long ROW_GROUP_BYTES = 64L << 20;
    private static final byte[] MAGIC = "PAR1".getBytes(US_ASCII);

    /** A column of the file, and the number of the column of rows that it comes from. */
    private record Leaf(int column, LeafWriter writer) {}

    private final Path path;
    private final MessageType type;
    private final List<Leaf> leaves = new ArrayList<>();
    private final Compressor compressor;
    private final ParquetProperties properties;
    private final CountingStream out;
    private final List<RowGroup> rowGroups = new ArrayList<>();
    private Map<ColumnDescriptor, ChunkBuffer> chunks;
    private ColumnWriteStore store;
    private long rowsInGroup;
    private long rows;

    ParquetFileWriter(Path path, Schema schema, Compressor compressor) {
        this.path = path;
        this.type = ParquetTypes.messageType(schema);
        for (int c = 0; c < schema.size(); c++) {
            leaves(schema.field(c).type(), c, new int[0], leaves);
        }
        this.compressor = compressor;
        this.properties = ParquetProperties.builder()
                .withWriterVersion(ParquetProperties.WriterVersion.PARQUET_1_0)
                .withDictionaryEncoding(true)
                .withSizeStatisticsEnabled(false)
                .build();
        try {
            this.out = new CountingStream(new BufferedOutputStream(Files.newOutputStream(path), 1 << 16));
            out.write(MAGIC);
        } catch (IOException e) {
            throw Io.failure("write", path, e);
        }
        beginRowGroup();
    }

    private void beginRowGroup() {
        chunks = new LinkedHashMap<>();
        type.getColumns().forEach(c -> chunks.put(c, new ChunkBuffer(c, compressor)));
        store = properties.newColumnWriteStore(type, chunks::get);
        rowsInGroup = 0;
    }

    @Override
    public void write(Batch batch) {
        for (int from = 0; from < batch.rowCount(); from += SLICE_ROWS) {
            int end = Math.min(batch.rowCount(), from + SLICE_ROWS);
            int c = 0;
            for (ColumnDescriptor descriptor : type.getColumns()) {
                Leaf leaf = leaves.get(c++);
                leaf.writer.write(batch.column(leaf.column), from, end, store.getColumnWriter(descriptor));
            }
            for (int i = from; i < end; i++) {
                store.endRecord();
            }
            rowsInGroup += end - from;
        }
        if (bufferedBytes() >= ROW_GROUP_BYTES) {
            flush();
        }
    }

    /** The columns of the file that a column of rows makes, in their order. */
    private static void leaves(DataType type, int column, int[] path, List<Leaf> into) {
        if (type instanceof DataType.ListOf list) {
            leaves(list.element(), column, path, into);
        } else if (type instanceof DataType.Struct struct) {
            for (int i = 0; i < struct.parts().size(); i++) {
                int[] inside = Arrays.copyOf(path, path.length + 1);
                inside[path.length] = i;
                leaves(struct.parts().get(i).type(), column, inside, into);
            }
        } else {
            into.add(new Leaf(column, new LeafWriter(type, path)));
        }
    }

    @Override
    public long bufferedBytes() {
        return rowsInGroup == 0
                ? 0
                : store.getBufferedSize()
                        + chunks.values().stream().mapToLong(ChunkBuffer::size).sum();
    }

    /** Ends the row group. */
    @Override
    public void flush() {
        if (rowsInGroup == 0) {
            return;
        }
        try {
            store.flush();
            long start = out.count;
            long uncompressed = 0;
            List<ColumnChunk> written = new ArrayList<>();
            for (ChunkBuffer chunk : chunks.values()) {
                written.add(chunk.writeTo(out, out.count));
                uncompressed += chunk.uncompressedBytes();
            }
            RowGroup group = new RowGroup(written, uncompressed, rowsInGroup);
            group.setFile_offset(start);
            group.setTotal_compressed_size(out.count - start);
            group.setOrdinal((short) rowGroups.size());
            rowGroups.add(group);
            rows += rowsInGroup;
            store.close();
            beginRowGroup();
        } catch (IOException e) {
            throw Io.failure("write", path, e);
        }
    }

    @Override
    public long finish() {
        flush();
        try {
            FileMetaData footer = new FileMetaData(1, ParquetTypes.elements(type), rows, rowGroups);
            footer.setCreated_by("unimeros");
            footer.setColumn_orders(type.getColumns().stream()
                    .map(c -> ColumnOrder.TYPE_ORDER(new TypeDefinedOrder()))
                    .toList());
            long start = out.count;
            Util.writeFileMetaData(footer, out);
            int length = (int) (out.count - start);
            out.write(new byte[] {(byte) length, (byte) (length >> 8), (byte) (length >> 16), (byte) (length >> 24)});
            out.write(MAGIC);
            out.close();
            return out.count;
        } catch (IOException e) {
            throw Io.failure("write", path, e);
        }
    }

    @Override
    public void close() {
        try {
            store.close();
            out.close();
        } catch (IOException e) {
            throw Io.failure("close", path, e);
        }
    }

    /** Knows how many bytes went through. */
    private static final class CountingStream extends OutputStream {
        private final OutputStream to;
        private long count;

        CountingStream(OutputStream to) {
            this.to = to;
        }

        @Override
        public void write(int b) throws IOException {
            to.write(b);
            count++;
        }

        @Override
        public void write(byte[] bytes, int offset, int length) throws IOException {
            to.write(bytes, offset, length);
            count += length;
        }

        @Override
        public void flush() throws IOException {
            to.flush();
        }

        @Override
        public void close() throws IOException {
            to.close();
        }
    }
}
