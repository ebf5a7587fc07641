package org.unimeros.code;

import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;

/** A format that reads files as it likes. */
public non-sealed interface FileFormat<T> extends RecordFormat<T> {

    /** Whether files can be read in pieces; each then reads the records that begin in it. Else a piece is a whole file. */
    default boolean isSplittable() {
        return false;
    }

    /** Reads the records of a piece. */
    Reading<T> read(FilePiece piece) throws Exception;

    /** Writes a file; the stream is closed behind the writer. */
    Writing<T> write(OutputStream out) throws Exception;

    /** A part of a file, from {@link #start} to before {@link #end}. */
    interface FilePiece {
        /** The path of the file, for messages. */
        String file();

        long start();

        long end();

        long fileBytes();

        /** The bytes of the file from a place on, to its end; the engine closes it at last. */
        InputStream open(long from) throws IOException;
    }

    /** Used by one thread. */
    interface Reading<T> {
        /**
         * The next record; null at the end.
         *
         * @throws BadRecordException when it cannot be read and those behind it can; any other exception ends the reading
         */
        T next() throws Exception;
    }

    /** Used by one thread. */
    interface Writing<T> {
        void write(T record) throws Exception;

        /** Called behind the last record. */
        default void finish() throws Exception {
            // many have written everything
        }
    }
}
