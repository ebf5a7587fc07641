package org.unimeros.storage.format;

import java.io.Serializable;
import java.nio.charset.Charset;
import java.nio.charset.StandardCharsets;
import java.util.Objects;
import java.util.Optional;
import org.unimeros.storage.store.StorePath;
import org.unimeros.storage.store.StoredFile;

/** A file of a dataset as it was listed. */
public final class DataFile implements Serializable {

    private static final long serialVersionUID = 1;

    private final StorePath path;
    private final long bytes;
    private final long modifiedMillis;
    /** The name of the encoding of its text; null where it is UTF-8 or no text. */
    private final String encoding;

    /** A file of a store as it was listed there. */
    public static DataFile of(StorePath place, StoredFile file) {
        return new DataFile(new StorePath(place.store(), file.path()), file.bytes(), file.modifiedMillis());
    }

    public DataFile(StorePath path, long bytes, long modifiedMillis) {
        this(path, bytes, modifiedMillis, null);
    }

    private DataFile(StorePath path, long bytes, long modifiedMillis, String encoding) {
        this.path = path;
        this.bytes = bytes;
        this.modifiedMillis = modifiedMillis;
        this.encoding = encoding;
    }

    /** The same, whose text is read as UTF-8 and stands in another encoding. */
    public DataFile in(Charset charset) {
        String other = charset.equals(StandardCharsets.UTF_8) ? null : charset.name();
        return Objects.equals(other, encoding) ? this : new DataFile(path, bytes, modifiedMillis, other);
    }

    /** The same in another place. */
    public DataFile at(StorePath place) {
        return new DataFile(place, bytes, modifiedMillis, encoding);
    }

    /** The encoding that its text is translated from; empty where it is UTF-8 or no text. */
    Optional<Charset> encoding() {
        return Optional.ofNullable(encoding).map(Charset::forName);
    }

    /** Whether it can be read from its start only: places in what is read are not places in the file. */
    public boolean isOnePiece() {
        return encoding != null || isGzip();
    }

    public StorePath path() {
        return path;
    }

    public long bytes() {
        return bytes;
    }

    public long modifiedMillis() {
        return modifiedMillis;
    }

    /** Whether it is compressed as a whole. */
    public boolean isGzip() {
        return toString().endsWith(".gz");
    }

    @Override
    public boolean equals(Object other) {
        return other instanceof DataFile file
                && path.equals(file.path)
                && bytes == file.bytes
                && modifiedMillis == file.modifiedMillis
                && Objects.equals(encoding, file.encoding);
    }

    @Override
    public int hashCode() {
        return path.hashCode();
    }

    /** The path. */
    @Override
    public String toString() {
        return path.toString();
    }
}
