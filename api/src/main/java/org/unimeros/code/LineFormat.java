package org.unimeros.code;

/** A format with a record in each line of UTF-8 text. Large files are cut into pieces, and those that end in .gz unpacked, by the engine. */
public non-sealed interface LineFormat<T> extends RecordFormat<T> {

    /**
     * The record of a line; null leaves the line out. An exception makes it a bad record, of which file and line are told.
     *
     * @param line without its end
     */
    T read(String line) throws Exception;

    /** The line of a record, without an end. */
    String write(T record) throws Exception;
}
