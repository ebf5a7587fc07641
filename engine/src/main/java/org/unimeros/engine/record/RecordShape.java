package org.unimeros.engine.record;

import java.lang.invoke.MethodHandle;
import java.lang.invoke.MethodHandles;
import java.lang.invoke.MethodType;
import java.lang.reflect.Constructor;
import java.lang.reflect.Method;
import java.lang.reflect.RecordComponent;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Objects;
import java.util.concurrent.ConcurrentHashMap;
import java.util.stream.Stream;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.ColumnBuilder;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Field;
import org.unimeros.engine.data.Schema;
import org.unimeros.engine.error.NameSuggestions;
import org.unimeros.engine.error.UserMistake;

/**
 * How objects of a class stand in columns: a record has one per component (of {@code parcelId} it is {@code parcel_id}), any other type, such as String or Long, a single one.
 * Immutable; can be used by several threads.
 *
 * @param <T> the class
 */
public final class RecordShape<T> {

    /** The column of a type that is no record. */
    public static final String VALUE = "value";

    /** Kept with each class, since every task asks for it and what is compiled for it is worth keeping. */
    private static final ClassValue<RecordShape<?>> SHAPES = new ClassValue<>() {
        @Override
        protected RecordShape<?> computeValue(Class<?> type) {
            return of(type, 0);
        }
    };

    private static final int MOST_DEPTH = 30;
    private static final MethodHandles.Lookup LOOKUP = MethodHandles.lookup();

    private final Class<T> type;
    private final boolean isRecord;
    private final List<String> names;
    private final List<ValueShape> shapes;
    private final Part[] parts;
    private final Schema schema;
    private final Map<Read, Compiled.Maker> makers = new ConcurrentHashMap<>();

    /** What objects are read from. */
    private record Read(List<DataType> types, List<String> columns) {}

    /** A component, and how it is taken. */
    private record Part(ValueShape shape, Compiled.Getter getter, Appender appender) {
        void append(ColumnBuilder builder, Object from) {
            appender.append(this, builder, from);
        }

        boolean isBits() {
            return shape.raw() == long.class || shape.raw() == int.class;
        }

        boolean same(Object a, Object b) {
            return isBits() ? getter.bits(a) == getter.bits(b) : Objects.equals(getter.object(a), getter.object(b));
        }

        int hash(Object of) {
            return isBits() ? Long.hashCode(getter.bits(of)) : Objects.hashCode(getter.object(of));
        }
    }

    private interface Appender {
        void append(Part part, ColumnBuilder builder, Object from);
    }

    private RecordShape(Class<T> type, List<String> names, List<ValueShape> shapes, Part... parts) {
        this.type = type;
        this.isRecord = type.isRecord();
        this.names = List.copyOf(names);
        this.shapes = List.copyOf(shapes);
        this.parts = parts;
        List<Field> fields = new ArrayList<>();
        for (int i = 0; i < parts.length; i++) {
            fields.add(Field.of(columnName(names.get(i)), shapes.get(i).made()));
        }
        this.schema = new Schema(fields);
    }

    /**
     * The shape of a record or of a value type.
     *
     * @throws UserMistake when a component has a type for which there is no column
     */
    @SuppressWarnings("unchecked")
    public static <T> RecordShape<T> of(Class<T> type) {
        return (RecordShape<T>) SHAPES.get(type);
    }

    /** @param depth of the records around */
    static <T> RecordShape<T> of(Class<T> type, int depth) {
        if (depth > MOST_DEPTH) {
            throw new UserMistake(
                    "the record " + type.getSimpleName() + " holds itself, for which there are no columns");
        }
        if (!type.isRecord()) {
            ValueShape shape = ValueShape.of(type, type.getSimpleName(), null, depth);
            return new RecordShape<>(type, List.of(VALUE), List.of(shape), new Part(shape, null, ofValue(type)));
        }
        RecordComponent[] components = type.getRecordComponents();
        if (components.length == 0) {
            throw new UserMistake("the record " + type.getSimpleName() + " has no component");
        }
        List<String> names = Stream.of(components).map(RecordComponent::getName).toList();
        List<ValueShape> shapes = new ArrayList<>();
        Part[] parts = new Part[components.length];
        for (int i = 0; i < components.length; i++) {
            String where = "the component " + names.get(i) + " of " + type.getSimpleName();
            ValueShape shape = ValueShape.of(components[i].getGenericType(), where, components[i], depth);
            shapes.add(shape);
            parts[i] = part(shape, components[i].getAccessor());
        }
        return new RecordShape<>(type, names, shapes, parts);
    }

    private static Appender ofValue(Class<?> type) {
        if (type == String.class) {
            return (p, b, from) -> appendText(b, (String) from);
        }
        if (type == Long.class) {
            return (p, b, from) -> {
                if (from == null) {
                    b.appendNull();
                } else {
                    b.appendLong((Long) from);
                }
            };
        }
        return (p, b, from) -> p.shape.append(b, from);
    }

