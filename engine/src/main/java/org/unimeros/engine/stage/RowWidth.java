package org.unimeros.engine.stage;

import org.unimeros.engine.data.DataType;
import org.unimeros.engine.data.Schema;

/** How wide rows of a schema are taken to be, in bytes. */
final class RowWidth {

    private RowWidth() {}

    /** A rough width of a row in bytes, for shares only. */
    static double about(Schema schema) {
        return schema.fields().stream()
                .mapToInt(f -> f.type() == DataType.TEXT ? 16 : 8)
                .sum();
    }

    /** Bytes that a row takes in memory whatever its texts and lists are. */
    static double least(Schema schema) {
        return schema.fields().stream()
                .mapToDouble(f -> switch (f.type().physical()) {
                    case BITS -> 1.0 / Byte.SIZE;
                    case INTS, BYTES, LIST -> Integer.BYTES;
                    case LONGS, DOUBLES -> Long.BYTES;
                    case WIDE -> 2 * Long.BYTES;
                    case STRUCT -> 0;
                })
                .sum();
    }
}
