package org.unimeros.storage.format;

import java.io.Serializable;
import java.nio.file.Path;

/** A file of a dataset as it was listed. */
public final class DataFile implements Serializable {

    private static final long serialVersionUID = 1;

    private final Path path;
    private final long bytes;
    private final long modifiedMillis;
    /** That of the path, which makes a new one whenever it is asked for it. */
    private transient String text;

    public DataFile(Path path, long bytes, long modifiedMillis) {
        this.path = path;
        this.bytes = bytes;
        this.modifiedMillis = modifiedMillis;
    }

    public Path path() {
        return path;
    }

    public long bytes() {
        return bytes;
    }

    public long modifiedMillis() {
        return modifiedMillis;
    }

    /** Whether it is compressed as a whole, so that it can be read from its start only. */
    public boolean isGzip() {
        return toString().endsWith(".gz");
    }

    @Override
    public boolean equals(Object other) {
        return other instanceof DataFile file
                && path.equals(file.path)
                && bytes == file.bytes
                && modifiedMillis == file.modifiedMillis;
    }

    @Override
    public int hashCode() {
        return path.hashCode();
    }

    /** The path. */
    @Override
    public String toString() {
        String known = text;
        if (known == null) {
            known = path.toString();
            text = known;
        }
        return known;
    }
}
