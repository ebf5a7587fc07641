package org.unimeros.engine.key;

/** Numbers of whole-number keys, found. {@link #find} is for one thread, and for others through {@linkplain #reader readers}. */
interface WholeLookUp {

    /** The same keys for another thread. */
    WholeLookUp reader();

    /** Writes the number of each key, or -1. */
    void find(long[] wanted, int rows, int[] out);

    /** Gives up the memory for the keys, which the next table may take: nobody may ask any more, {@linkplain #reader readers} included. */
    void release();

    long sizeInBytes();
}
