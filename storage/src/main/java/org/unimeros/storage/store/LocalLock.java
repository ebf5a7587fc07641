package org.unimeros.storage.store;

import java.io.IOException;
import java.io.InterruptedIOException;
import java.nio.channels.FileChannel;
import java.nio.channels.OverlappingFileLockException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.HashSet;
import java.util.Optional;
import java.util.Set;

/** A file that is locked against other processes by the system, and within this one by a set of what it holds. */
final class LocalLock implements StoreLock {

    /**
     * Files that this process holds or waits for. It must not open them again: on closing a file, systems drop all locks that the process has on it,
     * whichever channel took them. Guarded by itself.
     */
    private static final Set<Path> HELD = new HashSet<>();

    private final Path file;
    private final FileChannel channel;

    private LocalLock(Path file, FileChannel channel) {
        this.file = file;
        this.channel = channel;
    }

    /** The lock of a file whose folder is there; empty when somebody holds it. */
    static Optional<StoreLock> tryTake(Path path) throws IOException {
        Path file = real(path);
        synchronized (HELD) {
            if (!HELD.add(file)) {
                return Optional.empty();
            }
        }
        return Optional.ofNullable(locked(file, false));
    }

    /** The same, as soon as nobody holds it. */
    static StoreLock take(Path path) throws IOException {
        Path file = real(path);
        synchronized (HELD) {
            while (!HELD.add(file)) {
                try {
                    HELD.wait();
                } catch (InterruptedException e) {
                    Thread.currentThread().interrupt();
                    throw new InterruptedIOException("interrupted while waiting for the lock " + file);
                }
            }
        }
        return locked(file, true);
    }

    private static Path real(Path path) throws IOException {
        return path.toAbsolutePath().getParent().toRealPath().resolve(path.getFileName());
    }

    /** Null when another process has the lock and is not waited for. */
    private static StoreLock locked(Path file, boolean waits) throws IOException {
        FileChannel channel = null;
        boolean isLocked = false;
        try {
            channel = FileChannel.open(file, StandardOpenOption.CREATE, StandardOpenOption.WRITE);
            isLocked = (waits ? channel.lock() : channel.tryLock()) != null;
            return isLocked ? new LocalLock(file, channel) : null;
        } catch (OverlappingFileLockException e) {
            if (waits) {
                throw new IOException("another copy of this program in the process holds the lock " + file, e);
            }
            return null;
        } finally {
            if (!isLocked) {
                if (channel != null) {
                    channel.close();
                }
                giveUp(file);
            }
        }
    }

    private static void giveUp(Path file) {
        synchronized (HELD) {
            HELD.remove(file);
            HELD.notifyAll();
        }
    }

    @Override
    public void close() throws IOException {
        if (channel.isOpen()) {
            try {
                channel.close();
            } finally {
                giveUp(file);
            }
        }
    }

    @Override
    public void remove() throws IOException {
        try {
            Files.deleteIfExists(file);
        } finally {
            close();
        }
    }
}
