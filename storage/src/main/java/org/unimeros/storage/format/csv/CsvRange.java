package org.unimeros.storage.format.csv;

import java.io.IOException;
import java.io.InputStream;
import java.io.PushbackInputStream;
import org.unimeros.storage.format.DataFile;
import org.unimeros.storage.format.Io;
import org.unimeros.storage.format.Piece;

/** The bytes of a piece, moved to line ends. */
final class CsvRange {

    private CsvRange() {}

    /** The first byte of the first line that begins at or after a place. */
    static long lineStart(DataFile file, long place) {
        if (place == 0 || place >= file.bytes()) {
            return Math.min(place, file.bytes());
        }
        try (InputStream in = Io.open(file, place - 1)) {
            byte[] buffer = new byte[1 << 13];
            long offset = place - 1;
            for (int n = in.read(buffer); n > 0; n = in.read(buffer)) {
                for (int i = 0; i < n; i++) {
                    if (buffer[i] == '\n') {
                        return offset + i + 1;
                    }
                }
                offset += n;
            }
            return offset;
        } catch (IOException e) {
            throw Io.failure("read", file.path(), e);
        }
    }

    /** The range of whole lines that belong to a piece. */
    static Piece lines(Piece piece) {
        return piece.isWhole()
                ? piece
                : new Piece(piece.file(), lineStart(piece.file(), piece.start()), lineStart(piece.file(), piece.end()));
    }

    /** The bytes of a range. A byte order mark is left out. */
    static InputStream open(DataFile file, long start, long length) throws IOException {
        InputStream in = new Limited(Io.open(file, start), length);
        if (start > 0) {
            return in;
        }
        PushbackInputStream marked = new PushbackInputStream(in, 3);
        byte[] mark = marked.readNBytes(3);
        boolean isMark = mark.length == 3 && mark[0] == (byte) 0xEF && mark[1] == (byte) 0xBB && mark[2] == (byte) 0xBF;
        if (!isMark) {
            marked.unread(mark);
        }
        return marked;
    }

    /** Ends after a number of bytes. */
    private static final class Limited extends InputStream {
        private final InputStream in;
        private long left;

        Limited(InputStream in, long left) {
            this.in = in;
            this.left = left;
        }

        @Override
        public int read() throws IOException {
            byte[] one = new byte[1];
            return read(one, 0, 1) < 0 ? -1 : one[0] & 0xFF;
        }

        @Override
        public int read(byte[] to, int offset, int length) throws IOException {
            if (left == 0) {
                return -1;
            }
            int n = in.read(to, offset, (int) Math.min(length, left));
            left -= Math.max(n, 0);
            return n;
        }

        @Override
        public void close() throws IOException {
            in.close();
        }
    }
}
