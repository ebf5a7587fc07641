package org.unimeros.storage.store;

import java.io.IOException;

/** A lock that this process holds. It ends with the process at the latest. */
public interface StoreLock extends AutoCloseable {

    /** Gives the lock up. */
    @Override
    void close() throws IOException;

    /** Gives the lock up for good: what stands for it in the store is deleted as well. */
    void remove() throws IOException;
}
