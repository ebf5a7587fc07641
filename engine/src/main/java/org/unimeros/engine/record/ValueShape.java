package org.unimeros.engine.record;

import java.lang.invoke.MethodHandle;
import java.lang.reflect.AnnotatedElement;
import java.lang.reflect.ParameterizedType;
import java.lang.reflect.Type;
import java.math.BigDecimal;
import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalTime;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Collections;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import org.unimeros.engine.data.BooleanColumn;
import org.unimeros.engine.data.Bytes;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DoubleColumn;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.ListColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.data.StructColumn;
import org.unimeros.engine.data.TextColumn;
import org.unimeros.engine.data.Values;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.error.UserMistake;

/** How one Java type stands in a column: which column types it can be read from, and which one it makes. */
final class ValueShape {

    private static final DataType.Decimal WIDEST = new DataType.Decimal(38, 10);

    private static final Map<Class<?>, DataType> SIMPLE = Map.ofEntries(
            Map.entry(boolean.class, DataType.BOOLEAN),
            Map.entry(Boolean.class, DataType.BOOLEAN),
            Map.entry(int.class, DataType.INT),
            Map.entry(Integer.class, DataType.INT),
            Map.entry(long.class, DataType.LONG),
            Map.entry(Long.class, DataType.LONG),
            Map.entry(float.class, DataType.FLOAT),
            Map.entry(Float.class, DataType.FLOAT),
            Map.entry(double.class, DataType.DOUBLE),
            Map.entry(Double.class, DataType.DOUBLE),
            Map.entry(String.class, DataType.TEXT),
            Map.entry(TextSlice.class, DataType.TEXT),
            Map.entry(LocalDate.class, DataType.DATE),
            Map.entry(LocalTime.class, DataType.TIME),
            Map.entry(Instant.class, DataType.TIMESTAMP),
            Map.entry(byte[].class, DataType.BYTES));

    private final Class<?> raw;
    private final DataType made;
    /** Of a list. */
    private final ValueShape element;
    /** Of a struct. */
    private final RecordShape<?> record;

    private ValueShape(Class<?> raw, DataType made, ValueShape element, RecordShape<?> record) {
        this.raw = raw;
        this.made = made;
        this.element = element;
        this.record = record;
    }

    /**
     * The shape of a Java type.
     *
     * @param where what has this type, for messages
     * @param annotations where {@link DecimalDigits} may stand; null for none
     * @param depth of the records around
     * @throws UserMistake when there are no columns for it
     */
    static ValueShape of(Type type, String where, AnnotatedElement annotations, int depth) {
        if (type instanceof ParameterizedType list && list.getRawType() == List.class) {
            ValueShape element = of(list.getActualTypeArguments()[0], "an element of " + where, annotations, depth);
            return new ValueShape(List.class, new DataType.ListOf(element.made), element, null);
        }
        if (!(type instanceof Class<?> raw)) {
            throw unsuited(type, where);
        }
        if (SIMPLE.containsKey(raw)) {
            return new ValueShape(raw, SIMPLE.get(raw), null, null);
        }
        if (raw == BigDecimal.class) {
            DecimalDigits digits = annotations == null ? null : annotations.getAnnotation(DecimalDigits.class);
            DataType decimal = digits == null ? WIDEST : new DataType.Decimal(digits.precision(), digits.scale());
            return new ValueShape(raw, decimal, null, null);
        }
        if (raw.isEnum()) {
            return new ValueShape(raw, DataType.TEXT, null, null);
        }
        if (raw.isRecord()) {
            RecordShape<?> record = RecordShape.of(raw, depth + 1);
            List<DataType.Struct.Part> parts = record.schema().fields().stream()
                    .map(f -> new DataType.Struct.Part(f.name(), f.type()))
                    .toList();
            return new ValueShape(raw, new DataType.Struct(parts), null, record);
        }
        throw unsuited(type, where);
    }

    private static UserMistake unsuited(Type type, String where) {
        return new UserMistake("there is no column type for " + where + ", a " + type.getTypeName()
                + "; use boolean, int, long, float, double (or their objects), String, TextSlice, BigDecimal, LocalDate,"
                + " LocalTime, Instant, byte[], an enum, a record, or a List of these");
    }

    Class<?> raw() {
        return raw;
    }

    /** The type of the column that it makes. */
    DataType made() {
        return made;
    }

    boolean isPrimitive() {
        return raw.isPrimitive();
    }

    /** Whether objects never change, and a column gives them back as they were. */
    boolean isPlain() {
        return raw.isEnum()
                || SIMPLE.containsKey(raw) && raw != byte[].class && raw != LocalTime.class && raw != Instant.class;
    }

    /** Whether values of a column can be read as this type without loss. */
    boolean reads(DataType column) {
        if (raw == long.class || raw == Long.class) {
            return column == DataType.LONG || column == DataType.INT;
        }
        if (raw == double.class || raw == Double.class) {
            return column == DataType.DOUBLE || column == DataType.FLOAT || column == DataType.INT;
        }
        if (raw == BigDecimal.class) {
            return column instanceof DataType.Decimal || column == DataType.LONG || column == DataType.INT;
        }
        if (element != null) {
            return column instanceof DataType.ListOf list && element.reads(list.element());
        }
        return record != null ? column instanceof DataType.Struct : made == column;
    }

