package org.unimeros.engine.record;

import java.lang.invoke.MethodHandle;
import java.lang.invoke.MethodHandles;
import org.unimeros.engine.data.Column;
import org.unimeros.engine.error.UserMistake;

/** Never used itself, but copied by {@link Compiled}. */
final class MakerTemplate implements Compiled.Maker {

    private static final MethodHandle HANDLE = Compiled.handle(MethodHandles.lookup());

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
