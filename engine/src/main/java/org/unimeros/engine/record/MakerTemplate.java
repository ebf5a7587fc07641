package org.unimeros.engine.record;

import java.lang.invoke.MethodHandle;
import java.lang.invoke.MethodHandles;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.error.InternalFault;
import org.unimeros.engine.error.UserMistake;

/** Never used itself, but copied by {@link Compiled}. */
final class MakerTemplate implements Compiled.Maker {

    private static final MethodHandle HANDLE = handle();

    private static MethodHandle handle() {
        try {
            return MethodHandles.classData(MethodHandles.lookup(), "_", MethodHandle.class);
        } catch (IllegalAccessException e) {
            throw new InternalFault("a class without its data", e);
        }
    }

    @Override
    public Object make(Column[] columns, int row) {
        try {
            return (Object) HANDLE.invokeExact(columns, row);
        } catch (RuntimeException | Error e) {
            throw e;
        } catch (Throwable e) {
            throw new UserMistake("a record cannot be made: " + e, e);
        }
    }
}
