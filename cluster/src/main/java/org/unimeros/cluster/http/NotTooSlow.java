package org.unimeros.cluster.http;

import java.io.FilterInputStream;
import java.io.IOException;
import java.io.InputStream;
import java.util.function.LongSupplier;

/** A body that must come at a least rate once some time has passed. Used by one thread. */
final class NotTooSlow extends FilterInputStream {

    private final LongSupplier nanoClock;
    private final long start;
    private final long patienceMillis;
    private final long leastPerSecond;
    private long bytes;

    NotTooSlow(InputStream in, LongSupplier nanoClock, long patienceMillis, long leastPerSecond) {
        super(in);
        this.nanoClock = nanoClock;
        this.start = nanoClock.getAsLong();
        this.patienceMillis = patienceMillis;
        this.leastPerSecond = leastPerSecond;
    }

    @Override
    public int read() throws IOException {
        int b = in.read();
        count(b < 0 ? 0 : 1);
        return b;
    }

    @Override
    public int read(byte[] into, int offset, int length) throws IOException {
        int n = in.read(into, offset, length);
        count(n);
        return n;
    }

    private void count(int n) {
        bytes += Math.max(0, n);
        long millis = (nanoClock.getAsLong() - start) / 1_000_000;
        if (n > 0 && millis > patienceMillis && bytes * 1_000 < leastPerSecond * millis) {
            throw new HttpProblem(408, "the body comes too slowly: " + bytes + " bytes in " + millis / 1_000 + " s");
        }
    }
}
