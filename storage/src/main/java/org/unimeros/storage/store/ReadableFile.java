package org.unimeros.storage.store;

import java.io.Closeable;
import java.io.IOException;
import java.io.InputStream;
import java.nio.ByteBuffer;
import java.util.Objects;

/** A file that is open for reading, at any places. Thread-safe. */
public interface ReadableFile extends Closeable {

    /**
     * Reads bytes from a place on, as many as are at hand and the buffer has room for.
     *
     * @return how many, at least one while the buffer has room; -1 at the end of the file
     */
    int read(ByteBuffer to, long position) throws IOException;

    /**
     * A range as a buffer, in whatever way is cheap for large ones.
     *
     * @throws java.io.EOFException when the file ends before the range does
     */
    ByteBuffer range(long position, int length) throws IOException;

    /** All bytes from a place on. Closing the stream closes the file. */
    default InputStream from(long start) {
        return new InputStream() {
            private long position = start;

            @Override
            public int read() throws IOException {
                byte[] one = new byte[1];
                return read(one, 0, 1) < 0 ? -1 : one[0] & 0xFF;
            }

            @Override
            public int read(byte[] bytes, int offset, int length) throws IOException {
                Objects.checkFromIndexSize(offset, length, bytes.length);
                if (length == 0) {
                    return 0;
                }
                int n = ReadableFile.this.read(ByteBuffer.wrap(bytes, offset, length), position);
                position += Math.max(0, n);
                return n;
            }

            @Override
            public void close() throws IOException {
                ReadableFile.this.close();
            }
        };
    }
}
