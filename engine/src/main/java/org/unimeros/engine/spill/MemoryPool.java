package org.unimeros.engine.spill;

import java.util.concurrent.atomic.AtomicLong;

/** A number of bytes that several holders share. Thread-safe. */
public final class MemoryPool {

    private final long limit;
    private final AtomicLong used = new AtomicLong();

    public MemoryPool(long limit) {
        this.limit = limit;
    }

    /** Takes bytes if there are so many left. */
    public boolean tryReserve(long bytes) {
        long after = used.addAndGet(bytes);
        if (after <= limit) {
            return true;
        }
        used.addAndGet(-bytes);
        return false;
    }

    public void release(long bytes) {
        used.addAndGet(-bytes);
    }

    /** Bytes that are taken now. */
    public long used() {
        return used.get();
    }
}
