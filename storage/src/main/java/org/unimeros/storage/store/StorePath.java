package org.unimeros.storage.store;

import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.io.Serializable;
import java.nio.file.Path;
import java.util.Optional;

/**
 * A file or folder, be it there or not.
 *
 * @param path in the store, with slashes; what messages show
 */
public record StorePath(Store store, String path) implements Serializable {

    /** A file or folder of this machine. */
    public static StorePath of(Path path) {
        String text = path.toString();
        return new StorePath(
                LocalStore.INSTANCE, path.getFileSystem().getSeparator().equals("/") ? text : text.replace('\\', '/'));
    }

    /** What is below it at a relative path. */
    public StorePath resolve(String relative) {
        boolean isBare = path.isEmpty() || path.endsWith("/");
        return new StorePath(store, isBare ? path + relative : path + "/" + relative);
    }

    /** What is beside it under another name. */
    public StorePath sibling(String name) {
        return new StorePath(store, path.substring(0, path.lastIndexOf('/') + 1) + name);
    }

    /** The folder that it is in; empty where the path names none. */
    public Optional<StorePath> parent() {
        int slash = path.lastIndexOf('/');
        if (slash < 0 || path.length() == 1) {
            return path.isEmpty() || slash == 0 ? Optional.empty() : Optional.of(new StorePath(store, ""));
        }
        return Optional.of(new StorePath(store, path.substring(0, Math.max(1, slash))));
    }

    /** The last step of the path. */
    public String name() {
        return path.substring(path.lastIndexOf('/') + 1);
    }

    /** The path of what is below it, from here on; empty where it is not below. */
    public Optional<String> relative(String below) {
        String start = resolve("").path;
        return below.startsWith(start) && below.length() > start.length()
                ? Optional.of(below.substring(start.length()))
                : Optional.empty();
    }

    /** What is known of the file; empty where there is none. */
    public Optional<StoredFile> find() throws IOException {
        return store.find(path);
    }

    /** Whether there is such a file or folder. */
    public boolean exists() throws IOException {
        return store.find(path).isPresent() || store.isFolder(path);
    }

    public ReadableFile open() throws IOException {
        return store.open(path);
    }

    /** All bytes of the file. */
    public InputStream stream() throws IOException {
        return store.open(path).from(0);
    }

    public OutputStream create() throws IOException {
        return store.create(path);
    }

    /** The small file; empty where there is none. */
    public Optional<Store.Content> read() throws IOException {
        return store.read(path);
    }

    /** Replaces the small file as a whole, whatever is in it. */
    public void replace(byte[] bytes) throws IOException {
        boolean done = false;
        while (!done) {
            done = store.publish(path, bytes, read().map(Store.Content::version));
        }
    }

    /** Other processes run in other folders. */
    private Object writeReplace() {
        String absolute = store.absolute(path);
        return absolute.equals(path) ? this : new StorePath(store, absolute);
    }

    @Override
    public String toString() {
        return path;
    }
}
