package org.unimeros.storage.format;

import java.io.Serializable;
import org.unimeros.engine.data.DataType;

/**
 * A column of a file.
 *
 * @param path where its values stand in a record: for JSON a path such as {@code device.battery}; else its name there
 */
public record ColumnSpec(String name, DataType type, String path) implements Serializable {

    public static ColumnSpec of(String name, DataType type) {
        return new ColumnSpec(name, type, name);
    }
}