    private static Part part(ValueShape shape, Method accessor) {
        MethodHandle get;
        try {
            accessor.setAccessible(true);
            get = LOOKUP.unreflect(accessor);
        } catch (IllegalAccessException e) {
            throw new UserMistake(
                    "the record " + accessor.getDeclaringClass() + " cannot be read: " + e.getMessage(), e);
        }
        Class<?> raw = shape.raw();
        if (raw == long.class || raw == int.class) {
            Compiled.Getter getter = Compiled.bitsGetter(get.asType(MethodType.methodType(long.class, Object.class)));
            return raw == long.class
                    ? new Part(shape, getter, (p, b, from) -> b.appendLong(p.getter.bits(from)))
                    : new Part(shape, getter, (p, b, from) -> b.appendInt((int) p.getter.bits(from)));
        }
        Compiled.Getter getter = Compiled.objectGetter(get.asType(MethodType.methodType(Object.class, Object.class)));
        return raw == String.class
                ? new Part(shape, getter, (p, b, from) -> appendText(b, (String) p.getter.object(from)))
                : new Part(shape, getter, (p, b, from) -> p.shape.append(b, p.getter.object(from)));
    }

    private static void appendText(ColumnBuilder builder, String text) {
        if (text == null) {
            builder.appendNull();
        } else {
            builder.appendText(text);
        }
    }

    /** The column type of a type that is no record. */
    public DataType made() {
        return shapes.get(0).made();
    }

    /** The class of the objects. */
    public Class<T> type() {
        return type;
    }

    /** Whether the class is a record, with a column per component. */
    public boolean isRecord() {
        return isRecord;
    }

    /**
     * Whether objects never change and columns give them back as they were, so that they can be kept instead of their columns; see
     * {@link #same}.
     */
    public boolean isPlain() {
        return shapes.stream().allMatch(ValueShape::isPlain)
                && (!isRecord || shapes.stream().noneMatch(s -> s.raw() == TextSlice.class));
    }

    /** Whether all objects take about the same memory. */
    public boolean isOfFixedSize() {
        return isPlain()
                && shapes.stream()
                        .allMatch(s -> s.made() != DataType.TEXT || s.raw().isEnum());
    }

    /**
     * Whether two plain objects make equal columns. Some that do can be told apart by this, such as both zeros; records are asked for their
     * components, since they may have their own idea of equality.
     */
    public boolean same(Object a, Object b) {
        if (!isRecord) {
            return a.equals(b);
        }
        for (Part part : parts) {
            if (!part.same(a, b)) {
                return false;
            }
        }
        return true;
    }

    /** How many characters a plain object holds. */
    public int textLength(Object object) {
        if (!isRecord) {
            return object instanceof String s ? s.length() : object instanceof TextSlice t ? t.length() : 0;
        }
        int length = 0;
        for (Part part : parts) {
            length += !part.isBits() && part.getter.object(object) instanceof String s ? s.length() : 0;
        }
        return length;
    }

    /** A hash code that goes with {@link #same}. */
    public int hash(Object object) {
        if (!isRecord) {
            return object.hashCode();
        }
        int hash = 0;
        for (Part part : parts) {
            hash = 31 * hash + part.hash(object);
        }
        return hash;
    }

    /** Whether a column can be read as a type that is no record. */
    public boolean reads(DataType column) {
        return shapes.get(0).reads(column);
    }

    /** The columns that objects make. */
    public Schema schema() {
        return schema;
    }

    /** The same with names that say which of two shapes they belong to: of a single value that name itself, else it qualifies. */
    public Schema schema(String as) {
        if (!type.isRecord()) {
            return new Schema(List.of(Field.of(as, shapes.get(0).made())));
        }
        return new Schema(schema.fields().stream().map(f -> f.qualified(as)).toList());
    }

    /**
     * Which columns of some rows the components are read from, in their order: those of their names.
     *
     * @throws UserMistake when a column is not there or has a type that does not fit, naming both
     */
    public List<Integer> columnsIn(Schema rows) {
        if (!type.isRecord()) {
            if (rows.size() != 1) {
                throw new UserMistake("a " + type.getSimpleName() + " is read from one column, and there are "
                        + rows.size() + " (" + String.join(", ", rows.names()) + "); select one");
            }
            requireFit(0, rows.field(0));
            return List.of(0);
        }
        List<Integer> columns = new ArrayList<>();
        for (int i = 0; i < names.size(); i++) {
            int column = column(rows, names.get(i));
            requireFit(i, rows.field(column));
            columns.add(column);
        }
        return columns;
    }

    private int column(Schema rows, String component) {
        int exact = rows.indexOf(component);
        if (exact >= 0) {
            return exact;
        }
        String plain = plain(component);
        for (int i = 0; i < rows.size(); i++) {
            if (plain(rows.field(i).name()).equals(plain)) {
                return i;
            }
        }
        throw new UserMistake("the component " + component + " of " + type.getSimpleName() + " has no column"
                + NameSuggestions.hint(component, rows.names()));
    }

