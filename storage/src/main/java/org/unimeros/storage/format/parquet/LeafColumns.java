package org.unimeros.storage.format.parquet;

import dev.hardwood.reader.ColumnReader;
import dev.hardwood.schema.SchemaNode.PrimitiveNode;
import java.math.BigInteger;
import java.util.Arrays;
import org.unimeros.engine.data.Bits;
import org.unimeros.engine.data.BooleanColumn;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DoubleColumn;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.TextColumn;

/** Makes columns of the arrays of a reader, which uses them again for the next batch, so that values are copied. */
final class LeafColumns {

    private LeafColumns() {}

    /** The first values of a reader, in the wanted type, which is the stored one or wider. */
    static Column of(ColumnReader reader, PrimitiveNode source, DataType type, int rows, long[] nulls) {
        return switch (source.type()) {
            case BOOLEAN -> booleans(reader.getBooleans(), rows, nulls);
            case INT32 -> ofInts(Arrays.copyOf(reader.getInts(), rows), nulls, source, type);
            case INT64 -> ofLongs(Arrays.copyOf(reader.getLongs(), rows), nulls, source, type);
            case FLOAT -> floats(reader.getFloats(), rows, nulls);
            case DOUBLE -> new DoubleColumn(Arrays.copyOf(reader.getDoubles(), rows), nulls);
            case BYTE_ARRAY, FIXED_LEN_BYTE_ARRAY ->
                type instanceof DataType.Decimal decimal
                        ? decimals(reader, rows, nulls, decimal)
                        : bytes(reader, rows, nulls);
            case INT96 -> throw new IllegalStateException("INT96 was not refused");
        };
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

    /** Values as they are stored, which become the column if they can. */
    static Column ofInts(int[] values, long[] nulls, PrimitiveNode source, DataType type) {
        int rows = values.length;
        if (type.physical() == DataType.Physical.INTS) {
            return new IntColumn(values, nulls);
        }
        boolean unsigned =
                ParquetTypes.once(source).filter(DataType.LONG::equals).isPresent();
        if (type.isFloating()) {
            double[] out = new double[rows];
            for (int i = 0; i < rows; i++) {
                out[i] = values[i];
            }
            return new DoubleColumn(out, nulls);
        }
        long[] out = new long[rows];
        for (int i = 0; i < rows; i++) {
            long value = unsigned ? Integer.toUnsignedLong(values[i]) : values[i];
            out[i] = type == DataType.TIME ? ChunkRange.micros(value, source.logicalType()) : value;
        }
        return new LongColumn(out, nulls);
    }

    /** Values as they are stored, which become the column if they can. */
    static Column ofLongs(long[] out, long[] nulls, PrimitiveNode source, DataType type) {
        int rows = out.length;
        if (type.isFloating()) {
            double[] doubles = new double[rows];
            for (int i = 0; i < rows; i++) {
                doubles[i] = out[i];
            }
            return new DoubleColumn(doubles, nulls);
        }
        if (type == DataType.TIMESTAMP || type == DataType.TIME) {
            for (int i = 0; i < rows; i++) {
                out[i] = nulls != null && Bits.get(nulls, i) ? 0 : ChunkRange.micros(out[i], source.logicalType());
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

    private static Column bytes(ColumnReader reader, int rows, long[] nulls) {
        int[] offsets = Arrays.copyOf(reader.getBinaryOffsets(), rows + 1);
        return new TextColumn(Arrays.copyOf(reader.getBinaryValues(), offsets[rows]), offsets, nulls);
    }

    private static Column decimals(ColumnReader reader, int rows, long[] nulls, DataType.Decimal type) {
        byte[][] values = reader.getBinaries();
        ColumnBuilder out = ColumnBuilder.of(type);
        for (int i = 0; i < rows; i++) {
            if (nulls != null && Bits.get(nulls, i)) {
                out.appendNull();
            } else {
                out.appendUnscaled(new BigInteger(values[i]));
            }
        }
        return out.build();
    }
}
