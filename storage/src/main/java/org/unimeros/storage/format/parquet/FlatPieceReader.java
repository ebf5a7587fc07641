package org.unimeros.storage.format.parquet;

import dev.hardwood.metadata.ColumnChunk;
import dev.hardwood.metadata.PhysicalType;
import dev.hardwood.metadata.RowGroup;
import dev.hardwood.schema.SchemaNode;
import dev.hardwood.schema.SchemaNode.PrimitiveNode;
import java.io.IOException;
import java.util.ArrayDeque;
import java.util.Deque;
import java.util.List;
import java.util.Optional;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.source.BatchReader;
import org.unimeros.storage.format.ColumnSpec;
import org.unimeros.storage.format.Io;
import org.unimeros.storage.format.Piece;
import org.unimeros.storage.store.ReadableFile;

/**
 * Reads the row groups of a piece where all wanted columns have one value per row and are written in the usual ways: page by
 * page in the calling thread, text in its dictionary codes. Everything else is for {@link ParquetPieceReader}.
 */
final class FlatPieceReader implements BatchReader {

    private final Piece piece;
    private final List<ColumnSpec> columns;
    private final SchemaNode[] fields;
    private final Deque<RowGroup> groups;
    private final ReadableFile file;
    private final ParquetFormat.Footer footer;
    private FlatColumn[] open;
    private long rowsLeft;

    FlatPieceReader(Piece piece, List<ColumnSpec> columns, SchemaNode[] fields, ParquetFormat.Footer footer) {
        this.piece = piece;
        this.columns = columns;
        this.fields = fields;
        this.footer = footer;
        this.groups = new ArrayDeque<>(groups(piece, footer));
        try {
            this.file = piece.file().path().open();
        } catch (IOException e) {
            throw Io.failure("read", piece.file().path(), e);
        }
    }

    /** The row groups that begin in a piece. */
    static List<RowGroup> groups(Piece piece, ParquetFormat.Footer footer) {
        return footer.meta().rowGroups().stream()
                .filter(g -> ParquetFormat.start(g) >= piece.start() && ParquetFormat.start(g) < piece.end())
                .toList();
    }

    /** Whether this reader can read these fields of a file, null where the file has none. */
    static boolean canRead(Piece piece, List<ColumnSpec> columns, SchemaNode[] fields, ParquetFormat.Footer footer) {
        List<RowGroup> groups = groups(piece, footer);
        for (int c = 0; c < fields.length; c++) {
            if (fields[c] == null) {
                continue;
            }
            if (!ParquetPieceReader.isFlat(fields[c]) || ((PrimitiveNode) fields[c]).type() == PhysicalType.INT96) {
                return false;
            }
            int index = ((PrimitiveNode) fields[c]).columnIndex();
            if (!groups.stream().allMatch(g -> FlatColumn.isKnown(g.columns().get(index)))) {
                return false;
            }
        }
        return true;
    }

    @Override
    public Batch next() {
        try {
            while (rowsLeft == 0) {
                if (groups.isEmpty()) {
                    return null;
                }
                open(groups.poll());
            }
            int rows = (int) Math.min(rowsLeft, Batch.TARGET_ROWS);
            Column[] out = new Column[open.length];
            for (int c = 0; c < out.length; c++) {
                out[c] = open[c] == null ? ColumnBuilder.nulls(columns.get(c).type(), rows) : open[c].read(rows);
            }
            rowsLeft -= rows;
            return new Batch(rows, out);
        } catch (IOException | RuntimeException e) {
            throw FooterCheck.asBadData(piece.file(), e);
        }
    }

    private void open(RowGroup group) {
        rowsLeft = group.numRows();
        open = new FlatColumn[fields.length];
        for (int c = 0; c < open.length; c++) {
            if (fields[c] != null) {
                PrimitiveNode node = (PrimitiveNode) fields[c];
                open[c] = column(
                        group.columns().get(node.columnIndex()),
                        node,
                        columns.get(c).type());
            }
        }
    }

    private FlatColumn column(ColumnChunk chunk, PrimitiveNode node, DataType type) {
        if (chunk.metaData().type() != node.type()) {
            throw PageBytes.damaged("column " + node.name() + " has two types");
        }
        FlatColumn.Stored stored = new FlatColumn.Stored(file, chunk, node, width(node));
        return switch (node.type()) {
            case INT32 -> new FlatNumbers.Ints(stored, type);
            case INT64 -> new FlatNumbers.Longs(stored, type);
            case FLOAT, DOUBLE -> new FlatNumbers.Doubles(stored);
            case BOOLEAN -> new FlatNumbers.Truths(stored);
            case BYTE_ARRAY, FIXED_LEN_BYTE_ARRAY ->
                type instanceof DataType.Decimal decimal ? new FlatDecimals(stored, decimal) : new FlatTexts(stored);
            case INT96 -> throw new IllegalStateException(node.type() + " was not refused");
        };
    }

    private int width(PrimitiveNode node) {
        return switch (node.type()) {
            case INT32, FLOAT -> 4;
            case INT64, DOUBLE -> 8;
            case BOOLEAN, BYTE_ARRAY -> 0;
            case INT96 -> 12;
            case FIXED_LEN_BYTE_ARRAY ->
                Optional.ofNullable(
                                footer.schema().getColumn(node.columnIndex()).typeLength())
                        .filter(bytes -> bytes > 0)
                        .orElseThrow(() -> PageBytes.damaged("column " + node.name() + " has values of no length"));
        };
    }

    @Override
    public void close() {
        try {
            file.close();
        } catch (IOException e) {
            throw Io.failure("close", piece.file().path(), e);
        }
    }
}