    /** {@code parcelId} is the column {@code parcel_id}. */
    private static String columnName(String component) {
        return component.replaceAll("(?<=[a-z0-9])(?=[A-Z])", "_").toLowerCase(Locale.ROOT);
    }

    /** {@code parcelId} and {@code parcel_id} are the same name. */
    private static String plain(String name) {
        return name.replace("_", "").toLowerCase(Locale.ROOT);
    }

    private void requireFit(int component, Field column) {
        ValueShape shape = shapes.get(component);
        if (!shape.reads(column.type())) {
            throw new UserMistake("the column " + column.fullName() + " is " + column.type() + ", and "
                    + (type.isRecord() ? "the component " + names.get(component) + " of " + type.getSimpleName() : "it")
                    + " is to be " + shape.raw().getSimpleName() + "; declare it for " + column.type()
                    + ", or cast the column");
        }
    }

    /**
     * Reads objects of rows.
     *
     * @param rows the columns of {@link #columnsIn}, in that order
     */
    public Reader<T> reader(Schema rows) {
        List<DataType> types = rows.fields().stream().map(Field::type).toList();
        List<String> columns = rows.fields().stream().map(Field::fullName).toList();
        return new Reader<>(maker(types, columns), parts.length);
    }

    /** Makes objects of rows. Used by one thread at a time. */
    public static final class Reader<T> {
        private final Compiled.Maker maker;
        private final Column[] columns;

        private Reader(Compiled.Maker maker, int columns) {
            this.maker = maker;
            this.columns = new Column[columns];
        }

        /** Goes over to a batch, whose columns from {@code first} on are those of the shape. */
        public void use(Batch batch, int first) {
            for (int i = 0; i < columns.length; i++) {
                columns[i] = batch.column(first + i);
            }
        }

        /** The object of a row; null where it is a single value that is null. */
        @SuppressWarnings("unchecked")
        public T read(int row) {
            return (T) maker.make(columns, row);
        }
    }

    Compiled.Maker maker(DataType.Struct struct, String where) {
        List<DataType> types = new ArrayList<>();
        List<String> columns = new ArrayList<>();
        List<Field> fields =
                struct.parts().stream().map(p -> Field.of(p.name(), p.type())).toList();
        List<Integer> order = columnsIn(new Schema(fields));
        for (int index : order) {
            types.add(fields.get(index).type());
            columns.add(where + "." + fields.get(index).name());
        }
        Compiled.Maker maker = maker(types, columns);
        return (all, row) -> {
            Column[] own = new Column[order.size()];
            for (int i = 0; i < own.length; i++) {
                own[i] = all[order.get(i)];
            }
            return maker.make(own, row);
        };
    }

    /** One handle from columns and a row to the object: the constructor, each argument of which is read from its column. */
    private Compiled.Maker maker(List<DataType> types, List<String> columns) {
        return makers.computeIfAbsent(new Read(types, columns), read -> compiled(types, columns));
    }

    private Compiled.Maker compiled(List<DataType> types, List<String> columns) {
        MethodHandle made = type.isRecord()
                ? constructor()
                : MethodHandles.identity(shapes.get(0).raw());
        MethodHandle element = MethodHandles.arrayElementGetter(Column[].class);
        for (int i = parts.length - 1; i >= 0; i--) {
            MethodHandle column = MethodHandles.insertArguments(element, 1, i);
            MethodHandle value =
                    MethodHandles.filterArguments(shapes.get(i).handle(types.get(i), columns.get(i)), 0, column);
            made = MethodHandles.collectArguments(made, i, value);
        }
        int[] order = new int[2 * parts.length];
        for (int i = 0; i < order.length; i++) {
            order[i] = i % 2;
        }
        MethodType to = MethodType.methodType(made.type().returnType(), Column[].class, int.class);
        MethodHandle all = MethodHandles.permuteArguments(made, to, order);
        return Compiled.maker(all.asType(to.changeReturnType(Object.class)));
    }

    private MethodHandle constructor() {
        Class<?>[] arguments = shapes.stream().map(ValueShape::raw).toArray(Class<?>[]::new);
        try {
            Constructor<T> constructor = type.getDeclaredConstructor(arguments);
            constructor.setAccessible(true);
            return LOOKUP.unreflectConstructor(constructor);
        } catch (ReflectiveOperationException e) {
            throw new UserMistake("the record " + type.getName() + " cannot be made: " + e.getMessage(), e);
        }
    }

    /** Appends an object to the columns of the shape, which begin at {@code first}. */
    public void append(BatchBuilder columns, int first, T object) {
        if (object == null && type.isRecord()) {
            throw new UserMistake("a " + type.getSimpleName() + " that is null makes no row; leave it out");
        }
        for (int i = 0; i < parts.length; i++) {
            parts[i].append(columns.column(first + i), object);
        }
    }

    void appendFields(ColumnBuilder columns, Object struct) {
        for (int i = 0; i < parts.length; i++) {
            parts[i].append(columns.field(i), struct);
        }
    }
}
