package org.unimeros.engine.source;

import java.io.Serializable;

/** What one scan task reads: a piece of a file, or many small files together. */
public interface Split extends Serializable {

    /** Bytes to be read, as far as known. */
    long bytes();

    /** Where it lies, for messages and records. */
    String describe();

    /** The address of the worker that has it in memory, so that it is best read there; empty for none. */
    default String place() {
        return "";
    }

    /** Whether a few of its rows can be looked at outside of tasks, at little cost and without code of the job. */
    default boolean canBeSampled() {
        return false;
    }

    /** Opens it; can be called again for another attempt. */
    BatchReader open(ReadContext context);
}
