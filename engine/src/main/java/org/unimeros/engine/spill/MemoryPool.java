package org.unimeros.engine.spill;

import java.util.concurrent.atomic.AtomicLong;

/** A number of bytes that several holders share, possibly out of a larger one. Thread-safe. */
public final class MemoryPool {

    private final long limit;
    private final MemoryPool around;
    private final AtomicLong used = new AtomicLong();
    private volatile boolean closed;

    public MemoryPool(long limit) {
        this(limit, null);
    }

    private MemoryPool(long limit, MemoryPool around) {
        this.limit = limit;
        this.around = around;
    }

    /** A pool whose bytes are taken from this one, so that they can all be given back together. */
    MemoryPool inside() {
        return new MemoryPool(limit, this);
    }

    /** Takes bytes if there are so many left. */
    public boolean tryReserve(long bytes) {
        long after = used.addAndGet(bytes);
        if (!closed && after <= limit && (around == null || around.tryReserve(bytes))) {
            return true;
        }
        used.addAndGet(-bytes);
        return false;
    }

    public void release(long bytes) {
        used.addAndGet(-bytes);
        if (around != null && !closed) {
            around.release(bytes);
        }
    }

    /** Gives back all that is taken, for good. */
    void close() {
        closed = true;
        long bytes = used.getAndSet(0);
        if (around != null && bytes > 0) {
            around.release(bytes);
        }
    }

    /** Bytes that are taken now. */
    public long used() {
        return used.get();
    }
}