    /** Reads an object of a column of some rows. */
    @FunctionalInterface
    interface Reader {
        /** The object of a row that is not null. */
        Object read(Column column, int row);

        /** The object of a row, or null. */
        static Object orNull(Reader reader, Column column, int row) {
            return column.isNull(row) ? null : reader.read(column, row);
        }
    }

    /** Takes a column and a row, and gives the Java type; null for primitives is bad data. */
    MethodHandle handle(DataType column, String where) {
        if (raw.isPrimitive()) {
            return Primitives.handle(raw, column, where);
        }
        return Primitives.handle(reader(column, where), raw);
    }

    private Reader reader(DataType column, String where) {
        if (element != null) {
            return listReader(column, where);
        }
        if (record != null) {
            Compiled.Maker maker = record.maker(((DataType.Struct) column), where);
            return (c, row) -> maker.make(fields((StructColumn) c), row);
        }
        if (raw.isEnum()) {
            return enumReader(where);
        }
        if (raw == String.class) {
            return (c, row) -> ((TextColumn) c).text(row);
        }
        if (raw == TextSlice.class) {
            return (c, row) -> {
                TextColumn text = (TextColumn) c;
                int start = text.start(row);
                return TextSlice.of(text.bytes(), start, text.end(row) - start);
            };
        }
        if (raw == byte[].class) {
            return (c, row) -> {
                TextColumn bytes = (TextColumn) c;
                return Arrays.copyOfRange(bytes.bytes(), bytes.start(row), bytes.end(row));
            };
        }
        return numberReader(column);
    }

    private Reader numberReader(DataType column) {
        if (raw == Long.class) {
            return column == DataType.INT
                    ? (c, row) -> (long) ((IntColumn) c).values()[row]
                    : (c, row) -> ((LongColumn) c).values()[row];
        }
        if (raw == Double.class) {
            return column == DataType.INT
                    ? (c, row) -> (double) ((IntColumn) c).values()[row]
                    : (c, row) -> ((DoubleColumn) c).values()[row];
        }
        if (raw == Integer.class) {
            return (c, row) -> ((IntColumn) c).values()[row];
        }
        if (raw == Boolean.class) {
            return (c, row) -> ((BooleanColumn) c).value(row);
        }
        if (raw == BigDecimal.class && !(column instanceof DataType.Decimal)) {
            return (c, row) -> BigDecimal.valueOf(((Number) Values.get(c, row, column)).longValue());
        }
        return (c, row) -> Values.get(c, row, column);
    }

    private Reader enumReader(String where) {
        Map<String, Object> byName = new HashMap<>();
        for (Object constant : raw.getEnumConstants()) {
            byName.put(((Enum<?>) constant).name(), constant);
        }
        return (c, row) -> {
            String name = ((TextColumn) c).text(row);
            Object constant = byName.get(name);
            if (constant == null) {
                throw new BadData(where + " is '" + name + "', which " + raw.getSimpleName() + " does not have");
            }
            return constant;
        };
    }

    private Reader listReader(DataType column, String where) {
        Reader ofElement = element.reader(((DataType.ListOf) column).element(), "an element of " + where);
        return (c, row) -> {
            ListColumn list = (ListColumn) c;
            List<Object> values = new ArrayList<>(list.length(row));
            for (int i = list.start(row); i < list.end(row); i++) {
                values.add(Reader.orNull(ofElement, list.elements(), i));
            }
            return Collections.unmodifiableList(values);
        };
    }

    private static Column[] fields(StructColumn struct) {
        Column[] fields = new Column[struct.fieldCount()];
        Arrays.setAll(fields, struct::field);
        return fields;
    }

    /** Appends an object of this type, or null. */
    void append(ColumnBuilder builder, Object value) {
        switch (value) {
            case null -> builder.appendNull();
            case String text -> builder.appendText(text);
            case TextSlice slice -> slice.appendTo(builder);
            case Enum<?> constant -> builder.appendText(constant.name());
            case BigDecimal decimal -> builder.appendUnscaled(scaled(decimal).unscaledValue());
            case byte[] bytes -> builder.appendText(bytes, 0, bytes.length);
            case List<?> list -> {
                list.forEach(each -> element.append(builder.elements(), each));
                builder.endList();
            }
            case Record struct -> {
                record.appendFields(builder, struct);
                builder.endStruct();
            }
            case Bytes bytes -> Values.append(builder, bytes);
            default -> Values.append(builder, value);
        }
    }

    private BigDecimal scaled(BigDecimal value) {
        DataType.Decimal type = (DataType.Decimal) made;
        BigDecimal scaled;
        try {
            scaled = value.setScale(type.scale());
        } catch (ArithmeticException e) {
            throw new BadData(value + " has more than " + type.scale() + " digits behind the point, which " + type
                    + " does not hold; round it, or declare the component with @DecimalDigits");
        }
        if (scaled.precision() > type.precision()) {
            throw new BadData(value + " does not fit into " + type);
        }
        return scaled;
    }
}
