package org.unimeros.storage.format.parquet;

import dev.hardwood.HardwoodContext;
import dev.hardwood.metadata.RepetitionType;
import dev.hardwood.reader.ColumnReader;
import dev.hardwood.reader.ColumnReaders;
import dev.hardwood.reader.ParquetFileReader;
import dev.hardwood.reader.RowGroupPredicate;
import dev.hardwood.reader.Validity;
import dev.hardwood.schema.ColumnProjection;
import dev.hardwood.schema.SchemaNode;
import dev.hardwood.schema.SchemaNode.PrimitiveNode;
import java.io.IOException;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.source.BatchReader;
import org.unimeros.engine.source.ReadContext;
import org.unimeros.storage.format.ColumnSpec;
import org.unimeros.storage.format.Piece;

/** Reads the row groups of a piece through the library, which knows nested fields and every encoding; wanted columns only. */
final class ParquetPieceReader implements BatchReader {

    /** A field of one value per row. */
    private record Flat(PrimitiveNode node) implements Source {}

    /** Where a column stands in the file. */
    sealed interface Source permits Flat, NestedColumn {}

    private final Piece piece;
    private final List<ColumnSpec> columns;
    private final Source[] sources;
    private final HardwoodContext threads;
    private final Watchdog watchdog;
    private ParquetFileReader file;
    private ColumnReaders readers;

    ParquetPieceReader(
            Piece piece,
            List<ColumnSpec> columns,
            SchemaNode[] fields,
            ParquetFormat.Footer footer,
            Watchdog watchdog) {
        this.watchdog = watchdog;
        this.piece = piece;
        this.columns = columns;
        this.sources = new Source[columns.size()];
        List<String> names = new ArrayList<>();
        for (int c = 0; c < fields.length; c++) {
            if (fields[c] != null) {
                names.add(fields[c].name());
                sources[c] = isFlat(fields[c])
                        ? new Flat((PrimitiveNode) fields[c])
                        : new NestedColumn(
                                fields[c], ParquetTypes.dataType(fields[c]).orElseThrow(), footer.schema());
            }
        }
        this.threads = HardwoodContext.create(1);
        try {
            file = ParquetFileReader.open(new LibraryInput(piece.file()), threads);
            readers = file.buildColumnReaders(ColumnProjection.columns(names.toArray(String[]::new)))
                    .filter(RowGroupPredicate.byteRange(piece.start(), piece.end()))
                    .batchSize(Batch.TARGET_ROWS)
                    .build();
        } catch (IOException | RuntimeException e) {
            close();
            throw ParquetFormat.broken(piece.file(), e);
        }
    }

    /** Finds columns in a file; null where it has none. */
    static SchemaNode[] match(Piece piece, List<ColumnSpec> columns, ParquetFormat.Footer footer, ReadContext context) {
        SchemaNode[] fields = new SchemaNode[columns.size()];
        for (int c = 0; c < columns.size(); c++) {
            ColumnSpec wanted = columns.get(c);
            Optional<SchemaNode> found = ParquetTypes.field(footer.schema(), wanted.path());
            if (found.isEmpty()) {
                context.warn("column " + wanted.name() + " is absent in some files and null there, first in "
                        + piece.file());
                continue;
            }
            DataType stored = ParquetTypes.dataType(found.get())
                    .orElseThrow(() -> new UserMistake("column " + ParquetTypes.describe(found.get()) + " of "
                            + piece.file() + " has a type that is not supported"));
            requireReadable(piece, wanted, stored);
            fields[c] = found.get();
        }
        return fields;
    }

    /** Whether a field has one value per row. */
    static boolean isFlat(SchemaNode field) {
        return field instanceof PrimitiveNode && field.repetitionType() != RepetitionType.REPEATED;
    }

    private static void requireReadable(Piece piece, ColumnSpec wanted, DataType stored) {
        boolean widens = stored == DataType.INT && (wanted.type() == DataType.LONG || wanted.type() == DataType.DOUBLE)
                || (stored == DataType.LONG || stored == DataType.FLOAT) && wanted.type() == DataType.DOUBLE;
        if (!stored.equals(wanted.type()) && !widens) {
            throw new BadData("column " + wanted.name() + " is " + stored + " in " + piece.file() + ", but "
                    + wanted.type() + " is expected; write the file again, or declare the column as " + stored);
        }
    }

    @Override
    public Batch next() {
        try {
            if (!watchdog.call(readers::nextBatch)) {
                return null;
            }
            int rows = readers.getRecordCount();
            Column[] out = new Column[columns.size()];
            for (int c = 0; c < out.length; c++) {
                out[c] = sources[c] == null ? ColumnBuilder.nulls(columns.get(c).type(), rows) : column(c, rows);
            }
            return new Batch(rows, out);
        } catch (Exception e) {
            throw FooterCheck.asBadData(piece.file(), e);
        }
    }

    private Column column(int c, int rows) {
        DataType type = columns.get(c).type();
        if (sources[c] instanceof NestedColumn nested) {
            return nested.read(readers);
        }
        PrimitiveNode source = ((Flat) sources[c]).node;
        ColumnReader reader = readers.getColumnReader(source.name());
        return LeafColumns.of(reader, source, type, rows, nullBits(reader.getLeafValidity(), rows));
    }

    static long[] nullBits(Validity validity, int rows) {
        if (!validity.hasNulls()) {
            return null;
        }
        long[] nulls = Bits.make(rows);
        for (int i = validity.nextNull(0, rows); i >= 0 && i < rows; i = validity.nextNull(i + 1, rows)) {
            Bits.set(nulls, i);
        }
        return nulls;
    }

    @Override
    public void close() {
        try {
            if (readers != null) {
                readers.close();
            }
            if (file != null) {
                file.close();
            }
        } catch (IOException e) {
            throw ParquetFormat.broken(piece.file(), e);
        } finally {
            threads.close();
        }
    }
}
