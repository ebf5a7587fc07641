package org.unimeros.engine.record;

import java.lang.invoke.MethodHandle;
import java.lang.invoke.MethodHandles;
import java.lang.invoke.MethodType;
import org.unimeros.engine.data.BooleanColumn;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.DoubleColumn;
import org.unimeros.engine.data.IntColumn;
import org.unimeros.engine.data.LongColumn;
import org.unimeros.engine.error.BadData;
import org.unimeros.engine.error.InternalFault;

/** Method handles from a column and a row to a value. */
final class Primitives {

    private static final MethodHandles.Lookup LOOKUP = MethodHandles.lookup();

    private Primitives() {}

    /** A handle that gives a primitive; a null is bad data that names {@code where}. */
    static MethodHandle handle(Class<?> type, DataType column, String where) {
        String from = column == DataType.INT && type != int.class ? "OfInt" : "";
        MethodHandle read = find(type.getName() + from, type, String.class, Column.class, int.class);
        return MethodHandles.insertArguments(read, 0, where);
    }

    /** A handle that gives what a reader does. */
    static MethodHandle handle(ValueShape.Reader reader, Class<?> type) {
        try {
            MethodHandle read = LOOKUP.findStatic(
                    ValueShape.Reader.class,
                    "orNull",
                    MethodType.methodType(Object.class, ValueShape.Reader.class, Column.class, int.class));
            return MethodHandles.insertArguments(read, 0, reader)
                    .asType(MethodType.methodType(type, Column.class, int.class));
        } catch (ReflectiveOperationException e) {
            throw new InternalFault("no way to read a column", e);
        }
    }

    private static MethodHandle find(String type, Class<?> result, Class<?>... arguments) {
        String name = "read" + Character.toUpperCase(type.charAt(0)) + type.substring(1);
        try {
            return LOOKUP.findStatic(Primitives.class, name, MethodType.methodType(result, arguments));
        } catch (ReflectiveOperationException e) {
            throw new InternalFault("no way to read a column as " + type, e);
        }
    }

    private static void requireValue(String where, Column column, int row) {
        if (column.isNull(row)) {
            throw new BadData(
                    where + " is null in a row, and a primitive cannot be; declare the component with an object type"
                            + " (Long for long), or leave such rows out first");
        }
    }

    static boolean readBoolean(String where, Column column, int row) {
        requireValue(where, column, row);
        return ((BooleanColumn) column).value(row);
    }

    static int readInt(String where, Column column, int row) {
        requireValue(where, column, row);
        return ((IntColumn) column).values()[row];
    }

    static long readLong(String where, Column column, int row) {
        requireValue(where, column, row);
        return ((LongColumn) column).values()[row];
    }

    static long readLongOfInt(String where, Column column, int row) {
        requireValue(where, column, row);
        return ((IntColumn) column).values()[row];
    }

    static float readFloat(String where, Column column, int row) {
        requireValue(where, column, row);
        return (float) ((DoubleColumn) column).values()[row];
    }

    static double readDouble(String where, Column column, int row) {
        requireValue(where, column, row);
        return ((DoubleColumn) column).values()[row];
    }

    static double readDoubleOfInt(String where, Column column, int row) {
        requireValue(where, column, row);
        return ((IntColumn) column).values()[row];
    }
}
