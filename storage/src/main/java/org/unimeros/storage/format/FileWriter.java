package org.unimeros.storage.format;

import org.unimeros.engine.data.Batch;

/** Writes one file. Used by one thread. */
public interface FileWriter extends AutoCloseable {

    void write(Batch batch);

    /** Bytes held in memory that {@link #flush} would write out. */
    long bufferedBytes();

    /** Writes out what is held, where the format has a unit for it. */
    void flush();

    /** Completes the file; returns its size in bytes. */
    long finish();

    /** Closes the file, complete or not. */
    @Override
    void close();
}
