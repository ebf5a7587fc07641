package org.unimeros.engine.source;

import org.unimeros.engine.data.Batch;

/** Reads batches one after the other. Used by one thread. */
public interface BatchReader extends AutoCloseable {

    /** The next batch, with at least one row; null at the end. */
    Batch next();

    @Override
    void close();
}
