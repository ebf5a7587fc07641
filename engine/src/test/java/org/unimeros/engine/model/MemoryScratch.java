package org.unimeros.engine.model;

import java.util.Arrays;
import java.util.concurrent.atomic.AtomicInteger;
import org.unimeros.engine.error.ResourceFailure;
import org.unimeros.engine.spill.Scratch;

/** Scratch files in memory, which can be told to be full or damaged. */
public final class MemoryScratch implements Scratch {

    private final AtomicInteger open = new AtomicInteger();
    private volatile long room = Long.MAX_VALUE;
    private volatile boolean damaging;

    /** Files that were made and not closed yet. */
    public int open() {
        return open.get();
    }

    /** From now on there is room for so many bytes per file. */
    public void limit(long bytes) {
        room = bytes;
    }

    /** From now on a bit of everything that is read is wrong. */
    public void damage() {
        damaging = true;
    }

    @Override
    public Scratch.File create() {
        open.incrementAndGet();
        return new Scratch.File() {
            private byte[] content = new byte[1024];
            private int size;
            private boolean closed;

            @Override
            public synchronized long append(byte[] bytes, int length) {
                if (size + length > room) {
                    throw new ResourceFailure("no space left");
                }
                if (size + length > content.length) {
                    content = Arrays.copyOf(content, Math.max(size + length, 2 * content.length));
                }
                System.arraycopy(bytes, 0, content, size, length);
                size += length;
                return size - length;
            }

            @Override
            public synchronized void read(long place, byte[] into, int length) {
                if (closed) {
                    throw new IllegalStateException("read after close");
                }
                System.arraycopy(content, (int) place, into, 0, length);
                into[length - 1] ^= (byte) (damaging ? 1 : 0);
            }

            @Override
            public synchronized void close() {
                if (!closed) {
                    closed = true;
                    open.decrementAndGet();
                }
            }
        };
    }
}
