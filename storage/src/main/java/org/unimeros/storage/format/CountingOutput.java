package org.unimeros.storage.format;

import java.io.BufferedOutputStream;
import java.io.IOException;
import java.io.OutputStream;

/** Gathers the bytes of a file that is written, and knows how many there are. */
public final class CountingOutput extends OutputStream {

    private static final int BUFFER = 1 << 16;

    private final OutputStream to;
    private long count;

    CountingOutput(OutputStream to) {
        this.to = new BufferedOutputStream(to, BUFFER);
    }

    /** The bytes that were written so far. */
    public long count() {
        return count;
    }

    @Override
    public void write(int b) throws IOException {
        to.write(b);
        count++;
    }

    @Override
    public void write(byte[] bytes, int offset, int length) throws IOException {
        to.write(bytes, offset, length);
        count += length;
    }

    @Override
    public void flush() throws IOException {
        to.flush();
    }

    @Override
    public void close() throws IOException {
        to.close();
    }
}
