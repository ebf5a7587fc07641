package org.unimeros.code;

import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import org.unimeros.engine.data.Batch;
import org.unimeros.engine.data.BatchBuilder;
import org.unimeros.engine.data.Column;

/** A format that reads files as it likes. */
public non-sealed interface FileFormat<T> extends RecordFormat<T> {

    /** Whether files can be read in pieces; each then reads the records that begin in it. Else a piece is a whole file. */
    default boolean canBeCut() {
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

    /**
     * Reads some thousand rows at a time into columns, without a record for each; {@link FileFormat#read} may return one. Used by one thread.
     */
    interface ColumnReading<T> extends Reading<T> {
        /**
         * The next rows, a column for each component of the record in its order, or one for a type that is no record, in the forms that {@link Column} describes (a
         * {@link BatchBuilder} makes them); null at the end. As for records, a {@link BadRecordException} goes on with the next call.
         */
        Batch nextBatch() throws Exception;

        @Override
        default T next() {
            throw new UnsupportedOperationException("rows are read as columns");
        }
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
