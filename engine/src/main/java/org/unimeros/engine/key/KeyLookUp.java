package org.unimeros.engine.key;

import org.unimeros.engine.data.Column;

/** Keys with numbers, which are asked for. One thread, and others through {@linkplain #reader readers}. */
public interface KeyLookUp {

    /** The same keys for another thread, with scratch space of its own. */
    KeyLookUp reader();

    /**
     * Writes the number of each row's key, or -1.
     *
     * @param columns one for each part of the key, of the types that the keys have
     */
    void find(Column[] columns, int rows, int[] out);

    /** Ends the use of these keys and of all their {@linkplain #reader readers}: the memory may be that of the next table. */
    void release();

    /** The memory that the keys take. */
    long sizeInBytes();
}
