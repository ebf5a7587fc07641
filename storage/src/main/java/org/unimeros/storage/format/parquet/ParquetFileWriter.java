package org.unimeros.storage.format.parquet;

import static java.nio.charset.StandardCharsets.US_ASCII;

import java.io.IOException;
import java.util.ArrayList;
import java.util.List;
import org.apache.parquet.format.ColumnChunk;
import org.apache.parquet.format.ColumnOrder;
import org.apache.parquet.format.FileMetaData;
import org.apache.parquet.format.RowGroup;
import org.apache.parquet.format.TypeDefinedOrder;
import org.apache.parquet.format.Util;
import org.apache.parquet.schema.MessageType;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Schema;
import org.unimeros.storage.format.CountingOutput;
import org.unimeros.storage.format.FileWriter;
import org.unimeros.storage.format.Io;
import org.unimeros.storage.store.StorePath;

/** Writes one Parquet file, row group by row group. */
final class ParquetFileWriter implements FileWriter {

    private static final long ROW_GROUP_BYTES = 64L << 20;
    private static final byte[] MAGIC = "PAR1".getBytes(US_ASCII);

    private final StorePath path;
    private final Schema schema;
    private final MessageType type;
    private final Compressor compressor;
    private final boolean byLibrary;
    private final CountingOutput out;
    private final List<RowGroup> rowGroups = new ArrayList<>();
    private OpenGroup group;
    private long rowsInGroup;
    private long rows;

    /** A row group that is being written. */
    interface OpenGroup {
        void write(Batch batch) throws IOException;

        long bufferedBytes();

        /** The columns with all pages, in the order of the file. */
        List<ChunkBuffer> finish() throws IOException;

        void close();
    }

    ParquetFileWriter(StorePath path, Schema schema, Compressor compressor) {
        this(path, schema, compressor, !FlatGroup.canWrite(schema));
    }

    /** @param byLibrary whether the library writes even what could be written here */
    ParquetFileWriter(StorePath path, Schema schema, Compressor compressor, boolean byLibrary) {
        this.path = path;
        this.type = ParquetTypes.messageType(schema);
        this.schema = schema;
        this.compressor = compressor;
        this.byLibrary = byLibrary;
        try {
            this.out = Io.create(path);
            out.write(MAGIC);
        } catch (IOException e) {
            throw Io.failure("write", path, e);
        }
        beginRowGroup();
    }

    private void beginRowGroup() {
        group = byLibrary ? new LibraryGroup(schema, type, compressor) : new FlatGroup(schema, type, compressor);
        rowsInGroup = 0;
    }

    @Override
    public void write(Batch batch) {
        try {
            group.write(batch);
        } catch (IOException e) {
            throw Io.failure("write", path, e);
        }
        rowsInGroup += batch.rowCount();
        if (bufferedBytes() >= ROW_GROUP_BYTES) {
            flush();
        }
    }

    @Override
    public long bufferedBytes() {
        return rowsInGroup == 0 ? 0 : group.bufferedBytes();
    }

    /** Ends the row group. */
    @Override
    public void flush() {
        if (rowsInGroup == 0) {
            return;
        }
        try {
            long start = out.count();
            long uncompressed = 0;
            List<ColumnChunk> written = new ArrayList<>();
            for (ChunkBuffer chunk : group.finish()) {
                written.add(chunk.writeTo(out, out.count()));
                uncompressed += chunk.uncompressedBytes();
            }
            RowGroup made = new RowGroup(written, uncompressed, rowsInGroup);
            made.setFile_offset(start);
            made.setTotal_compressed_size(out.count() - start);
            made.setOrdinal((short) rowGroups.size());
            rowGroups.add(made);
            rows += rowsInGroup;
            group.close();
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
            long start = out.count();
            Util.writeFileMetaData(footer, out);
            int length = (int) (out.count() - start);
            out.write(new byte[] {(byte) length, (byte) (length >> 8), (byte) (length >> 16), (byte) (length >> 24)});
            out.write(MAGIC);
            out.close();
            return out.count();
        } catch (IOException e) {
            throw Io.failure("write", path, e);
        }
    }

    @Override
    public void close() {
        try {
            group.close();
            out.close();
        } catch (IOException e) {
            throw Io.failure("close", path, e);
        }
    }
}
