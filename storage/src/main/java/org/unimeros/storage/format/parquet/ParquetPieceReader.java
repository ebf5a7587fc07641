package org.unimeros.storage.format.parquet;

import dev.hardwood.HardwoodContext;
import dev.hardwood.InputFile;
import dev.hardwood.metadata.RowGroup;
import dev.hardwood.reader.ColumnReader;
import dev.hardwood.reader.ColumnReaders;
import dev.hardwood.reader.ParquetFileReader;
import dev.hardwood.reader.RowGroupPredicate;
import dev.hardwood.reader.Validity;
import dev.hardwood.schema.ColumnProjection;
import dev.hardwood.schema.ColumnSchema;
import java.io.IOException;
import java.math.BigInteger;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.BooleanColumn;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DoubleColumn;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.error.UserMistake;
import org.unimeros.engine.source.BatchReader;
import org.unimeros.engine.source.ReadContext;
import org.unimeros.storage.format.ColumnSpec;
import org.unimeros.storage.format.Piece;

/** Reads the row groups of a piece, wanted columns only. */
final class ParquetPieceReader implements BatchReader {

    private final Piece piece;
    private final List<ColumnSpec> columns;
    private final ColumnSchema[] sources;
    private final HardwoodContext threads;
    private final Watchdog watchdog;
    private ParquetFileReader file;
    private ColumnReaders readers;
    private long rowsWithoutColumns;

    ParquetPieceReader(
            Piece piece,
            List<ColumnSpec> columns,
            ParquetFormat.Footer footer,
            ReadContext context,
            Watchdog watchdog) {
        this.watchdog = watchdog;
        this.piece = piece;
        this.columns = columns;
        this.sources = new ColumnSchema[columns.size()];
        List<String> names = match(footer, context);
        this.threads = HardwoodContext.create(1);
        if (names.isEmpty()) {
            rowsWithoutColumns = rows(footer);
            return;
        }
        try {
            file = ParquetFileReader.open(InputFile.of(piece.file().path()), threads);
            readers = file.buildColumnReaders(ColumnProjection.columns(names.toArray(String[]::new)))
                    .filter(RowGroupPredicate.byteRange(piece.start(), piece.end()))
                    .batchSize(Batch.TARGET_ROWS)
                    .build();
        } catch (IOException | RuntimeException e) {
            close();
            throw ParquetFormat.broken(piece.file(), e);
        }
    }

    /** Finds the columns in this file; returns the names to be read. */
    private List<String> match(ParquetFormat.Footer footer, ReadContext context) {
        List<String> names = new ArrayList<>();
        for (int c = 0; c < columns.size(); c++) {
            ColumnSpec wanted = columns.get(c);
            ColumnSchema found = footer.schema().getColumns().stream()
                    .filter(s ->
                            s.fieldPath().elements().size() == 1 && s.name().equalsIgnoreCase(wanted.path()))
                    .findFirst()
                    .orElse(null);
            if (found == null) {
                context.warn("column " + wanted.name() + " is absent in some files and null there, first in "
                        + piece.file());
                continue;
            }
            DataType stored = ParquetTypes.dataType(found)
                    .orElseThrow(() -> new UserMistake("column " + ParquetTypes.describe(found) + " of " + piece.file()
                            + " has a type that is not supported"));
            requireReadable(wanted, stored);
            sources[c] = found;
            names.add(found.name());
        }
        return names;
    }

    private void requireReadable(ColumnSpec wanted, DataType stored) {
        boolean widens = stored == DataType.INT && (wanted.type() == DataType.LONG || wanted.type() == DataType.DOUBLE)
                || stored == DataType.LONG && wanted.type() == DataType.DOUBLE;
        if (!stored.equals(wanted.type()) && !widens) {
            throw new BadData("column " + wanted.name() + " is " + stored + " in " + piece.file() + ", but "
                    + wanted.type() + " is expected; write the file again, or declare the column as " + stored);
        }
    }

    private long rows(ParquetFormat.Footer footer) {
        long rows = 0;
        for (RowGroup group : footer.meta().rowGroups()) {
            long start = ParquetFormat.start(group);
            rows += start >= piece.start() && start < piece.end() ? group.numRows() : 0;
        }
        return rows;
    }

    @Override
    public Batch next() {
        if (readers == null) {
            return nextWithoutColumns();
        }
        try {
            if (!watchdog.call(readers::nextBatch)) {
                return null;
            }
            int rows = readers.getRecordCount();
            Column[] out = new Column[columns.size()];
            for (int c = 0; c < out.length; c++) {
                out[c] = sources[c] == null ? nulls(columns.get(c).type(), rows) : column(c, rows);
            }
            return new Batch(rows, out);
        } catch (Exception e) {
            throw FooterCheck.asBadData(piece.file(), e);
        }
    }

