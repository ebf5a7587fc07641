package org.unimeros.storage.format;

import java.io.Serializable;

/**
 * A range of a file. Records belong to the piece in which they begin.
 *
 * @param end the byte after the last one
 */
public record Piece(DataFile file, long start, long end) implements Serializable {

    public static Piece whole(DataFile file) {
        return new Piece(file, 0, file.bytes());
    }

    /** The same range of a file with the same bytes elsewhere. */
    public Piece of(DataFile other) {
        return new Piece(other, start, end);
    }

    public boolean isWhole() {
        return start == 0 && end >= file.bytes();
    }

    public long bytes() {
        return end - start;
    }

    @Override
    public String toString() {
        return isWhole() ? file.toString() : file + " bytes " + start + " to " + (end - 1);
    }
}
