package org.unimeros.storage.format.parquet;

import java.io.IOException;
import java.util.ArrayList;
import java.util.List;
import org.apache.parquet.column.ColumnDescriptor;
import org.apache.parquet.schema.MessageType;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Schema;

/** A row group of columns of one value per row. */
final class FlatGroup implements ParquetFileWriter.OpenGroup {

    private final List<FlatWriter> columns = new ArrayList<>();

    FlatGroup(Schema schema, MessageType type, Compressor compressor) {
        List<ColumnDescriptor> descriptors = type.getColumns();
        for (int c = 0; c < schema.size(); c++) {
            ColumnDescriptor column = descriptors.get(c);
            columns.add(FlatWriter.of(schema.field(c).type(), column, new ChunkBuffer(column, compressor)));
        }
    }

    /** Whether all columns are of types that are written here; the others are for the library. */
    static boolean canWrite(Schema schema) {
        return schema.fields().stream().allMatch(f -> FlatWriter.canWrite(f.type()));
    }

    @Override
    public void write(Batch batch) throws IOException {
        for (int c = 0; c < columns.size(); c++) {
            columns.get(c).write(batch.column(c), 0, batch.rowCount());
        }
    }

    @Override
    public long bufferedBytes() {
        return columns.stream().mapToLong(FlatWriter::bufferedBytes).sum();
    }

    @Override
    public List<ChunkBuffer> finish() throws IOException {
        List<ChunkBuffer> chunks = new ArrayList<>();
        for (FlatWriter column : columns) {
            chunks.add(column.finish());
        }
        return chunks;
    }

    @Override
    public void close() {
        // all of it is in memory
    }
}
