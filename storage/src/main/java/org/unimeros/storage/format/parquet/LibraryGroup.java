package org.unimeros.storage.format.parquet;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import org.apache.parquet.column.ColumnDescriptor;
import org.apache.parquet.column.ColumnWriteStore;
import org.apache.parquet.column.ParquetProperties;
import org.apache.parquet.schema.MessageType;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Schema;

/** A row group written by the encoders of the format's library, which know nested columns. */
final class LibraryGroup implements ParquetFileWriter.OpenGroup {

    /** Rows are handed over in slices, because the column writers look at page sizes only when a record ends. */
    private static final int SLICE_ROWS = 1000;

    private static final ParquetProperties PROPERTIES = ParquetProperties.builder()
            .withWriterVersion(ParquetProperties.WriterVersion.PARQUET_1_0)
            .withDictionaryEncoding(true)
            .withSizeStatisticsEnabled(false)
            .build();

    /** A column of the file, and the number of the column of rows that it comes from. */
    private record Leaf(int column, LeafWriter writer) {}

    private final MessageType type;
    private final List<Leaf> leaves = new ArrayList<>();
    private final Map<ColumnDescriptor, ChunkBuffer> chunks = new LinkedHashMap<>();
    private final ColumnWriteStore store;

    LibraryGroup(Schema schema, MessageType type, Compressor compressor) {
        this.type = type;
        for (int c = 0; c < schema.size(); c++) {
            leaves(schema.field(c).type(), c, new int[0], leaves);
        }
        type.getColumns().forEach(c -> chunks.put(c, new ChunkBuffer(c, compressor)));
        store = PROPERTIES.newColumnWriteStore(type, chunks::get);
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
        }
    }

    @Override
    public long bufferedBytes() {
        return store.getBufferedSize()
                + chunks.values().stream().mapToLong(ChunkBuffer::size).sum();
    }

    @Override
    public List<ChunkBuffer> finish() {
        store.flush();
        return List.copyOf(chunks.values());
    }

    @Override
    public void close() {
        store.close();
    }
}
