package org.unimeros.storage.store;

import java.io.FilterOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.function.Consumer;
import java.util.function.Predicate;

/** A store with another one behind it. What is to be done is told before it is done, so that a test can let it fail. */
public class FilterStore implements Store {

    private final transient Store behind;
    private final transient List<StoreLock> locks = new ArrayList<>();

    protected FilterStore(Store behind) {
        this.behind = behind;
    }

    /**
     * Called before each operation.
     *
     * @param operation the name of the method; {@code write} and {@code close} for a file that is created
     * @throws IOException to let it fail
     */
    protected void before(String operation, String path) throws IOException {
        // a test says more
    }

    /** What the death of the process does: its locks are free, and their files stay. */
    public final void die() throws IOException {
        for (StoreLock lock : locks) {
            lock.close();
        }
    }

    @Override
    public void list(String folder, Predicate<String> wanted, Consumer<StoredFile> files) throws IOException {
        before("list", folder);
        behind.list(folder, wanted, files);
    }

    @Override
    public List<String> children(String folder) throws IOException {
        before("children", folder);
        return behind.children(folder);
    }

    @Override
    public Optional<StoredFile> find(String path) throws IOException {
        before("find", path);
        return behind.find(path);
    }

    @Override
    public boolean isFolder(String path) throws IOException {
        before("isFolder", path);
        return behind.isFolder(path);
    }

    @Override
    public ReadableFile open(String path) throws IOException {
        before("open", path);
        return behind.open(path);
    }

    @Override
    public OutputStream create(String path) throws IOException {
        before("create", path);
        return new FilterOutputStream(behind.create(path)) {
            @Override
            public void write(byte[] bytes, int offset, int length) throws IOException {
                before("write", path);
                out.write(bytes, offset, length);
            }

            @Override
            public void close() throws IOException {
                try {
                    before("close", path);
                } finally {
                    out.close();
                }
            }
        };
    }

    @Override
    public Optional<Content> read(String path) throws IOException {
        before("read", path);
        return behind.read(path);
    }

    @Override
    public boolean publish(String path, byte[] bytes, Optional<String> unchanged) throws IOException {
        before("publish", path);
        return behind.publish(path, bytes, unchanged);
    }

    @Override
    public void move(String from, String to) throws IOException {
        before("move", from);
        behind.move(from, to);
    }

    @Override
    public void delete(String path) throws IOException {
        before("delete", path);
        behind.delete(path);
    }

    @Override
    public void makeFolder(String folder) throws IOException {
        before("makeFolder", folder);
        behind.makeFolder(folder);
    }

    @Override
    public void deleteFolder(String folder) throws IOException {
        before("deleteFolder", folder);
        behind.deleteFolder(folder);
    }

    @Override
    public boolean deleteIfEmpty(String folder) throws IOException {
        before("deleteIfEmpty", folder);
        return behind.deleteIfEmpty(folder);
    }

    @Override
    public Optional<StoreLock> tryLock(String path) throws IOException {
        before("tryLock", path);
        Optional<StoreLock> lock = behind.tryLock(path);
        lock.ifPresent(locks::add);
        return lock.map(Held::new);
    }

    @Override
    public StoreLock lock(String path) throws IOException {
        before("lock", path);
        StoreLock lock = behind.lock(path);
        locks.add(lock);
        return new Held(lock);
    }

    @Override
    public String absolute(String path) {
        return behind.absolute(path);
    }

    /** Giving up a lock is told as well: a dead process does not delete the file of one. */
    private final class Held implements StoreLock {
        private final StoreLock lock;

        Held(StoreLock lock) {
            this.lock = lock;
        }

        @Override
        public void close() throws IOException {
            before("unlock", "");
            lock.close();
        }

        @Override
        public void remove() throws IOException {
            before("unlock", "");
            lock.remove();
        }
    }
}
