package org.unimeros.storage.format;

import java.io.Serializable;
import java.nio.file.Path;

/** A file of a dataset as it was listed. */
public record DataFile(Path path, long bytes, long modifiedMillis) implements Serializable {

    /** Whether it is compressed as a whole, so that it can be read from its start only. */
    public boolean isGzip() {
        return path.toString().endsWith(".gz");
    }

    @Override
    public String toString() {
        return path.toString();
    }
}
