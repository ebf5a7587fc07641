package org.unimeros.storage.format.parquet;

import dev.hardwood.metadata.LogicalType;
import dev.hardwood.metadata.PhysicalType;
import dev.hardwood.metadata.RepetitionType;
import dev.hardwood.schema.FileSchema;
import dev.hardwood.schema.SchemaNode;
import dev.hardwood.schema.SchemaNode.GroupNode;
import dev.hardwood.schema.SchemaNode.PrimitiveNode;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import org.apache.parquet.format.ConvertedType;
import org.apache.parquet.format.DateType;
import org.apache.parquet.format.DecimalType;
import org.apache.parquet.format.FieldRepetitionType;
import org.apache.parquet.format.ListType;
import org.apache.parquet.format.MicroSeconds;
import org.apache.parquet.format.SchemaElement;
import org.apache.parquet.format.StringType;
import org.apache.parquet.format.TimeType;
import org.apache.parquet.format.TimeUnit;
import org.apache.parquet.format.TimestampType;
import org.apache.parquet.format.Type;
import org.apache.parquet.schema.GroupType;
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

    /** Bytes of a decimal that does not fit into a long. */
    static final int WIDE_BYTES = 16;

    private ParquetTypes() {}

    /** The field of a file with this name, in any case. */
    static Optional<SchemaNode> field(FileSchema schema, String name) {
        return schema.getRootNode().children().stream()
                .filter(n -> n.name().equalsIgnoreCase(name))
                .findFirst();
    }

    /** The type of a field of a file; empty when it, or something inside it, has none here. Maps are lists of pairs. */
    static Optional<DataType> dataType(SchemaNode node) {
        if (node.repetitionType() == RepetitionType.REPEATED) {
            return once(node).map(DataType.ListOf::new);
        }
        return once(node);
    }

    /** The type of one value of a field that can be repeated. */
    static Optional<DataType> once(SchemaNode node) {
        if (node instanceof PrimitiveNode primitive) {
            return primitive(primitive.type(), primitive.logicalType());
        }
        GroupNode group = (GroupNode) node;
        if (group.isVariant()) {
            return Optional.empty();
        }
        if (group.isList()) {
            return once(group.getListElement()).map(DataType.ListOf::new);
        }
        if (group.isMap()) {
            return struct(((GroupNode) group.children().get(0)).children()).map(DataType.ListOf::new);
        }
        return struct(group.children());
    }

    private static Optional<DataType> struct(List<SchemaNode> fields) {
        List<DataType.Struct.Part> parts = new ArrayList<>();
        for (SchemaNode field : fields) {
            Optional<DataType> type = dataType(field);
            if (type.isEmpty()) {
                return Optional.empty();
            }
            parts.add(new DataType.Struct.Part(field.name(), type.get()));
        }
        return parts.isEmpty() ? Optional.empty() : Optional.of(new DataType.Struct(parts));
    }

    private static Optional<DataType> primitive(PhysicalType type, LogicalType logical) {
        return switch (type) {
            case BOOLEAN -> Optional.of(DataType.BOOLEAN);
            case FLOAT -> Optional.of(DataType.FLOAT);
            case DOUBLE -> Optional.of(DataType.DOUBLE);
            case INT32 -> ofInt(logical);
            case INT64 -> ofLong(logical);
            case BYTE_ARRAY -> isText(logical) ? Optional.of(DataType.TEXT) : bytes(logical);
            case FIXED_LEN_BYTE_ARRAY -> bytes(logical);
            case INT96 -> Optional.empty();
        };
    }

    private static Optional<DataType> ofInt(LogicalType logical) {
        return switch (logical) {
            case null -> Optional.of(DataType.INT);
            case LogicalType.DateType d -> Optional.of(DataType.DATE);
            case LogicalType.TimeType t -> Optional.of(DataType.TIME);
            case LogicalType.IntType i -> Optional.of(i.isSigned() || i.bitWidth() < 32 ? DataType.INT : DataType.LONG);
            default -> decimal(logical);
        };
    }

    private static Optional<DataType> ofLong(LogicalType logical) {
        return switch (logical) {
            case null -> Optional.of(DataType.LONG);
            case LogicalType.TimestampType t -> Optional.of(DataType.TIMESTAMP);
            case LogicalType.TimeType t -> Optional.of(DataType.TIME);
            case LogicalType.IntType i -> i.isSigned() ? Optional.of(DataType.LONG) : Optional.empty();
            default -> decimal(logical);
        };
    }

    private static Optional<DataType> decimal(LogicalType logical) {
        return logical instanceof LogicalType.DecimalType d && d.precision() <= DataType.Decimal.MAX_PRECISION
                ? Optional.of(new DataType.Decimal(d.precision(), d.scale()))
                : Optional.empty();
    }

    /** Annotations that say no more than what the bytes are for leave bytes. */
    private static Optional<DataType> bytes(LogicalType logical) {
        return logical instanceof LogicalType.DecimalType ? decimal(logical) : Optional.of(DataType.BYTES);
    }

    private static boolean isText(LogicalType logical) {
        return logical instanceof LogicalType.StringType
                || logical instanceof LogicalType.EnumType
                || logical instanceof LogicalType.JsonType;
    }

    /** What a field is called in messages about fields that cannot be read. */
    static String describe(SchemaNode node) {
        String type = node instanceof PrimitiveNode primitive
                ? primitive.type() + (primitive.logicalType() == null ? "" : " as " + primitive.logicalType())
                : "nested";
        return node.name() + " (" + type + ")";
    }

    static MessageType messageType(Schema schema) {
        Types.MessageTypeBuilder builder = Types.buildMessage();
        for (Field field : schema.fields()) {
            builder.addField(type(field.name(), field.type()));
        }
        return builder.named("rows");
    }

    private static org.apache.parquet.schema.Type type(String name, DataType type) {
        if (type instanceof DataType.ListOf list) {
            return Types.optionalList().element(type("element", list.element())).named(name);
        }
        if (type instanceof DataType.Struct struct) {
            Types.GroupBuilder<GroupType> group = Types.optionalGroup();
            struct.parts().forEach(p -> group.addField(type(p.name(), p.type())));
            return group.named(name);
        }
        LogicalTypeAnnotation annotation = switch (type) {
            case DataType.Simple.TEXT -> LogicalTypeAnnotation.stringType();
            case DataType.Simple.DATE -> LogicalTypeAnnotation.dateType();
            case DataType.Simple.TIME -> LogicalTypeAnnotation.timeType(false, LogicalTypeAnnotation.TimeUnit.MICROS);
            case DataType.Simple.TIMESTAMP ->
                LogicalTypeAnnotation.timestampType(true, LogicalTypeAnnotation.TimeUnit.MICROS);
            case DataType.Decimal d -> LogicalTypeAnnotation.decimalType(d.scale(), d.precision());
            default -> null;
        };
        PrimitiveTypeName physical = physical(type);
        return physical == PrimitiveTypeName.FIXED_LEN_BYTE_ARRAY
                ? Types.optional(physical).length(WIDE_BYTES).as(annotation).named(name)
                : Types.optional(physical).as(annotation).named(name);
    }

    private static PrimitiveTypeName physical(DataType type) {
        return switch (type.physical()) {
            case BITS -> PrimitiveTypeName.BOOLEAN;
            case INTS -> PrimitiveTypeName.INT32;
            case LONGS -> PrimitiveTypeName.INT64;
            case DOUBLES -> type == DataType.FLOAT ? PrimitiveTypeName.FLOAT : PrimitiveTypeName.DOUBLE;
            case BYTES -> PrimitiveTypeName.BINARY;
            case WIDE -> PrimitiveTypeName.FIXED_LEN_BYTE_ARRAY;
            case LIST, STRUCT -> throw new IllegalArgumentException(type + " is not held in one column");
        };
    }

    /** The name that the format itself has for a physical type. */
    static Type formatType(PrimitiveTypeName name) {
        return name == PrimitiveTypeName.BINARY ? Type.BYTE_ARRAY : Type.valueOf(name.name());
    }

    /** The schema as the footer holds it: the root, then every field, each before those inside it. */
    static List<SchemaElement> elements(MessageType type) {
        List<SchemaElement> elements = new ArrayList<>();
        SchemaElement root = new SchemaElement(type.getName());
        root.setNum_children(type.getFieldCount());
        elements.add(root);
        type.getFields().forEach(field -> add(field, elements));
        return elements;
    }

    private static void add(org.apache.parquet.schema.Type field, List<SchemaElement> elements) {
        SchemaElement element = new SchemaElement(field.getName());
        element.setRepetition_type(
                FieldRepetitionType.valueOf(field.getRepetition().name()));
        elements.add(element);
        annotate(element, field.getLogicalTypeAnnotation());
        if (field.isPrimitive()) {
            PrimitiveType primitive = field.asPrimitiveType();
            element.setType(formatType(primitive.getPrimitiveTypeName()));
            if (primitive.getPrimitiveTypeName() == PrimitiveTypeName.FIXED_LEN_BYTE_ARRAY) {
                element.setType_length(primitive.getTypeLength());
            }
            return;
        }
        element.setNum_children(field.asGroupType().getFieldCount());
        field.asGroupType().getFields().forEach(child -> add(child, elements));
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
            case LogicalTypeAnnotation.TimeLogicalTypeAnnotation t ->
                element.setLogicalType(org.apache.parquet.format.LogicalType.TIME(
                        new TimeType(false, TimeUnit.MICROS(new MicroSeconds()))));
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
            case LogicalTypeAnnotation.ListLogicalTypeAnnotation l -> {
                element.setConverted_type(ConvertedType.LIST);
                element.setLogicalType(org.apache.parquet.format.LogicalType.LIST(new ListType()));
            }
            default -> throw new IllegalArgumentException("no annotation for " + annotation);
        }
    }
}
