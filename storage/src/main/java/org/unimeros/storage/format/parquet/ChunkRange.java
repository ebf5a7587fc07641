package org.unimeros.storage.format.parquet;

import static java.nio.charset.StandardCharsets.UTF_8;

import dev.hardwood.metadata.ColumnChunk;
import dev.hardwood.metadata.LogicalType;
import dev.hardwood.metadata.PhysicalType;
import dev.hardwood.metadata.RepetitionType;
import dev.hardwood.metadata.Statistics;
import dev.hardwood.schema.SchemaNode.PrimitiveNode;
import java.math.BigDecimal;
import java.nio.ByteBuffer;
import java.nio.ByteOrder;
import java.time.LocalDate;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.expr.Ranges.Range;
import org.unimeros.storage.format.ColumnSpec;

/** The bounds of a column in a row group, as far as the file's statistics can be trusted. */
final class ChunkRange {

    private ChunkRange() {}

    /** The range, or null when nothing is known. Bounds are given only where the file's type is the wanted one. */
    static Range of(ParquetFormat.Footer footer, int group, ColumnSpec wanted) {
        PrimitiveNode column = ParquetTypes.field(footer.schema(), wanted.path())
                .filter(n -> n instanceof PrimitiveNode && n.repetitionType() != RepetitionType.REPEATED)
                .map(PrimitiveNode.class::cast)
                .orElse(null);
        if (column == null) {
            return null;
        }
        ColumnChunk chunk = footer.meta().rowGroups().get(group).columns().get(column.columnIndex());
        Statistics s = chunk.metaData().statistics();
        if (s == null) {
            return null;
        }
        long rows = footer.meta().rowGroups().get(group).numRows();
        long nulls = s.nullCount() == null ? -1 : s.nullCount();
        boolean sameType =
                ParquetTypes.dataType(column).filter(wanted.type()::equals).isPresent();
        boolean trusted = sameType && !(s.isMinMaxDeprecated() && wanted.type() == DataType.TEXT);
        return trusted
                ? new Range(
                        bound(s.minValue(), column, wanted.type()),
                        bound(s.maxValue(), column, wanted.type()),
                        nulls,
                        rows)
                : new Range(null, null, nulls, rows);
    }

    private static Comparable<?> bound(byte[] bytes, PrimitiveNode column, DataType type) {
        if (bytes == null) {
            return null;
        }
        ByteBuffer buffer = ByteBuffer.wrap(bytes).order(ByteOrder.LITTLE_ENDIAN);
        boolean isInt = column.type() == PhysicalType.INT32 && bytes.length == 4;
        boolean isLong = column.type() == PhysicalType.INT64 && bytes.length == 8;
        return switch (type) {
            case DataType.Simple.INT -> isInt ? buffer.getInt() : null;
            case DataType.Simple.DATE -> isInt ? LocalDate.ofEpochDay(buffer.getInt()) : null;
            case DataType.Simple.LONG -> isLong ? buffer.getLong() : null;
            case DataType.Simple.TIMESTAMP ->
                isLong ? Values.instant(micros(buffer.getLong(), column.logicalType())) : null;
            case DataType.Decimal d -> isLong && !d.isWide() ? BigDecimal.valueOf(buffer.getLong(), d.scale()) : null;
            case DataType.Simple.DOUBLE ->
                bytes.length == 8 && column.type() == PhysicalType.DOUBLE ? number(buffer) : null;
            case DataType.Simple.TEXT -> new String(bytes, UTF_8);
            default -> null;
        };
    }

    /** NaN bounds say nothing, and a zero may stand for either zero. */
    private static Double number(ByteBuffer buffer) {
        double value = buffer.getDouble();
        return Double.isNaN(value) ? null : value + 0.0;
    }

    static long micros(long value, LogicalType type) {
        return switch (unit(type)) {
            case MILLIS -> Math.multiplyExact(value, 1000L);
            case MICROS -> value;
            case NANOS -> Math.floorDiv(value, 1000L);
        };
    }

    private static LogicalType.TimeUnit unit(LogicalType type) {
        return type instanceof LogicalType.TimeType time ? time.unit() : ((LogicalType.TimestampType) type).unit();
    }
}
