package org.unimeros.storage.format.parquet;

import dev.hardwood.metadata.LogicalType;
import dev.hardwood.metadata.PhysicalType;
import dev.hardwood.schema.ColumnSchema;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import org.apache.parquet.format.ConvertedType;
import org.apache.parquet.format.DateType;
import org.apache.parquet.format.DecimalType;
import org.apache.parquet.format.FieldRepetitionType;
import org.apache.parquet.format.MicroSeconds;
import org.apache.parquet.format.SchemaElement;
import org.apache.parquet.format.StringType;
import org.apache.parquet.format.TimeUnit;
import org.apache.parquet.format.TimestampType;
import org.apache.parquet.format.Type;
import org.apache.parquet.schema.LogicalTypeAnnotation;
import org.apache.parquet.schema.MessageType;
import org.apache.parquet.schema.PrimitiveType;
import org.apache.parquet.schema.PrimitiveType.PrimitiveTypeName;
import org.apache.parquet.schema.Types;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;

/** Types of columns and their counterparts in Parquet. */
final class ParquetTypes {

    private ParquetTypes() {}

    /** The type of a column of a file; empty when it has none here. */
    static Optional<DataType> dataType(ColumnSchema column) {
        boolean nested = column.fieldPath().elements().size() > 1 || column.maxRepetitionLevel() > 0;
        if (nested) {
            return Optional.empty();
        }
        LogicalType logical = column.logicalType();
        return switch (column.type()) {
            case BOOLEAN -> Optional.of(DataType.BOOLEAN);
            case FLOAT, DOUBLE -> Optional.of(DataType.DOUBLE);
            case INT32 -> ofInt(logical);
            case INT64 -> ofLong(logical);
            case BYTE_ARRAY -> isText(logical) ? Optional.of(DataType.TEXT) : decimal(logical);
            case FIXED_LEN_BYTE_ARRAY -> decimal(logical);
            case INT96 -> Optional.empty();
        };
    }

    private static Optional<DataType> ofInt(LogicalType logical) {
        return switch (logical) {
            case null -> Optional.of(DataType.INT);
            case LogicalType.DateType d -> Optional.of(DataType.DATE);
            case LogicalType.IntType i -> Optional.of(i.isSigned() || i.bitWidth() < 32 ? DataType.INT : DataType.LONG);
            default -> decimal(logical);
        };
    }

    private static Optional<DataType> ofLong(LogicalType logical) {
        return switch (logical) {
            case null -> Optional.of(DataType.LONG);
            case LogicalType.TimestampType t -> Optional.of(DataType.TIMESTAMP);
            case LogicalType.IntType i -> i.isSigned() ? Optional.of(DataType.LONG) : Optional.empty();
            default -> decimal(logical);
        };
    }

    private static Optional<DataType> decimal(LogicalType logical) {
        return logical instanceof LogicalType.DecimalType d && d.precision() <= DataType.Decimal.MAX_PRECISION
                ? Optional.of(new DataType.Decimal(d.precision(), d.scale()))
                : Optional.empty();
    }

    private static boolean isText(LogicalType logical) {
        return logical instanceof LogicalType.StringType
                || logical instanceof LogicalType.EnumType
                || logical instanceof LogicalType.JsonType;
    }

    /** What a column is called in messages about columns that cannot be read. */
    static String describe(ColumnSchema column) {
        String type = column.type() == PhysicalType.BYTE_ARRAY && column.logicalType() == null
                ? "bytes without a text annotation"
                : column.fieldPath().elements().size() > 1 || column.maxRepetitionLevel() > 0
                        ? "nested"
                        : column.type() + (column.logicalType() == null ? "" : " as " + column.logicalType());
        return String.join(".", column.fieldPath().elements()) + " (" + type + ")";
    }

    static MessageType messageType(Schema schema) {
        Types.MessageTypeBuilder builder = Types.buildMessage();
        for (Field field : schema.fields()) {
            builder.addField(primitive(field));
        }
        return builder.named("rows");
    }

    private static PrimitiveType primitive(Field field) {
        LogicalTypeAnnotation annotation = switch (field.type()) {
            case DataType.Simple.TEXT -> LogicalTypeAnnotation.stringType();
            case DataType.Simple.DATE -> LogicalTypeAnnotation.dateType();
            case DataType.Simple.TIMESTAMP ->
                LogicalTypeAnnotation.timestampType(true, LogicalTypeAnnotation.TimeUnit.MICROS);
            case DataType.Decimal d -> LogicalTypeAnnotation.decimalType(d.scale(), d.precision());
            default -> null;
        };
        return Types.optional(physical(field.type())).as(annotation).named(field.name());
    }

    private static PrimitiveTypeName physical(DataType type) {
        return switch (type.physical()) {
            case BITS -> PrimitiveTypeName.BOOLEAN;
            case INTS -> PrimitiveTypeName.INT32;
            case LONGS -> PrimitiveTypeName.INT64;
            case DOUBLES -> PrimitiveTypeName.DOUBLE;
            case BYTES -> PrimitiveTypeName.BINARY;
        };
    }

    /** The name that the format itself has for a physical type. */
    static Type formatType(PrimitiveTypeName name) {
        return name == PrimitiveTypeName.BINARY ? Type.BYTE_ARRAY : Type.valueOf(name.name());
    }

    /** The schema as the footer holds it: the root, then every column. */
    static List<SchemaElement> elements(MessageType type) {
        List<SchemaElement> elements = new ArrayList<>();
        SchemaElement root = new SchemaElement(type.getName());
        root.setNum_children(type.getFieldCount());
        elements.add(root);
        for (org.apache.parquet.schema.Type field : type.getFields()) {
            PrimitiveType primitive = field.asPrimitiveType();
            SchemaElement element = new SchemaElement(field.getName());
            element.setType(formatType(primitive.getPrimitiveTypeName()));
            element.setRepetition_type(FieldRepetitionType.OPTIONAL);
            annotate(element, primitive.getLogicalTypeAnnotation());
            elements.add(element);
        }
        return elements;
    }

    /** Both forms of the annotation, for readers old and new. */
    private static void annotate(SchemaElement element, LogicalTypeAnnotation annotation) {
        switch (annotation) {
            case null -> {
                // the physical type says it all
            }
            case LogicalTypeAnnotation.StringLogicalTypeAnnotation s -> {
                element.setConverted_type(ConvertedType.UTF8);
                element.setLogicalType(org.apache.parquet.format.LogicalType.STRING(new StringType()));
            }
            case LogicalTypeAnnotation.DateLogicalTypeAnnotation d -> {
                element.setConverted_type(ConvertedType.DATE);
                element.setLogicalType(org.apache.parquet.format.LogicalType.DATE(new DateType()));
            }
            case LogicalTypeAnnotation.TimestampLogicalTypeAnnotation t -> {
                element.setConverted_type(ConvertedType.TIMESTAMP_MICROS);
                element.setLogicalType(org.apache.parquet.format.LogicalType.TIMESTAMP(
                        new TimestampType(true, TimeUnit.MICROS(new MicroSeconds()))));
            }
            case LogicalTypeAnnotation.DecimalLogicalTypeAnnotation d -> {
                element.setConverted_type(ConvertedType.DECIMAL);
                element.setScale(d.getScale());
                element.setPrecision(d.getPrecision());
                element.setLogicalType(
                        org.apache.parquet.format.LogicalType.DECIMAL(new DecimalType(d.getScale(), d.getPrecision())));
            }
            default -> throw new IllegalArgumentException("no annotation for " + annotation);
        }
    }
}
