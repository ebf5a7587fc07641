package org.unimeros.engine.record;

import java.io.IOException;
import java.io.InputStream;
import java.lang.invoke.MethodHandle;
import java.lang.invoke.MethodHandles;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.error.InternalFault;

/**
 * Makes objects whose one method is a method handle. Each has a hidden class that is a copy of a template, in which the handle is a
 * constant; a handle in a field would be called through, at several times the cost, for every component of every record.
 */
final class Compiled {

    private Compiled() {}

    /** Makes an object of a row. */
    interface Maker {
        Object make(Column[] columns, int row);
    }

    /** Takes a component of a record; one of both, as the component is kept. */
    interface Getter {
        Object object(Object from);

        long bits(Object from);
    }

    /** @param handle takes columns and a row, and gives an Object */
    static Maker maker(MethodHandle handle) {
        return (Maker) instance(MakerTemplate.class, handle);
    }

    /** @param handle takes an Object and gives an Object */
    static Getter objectGetter(MethodHandle handle) {
        return (Getter) instance(ObjectGetterTemplate.class, handle);
    }

    /** @param handle takes an Object and gives a long */
    static Getter bitsGetter(MethodHandle handle) {
        return (Getter) instance(BitsGetterTemplate.class, handle);
    }

    /** The handle that a copy of a template was made with. */
    static MethodHandle handle(MethodHandles.Lookup copy) {
        try {
            return MethodHandles.classData(copy, "_", MethodHandle.class);
        } catch (IllegalAccessException e) {
            throw new InternalFault("a class without its data", e);
        }
    }

    private static Object instance(Class<?> template, MethodHandle handle) {
        String name = template.getName().substring(template.getName().lastIndexOf('.') + 1) + ".class";
        try (InputStream in = template.getResourceAsStream(name)) {
            return MethodHandles.lookup()
                    .defineHiddenClassWithClassData(in.readAllBytes(), handle, true)
                    .lookupClass()
                    .getDeclaredConstructor()
                    .newInstance();
        } catch (IOException | ReflectiveOperationException e) {
            throw new InternalFault("cannot make a " + name, e);
        }
    }
}
