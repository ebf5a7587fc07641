package org.unimeros.storage.format;

import java.util.ArrayList;
import java.util.List;

/**
 * What is to be read of one file.
 *
 * @param skippedBytes bytes left out because they cannot hold rows of interest
 * @param rows rows in the pieces, or -1 when it is not known
 */
public record Pieces(List<Piece> pieces, long skippedBytes, long rows) {

    public Pieces {
        pieces = List.copyOf(pieces);
    }

    /** Cuts a file into equal pieces of about a size. */
    static Pieces cut(DataFile file, boolean splittable, long targetBytes) {
        long bytes = file.bytes();
        long count = splittable ? Math.max(1, (bytes + targetBytes - 1) / targetBytes) : 1;
        List<Piece> pieces = new ArrayList<>();
        for (long i = 0; i < count; i++) {
            pieces.add(new Piece(file, bytes * i / count, bytes * (i + 1) / count));
        }
        return new Pieces(bytes == 0 ? List.of() : pieces, 0, -1);
    }
}
