package org.unimeros.engine.spill;

/** Makes files for rows that do not fit into memory. Implementations can be used by several threads. */
public interface Scratch {

    /**
     * A new, empty file that nobody else uses.
     *
     * @throws org.unimeros.engine.error.ResourceFailure when it cannot be made
     */
    File create();

    /**
     * A file that is gone once it is closed, or once the process has ended in any way. Written by one thread at a time;
     * what was written can be read by several.
     */
    interface File extends AutoCloseable {

        /** Appends bytes and returns the place of the first of them. */
        long append(byte[] bytes, int length);

        /** Reads {@code length} bytes from a place into the front of an array. */
        void read(long place, byte[] into, int length);

        @Override
        void close();
    }
}
