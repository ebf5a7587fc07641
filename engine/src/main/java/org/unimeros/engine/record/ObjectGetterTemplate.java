package org.unimeros.engine.record;

import java.lang.invoke.MethodHandle;
import java.lang.invoke.MethodHandles;
import org.unimeros.engine.error.UserMistake;

/** Never used itself, but copied by {@link Compiled}. */
final class ObjectGetterTemplate implements Compiled.Getter {

    private static final MethodHandle HANDLE = Compiled.handle(MethodHandles.lookup());

    @Override
    public Object object(Object from) {
        try {
            return (Object) HANDLE.invokeExact(from);
        } catch (RuntimeException | Error e) {
            throw e;
        } catch (Throwable e) {
            throw new UserMistake("a component of a record cannot be read: " + e, e);
        }
    }

    @Override
    public long bits(Object from) {
        throw new UnsupportedOperationException();
    }
}