    private Batch nextWithoutColumns() {
        int rows = (int) Math.min(rowsWithoutColumns, Batch.TARGET_ROWS);
        rowsWithoutColumns -= rows;
        Column[] out = columns.stream().map(c -> nulls(c.type(), rows)).toArray(Column[]::new);
        return rows == 0 ? null : new Batch(rows, out);
    }

    private static Column nulls(DataType type, int rows) {
        ColumnBuilder builder = ColumnBuilder.of(type);
        for (int i = 0; i < rows; i++) {
            builder.appendNull();
        }
        return builder.build();
    }

    /** The library uses its arrays again for the next batch, so values are copied. */
    private Column column(int c, int rows) {
        ColumnReader reader = readers.getColumnReader(sources[c].name());
        ColumnSchema source = sources[c];
        DataType type = columns.get(c).type();
        long[] nulls = nullBits(reader.getLeafValidity(), rows);
        return switch (source.type()) {
            case BOOLEAN -> booleans(reader.getBooleans(), rows, nulls);
            case INT32 -> ofInts(reader.getInts(), rows, nulls, source, type);
            case INT64 -> ofLongs(reader.getLongs(), rows, nulls, source, type);
            case FLOAT -> floats(reader.getFloats(), rows, nulls);
            case DOUBLE -> new DoubleColumn(Arrays.copyOf(reader.getDoubles(), rows), nulls);
            case BYTE_ARRAY -> type == DataType.TEXT ? text(reader, rows, nulls) : decimals(reader, rows, nulls);
            case FIXED_LEN_BYTE_ARRAY -> decimals(reader, rows, nulls);
            case INT96 -> throw new IllegalStateException("INT96 was not refused");
        };
    }

    private static long[] nullBits(Validity validity, int rows) {
        if (!validity.hasNulls()) {
            return null;
        }
        long[] nulls = Bits.make(rows);
        for (int i = validity.nextNull(0, rows); i >= 0 && i < rows; i = validity.nextNull(i + 1, rows)) {
            Bits.set(nulls, i);
        }
        return nulls;
    }

    private static Column booleans(boolean[] values, int rows, long[] nulls) {
        long[] bits = Bits.make(rows);
        for (int i = 0; i < rows; i++) {
            if (values[i]) {
                Bits.set(bits, i);
            }
        }
        return new BooleanColumn(bits, nulls);
    }

    private static Column ofInts(int[] values, int rows, long[] nulls, ColumnSchema source, DataType type) {
        if (type.physical() == DataType.Physical.INTS) {
            return new IntColumn(Arrays.copyOf(values, rows), nulls);
        }
        boolean unsigned =
                ParquetTypes.dataType(source).filter(DataType.LONG::equals).isPresent();
        if (type == DataType.DOUBLE) {
            double[] out = new double[rows];
            for (int i = 0; i < rows; i++) {
                out[i] = values[i];
            }
            return new DoubleColumn(out, nulls);
        }
        long[] out = new long[rows];
        for (int i = 0; i < rows; i++) {
            out[i] = unsigned ? Integer.toUnsignedLong(values[i]) : values[i];
        }
        return new LongColumn(out, nulls);
    }

    private static Column ofLongs(long[] values, int rows, long[] nulls, ColumnSchema source, DataType type) {
        if (type == DataType.DOUBLE) {
            double[] out = new double[rows];
            for (int i = 0; i < rows; i++) {
                out[i] = values[i];
            }
            return new DoubleColumn(out, nulls);
        }
        long[] out = Arrays.copyOf(values, rows);
        if (type == DataType.TIMESTAMP) {
            for (int i = 0; i < rows; i++) {
                out[i] = nulls != null && Bits.get(nulls, i) ? 0 : ChunkRange.micros(out[i], source);
            }
        }
        return new LongColumn(out, nulls);
    }

    private static Column floats(float[] values, int rows, long[] nulls) {
        double[] out = new double[rows];
        for (int i = 0; i < rows; i++) {
            out[i] = values[i];
        }
        return new DoubleColumn(out, nulls);
    }

    private static Column text(ColumnReader reader, int rows, long[] nulls) {
        int[] offsets = Arrays.copyOf(reader.getBinaryOffsets(), rows + 1);
        return new TextColumn(Arrays.copyOf(reader.getBinaryValues(), offsets[rows]), offsets, nulls);
    }

    private static Column decimals(ColumnReader reader, int rows, long[] nulls) {
        byte[][] values = reader.getBinaries();
        long[] out = new long[rows];
        for (int i = 0; i < rows; i++) {
            boolean isNull = nulls != null && Bits.get(nulls, i);
            out[i] = isNull ? 0 : new BigInteger(values[i]).longValueExact();
        }
        return new LongColumn(out, nulls);
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
